"""Fleets over HTTP: added, worked out in the background, stopped, gone on with, shown by page, taken out."""

import base64
import io
import json
import os
import subprocess
import sys
import time
import zipfile
from dataclasses import replace
from pathlib import Path

import openpyxl
import pytest

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.store import fleets
from ylemorph.store.database import connect
from ylemorph.usecases import fleet_runs
from ylemorph.usecases.fleet_runs import FleetRuns
from ylemorph.web.app import create_app
from ylemorph.web.edge.services import services


def file(name, text):
    data = text if isinstance(text, bytes) else text.encode()
    return {"name": name, "data": base64.b64encode(data).decode()}


def machine(n, taken="2026-11-20", **more):
    size = n % 14
    disk = desk((60 + size * 25) * GiB, (30 + size * 9) * GiB, serial=f"BK4-{n:05}", model="Brindle K4", **more)
    return file(f"pc{n:02}.json", write_survey(Survey(disk, taken)))


def finished(api, fleet, seconds=20):
    """The fleet as it is when nothing is left."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        read = api("GET", f"/api/fleets/{fleet}").get_json()
        if not read["running"]:
            return read
        time.sleep(0.02)
    raise AssertionError(f"not finished: {read['done']} of {read['machines']}")


@pytest.fixture
def fleet(api):
    made = api("POST", "/api/fleets", {"name": "Branches", "targets": ["480GB", "256GB"]})
    assert made.status_code == 201
    number = made.get_json()["id"]
    answer = api("POST", f"/api/fleets/{number}/files", {"files": [machine(n) for n in range(12)]})
    assert answer.status_code == 200
    finished(api, number)
    return number


def test_what_the_whole_fleet_says(api, fleet):
    read = api("GET", f"/api/fleets/{fleet}").get_json()
    assert (read["machines"], read["done"], read["repeated"], read["unread"]) == (12, 12, 0, 0)
    assert [target["counts"]["comfortable"] for target in read["targets"]] == [9, 4]
    assert sum(sum(target["counts"].values()) for target in read["targets"]) == 24
    assert sum(one["machines"] for one in read["histogram"]) == 12
    assert read["smallest"] == {"all": "960GB", "percent_95": "960GB"}
    assert [line["machines"] for line in api("GET", "/api/fleets").get_json()["fleets"]] == [12]


def test_fleets_by_page_text_and_order(api, fleet):
    for name in ("annex", "Upper floor", "100%", "1000"):
        api("POST", "/api/fleets", {"name": name, "targets": ["480GB"]})

    def names(query=""):
        read = api("GET", f"/api/fleets?{query}").get_json()
        return read["count"], [line["name"] for line in read["fleets"]]

    assert names("sort=name&down=false") == (5, ["100%", "1000", "annex", "Branches", "Upper floor"])
    assert names("sort=name&most=2&start=2") == (5, ["annex", "1000"])  # downward unless it is asked otherwise
    assert names("sort=machines&most=1") == (5, ["Branches"])
    assert names("sort=changed&down=false&most=1") == (5, ["Branches"])
    assert names("most=1") == (5, ["1000"])
    assert names("text=FLOOR") == (1, ["Upper floor"])
    assert names("text=100%25") == (1, ["100%"])  # no sign of a pattern
    assert names("start=9") == (5, [])
    assert api("GET", "/api/fleets?most=501").status_code == 422
    api("DELETE", f"/api/fleets/{fleet}")
    assert names("text=branch") == (0, [])


def test_machines_by_page_verdict_text_and_order(api, fleet):
    url = f"/api/fleets/{fleet}/machines"
    read = api("GET", f"{url}?target=1&verdict=does-not-fit&sort=need&down=true&most=3").get_json()
    assert read["count"] == 7
    assert [line["name"] for line in read["machines"]] == ["pc11", "pc10", "pc09"]
    assert read["machines"][0]["reason"].startswith("short by")
    assert read["machines"][0]["verdicts"] == ["does-not-fit", "does-not-fit"]
    assert [line["name"] for line in api("GET", f"{url}?text=PC0&start=8").get_json()["machines"]] == ["pc08", "pc09"]
    assert api("GET", f"{url}?text=%25").get_json()["count"] == 0
    assert api("GET", f"{url}?target=7").status_code == 422
    assert api("GET", f"{url}?sort=age").status_code == 422


def test_other_wishes_work_everything_out_anew(api, fleet):
    wishes = {"name": "Branches", "targets": ["1TB"], "fits": ["snug", "same"], "options": {"headroom": "40"}}
    assert api("PUT", f"/api/fleets/{fleet}", wishes).get_json()["generation"] == 2
    read = finished(api, fleet)
    assert [target["name"] for target in read["targets"]] == ["1TB"]
    (line,) = api("GET", f"/api/fleets/{fleet}/machines?text=pc11&fit=same").get_json()["machines"]
    assert line["fit"] == "same"
    assert api("PUT", f"/api/fleets/{fleet}", {**wishes, "options": {"pin": {"3": 5}}}).status_code == 422
    assert api("PUT", f"/api/fleets/{fleet}", {**wishes, "targets": ["12 sheep"]}).get_json()["at"] == "targets[0]"


def test_surveys_added_later_replace_older_ones_and_say_what_changed(api, fleet):
    newer = file("pc03 again.json", write_survey(Survey(desk(160 * GiB, serial="BK4-00003"), "2026-11-24")))
    api("POST", f"/api/fleets/{fleet}/files", {"files": [newer, machine(4)]})
    read = finished(api, fleet)
    assert (read["machines"], read["repeated"]) == (14, 2)
    assert [(row["name"], row["of"], row["earlier"]) for row in read["troubles"]] == [
        ("pc03", "pc03 again", True), ("pc04", "pc04", False)
    ]  # fmt: skip
    (line,) = api("GET", f"/api/fleets/{fleet}/machines?text=pc03").get_json()["machines"]
    assert (line["before"]["taken"], line["before"]["used_bytes"] < line["used_bytes"]) == ("2026-11-20", True)
    api("POST", f"/api/fleets/{fleet}/remove", {"machines": [line["id"]]})
    assert api("GET", f"/api/fleets/{fleet}/machines?text=pc03").get_json()["machines"][0]["name"] == "pc03"


def test_bad_files_are_named_and_the_others_go_on(api, fleet):
    book = io.BytesIO()
    with zipfile.ZipFile(book, "w") as archive:
        archive.writestr("../out.json", "{}")
        archive.writestr("in/pc20.json", base64.b64decode(machine(20)["data"]))
    files = [
        file("empty.txt", ""),
        file("broken.json", "{"),
        file("more.zip", book.getvalue()),
        {"name": "x", "data": "é"},
    ]
    api("POST", f"/api/fleets/{fleet}/files", {"files": files})
    read = finished(api, fleet)
    assert (read["machines"], read["unread"]) == (13, 4)
    problems = {row["name"]: row["problem"] for row in read["troubles"]}
    assert "leads outside" in problems["more.zip/../out.json"]
    assert "did not arrive whole" in problems["x"]


def test_the_mix_asks_which_currency_counts(api, fleet):
    assert api("GET", f"/api/fleets/{fleet}/mix").get_json()["detail"] == "No disk of the shelf has a price"
    csv = "name,size,price,currency,stock\nA,480GB,45,EUR,3\nB,1TB,80,EUR,\nC,2TB,90,GBP,\n"
    api("PUT", "/api/shelf", {"csv": csv})
    api("PUT", f"/api/fleets/{fleet}", {"name": "Branches", "targets": ["A", "B", "C"]})
    finished(api, fleet)
    assert "cannot be added up" in api("GET", f"/api/fleets/{fleet}/mix").get_json()["detail"]
    mix = api("GET", f"/api/fleets/{fleet}/mix?currency=eur").get_json()
    assert {disk["name"]: disk["count"] for disk in mix["disks"]} == {"A": 3, "B": 9}
    assert (mix["total_price"], mix["left_out"]) == (3 * 45_00 + 9 * 80_00, [])


def test_jobs_of_the_chosen_machines(api, fleet):
    lines = api("GET", f"/api/fleets/{fleet}/machines?most=2").get_json()["machines"]
    body = {"machines": [line["id"] for line in lines], "target": 0}
    made = api("POST", f"/api/fleets/{fleet}/jobs", body)
    assert made.status_code == 201
    job = api("GET", f"/api/jobs/{made.get_json()['jobs'][0]}").get_json()
    assert (job["name"], job["machine"], job["target_size"]) == ("pc00 to 480GB", "pc00", "480GB")
    assert job["morph"]["plan"]["verdict"] == lines[0]["verdicts"][0]
    assert api("POST", f"/api/fleets/{fleet}/jobs", {**body, "machines": [10**6]}).status_code == 404


def test_taken_out_as_csv_json_and_sheet(api, fleet):
    text = api("GET", f"/api/fleets/{fleet}/export/csv").get_data(as_text=True)
    assert len(text.splitlines()) == 25
    data = json.loads(api("GET", f"/api/fleets/{fleet}/export/json").get_data())
    assert (len(data["lines"]), data["counts"]["256GB"]["comfortable"]) == (24, 4)
    book = api("GET", f"/api/fleets/{fleet}/export/xlsx").get_data()
    assert openpyxl.load_workbook(io.BytesIO(book)).active.max_row == 25
    assert api("GET", f"/api/fleets/{fleet}/export/pdf").status_code == 422


def test_stopped_and_gone_on_with_even_by_another_server(api, app):
    """Nothing is worked out while it is stopped; what was done stays; a server that starts later goes on."""
    number = api("POST", "/api/fleets", {"name": "Later"}).get_json()["id"]
    api("POST", f"/api/fleets/{number}/files", {"files": [machine(n) for n in range(30)]})
    api("POST", f"/api/fleets/{number}/stop", {"stopped": True})
    stopped = api("PUT", f"/api/fleets/{number}", {"name": "Later", "targets": ["480GB"]}).get_json()
    assert stopped["generation"] == 2
    finished(api, number)
    api("POST", f"/api/fleets/{number}/stop", {"stopped": True})
    connection = connect(services(app).shop.store)
    connection.execute("UPDATE fleet_machine SET generation = 0 WHERE id % 2")
    connection.close()
    read = api("GET", f"/api/fleets/{number}").get_json()
    assert (read["running"], read["stopped"], read["done"]) == (False, True, 15)
    again = create_app(services(app).shop.store).test_client()
    again.post(f"/api/fleets/{number}/stop", json={"stopped": False})
    assert finished(api, number)["done"] == 30


def test_by_processes_it_is_the_same_to_the_byte(api, app):
    """Two processes and none: the same lines."""
    taken = []
    for processes in (1, 2):
        services(app).shop = replace(services(app).shop, fleets=FleetRuns(processes))
        number = api("POST", "/api/fleets", {"name": "Same", "targets": ["480GB", "1TB"], "fits": ["snug", "same"]})
        number = number.get_json()["id"]
        api("POST", f"/api/fleets/{number}/files", {"files": [machine(n) for n in range(200)]})
        finished(api, number, 60)
        taken.append(api("GET", f"/api/fleets/{number}/export/csv").get_data())
    assert taken[0] == taken[1]


def test_a_fleet_goes_with_its_surveys(api, app, fleet):
    assert api("DELETE", f"/api/fleets/{fleet}").status_code == 204
    assert api("GET", f"/api/fleets/{fleet}").status_code == 404
    connection = connect(services(app).shop.store)
    for table in ("fleet", "fleet_machine", "fleet_line", "survey"):
        assert connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0] == 0
    connection.close()


def test_a_damaged_survey_says_so_in_its_line(api, app, fleet):
    connection = connect(services(app).shop.store)
    connection.execute("UPDATE survey SET body = '{\"disk\": 5}' WHERE id = (SELECT min(id) FROM survey)")
    connection.close()
    api("PUT", f"/api/fleets/{fleet}", {"name": "Branches", "targets": ["960GB"]})
    finished(api, fleet)
    (line,) = api("GET", f"/api/fleets/{fleet}/machines?text=pc00").get_json()["machines"]
    assert (line["verdict"], line["reason"]) == (None, "its survey is damaged; take it out and read it again")


def test_results_of_earlier_wishes_are_not_kept(app, api, fleet):
    connection = connect(services(app).shop.store)
    assert fleets.put(connection, fleet, 77, []) is False
    assert fleets.put(connection, 10**6, 1, []) is False
    connection.close()


def test_where_no_process_can_be_started_it_goes_on_alone(api, app, monkeypatch):
    def none(*_args, **_more):
        raise OSError("no more processes")

    monkeypatch.setattr(fleet_runs, "pool", none)
    services(app).shop = replace(services(app).shop, fleets=FleetRuns(2))
    number = api("POST", "/api/fleets", {"name": "Alone", "targets": ["480GB"]}).get_json()["id"]
    api("POST", f"/api/fleets/{number}/files", {"files": [machine(n) for n in range(170)]})
    assert finished(api, number)["done"] == 170


def test_what_broke_off_is_said_once_and_gone_on_with_when_asked(api, app, fleet, monkeypatch):
    with monkeypatch.context() as patch:
        patch.setattr(fleet_runs, "work_out", lambda *_args: 1 / 0)
        api("PUT", f"/api/fleets/{fleet}", {"name": "Branches", "targets": ["1TB"]})
        read = finished(api, fleet)
        assert (read["done"], read["stopped"]) == (0, True)
        assert read["trouble"].startswith("working it out broke off")
    assert finished(api, fleet)["done"] == 0
    api("POST", f"/api/fleets/{fleet}/stop", {"stopped": False})
    assert (finished(api, fleet)["done"], api("GET", f"/api/fleets/{fleet}").get_json()["trouble"]) == (12, "")


PARENT = """
import os, sys, time
from ylemorph.usecases.processes import pool
if __name__ == "__main__":
    workers = pool(1, fresh=False)
    print(workers.submit(os.getpid).result(), flush=True)
    time.sleep(60)
"""


def test_processes_end_with_a_program_that_was_killed(tmp_path):
    (tmp_path / "parent.py").write_text(PARENT)
    parent = subprocess.Popen([sys.executable, str(tmp_path / "parent.py")], stdout=subprocess.PIPE, text=True)
    worker = int(parent.stdout.readline())
    os.kill(worker, 0)
    parent.kill()
    parent.wait()
    parent.stdout.close()
    for _ in range(200):
        if not running(worker):
            return
        time.sleep(0.05)
    raise AssertionError("the process is still there")


def running(number):
    """Whether a process is there and no mere entry of one that ended."""
    try:
        return Path(f"/proc/{number}/stat").read_text().split(")")[1].split()[0] != "Z"
    except OSError:
        return False
