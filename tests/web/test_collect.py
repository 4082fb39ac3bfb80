"""Disks sent from a customer's machine: codes, scripts, what arrives; the Linux script is run for real."""

import json
import os
import pty
import re
import shutil
import subprocess

import pytest

from tests.make import LISTING
from ylemorph.formats.listings.collecting import SCRIPTS, script_text
from ylemorph.store import collecting

TEXT = json.dumps(LISTING)


@pytest.fixture
def code(api, job):
    answer = api("POST", f"/api/jobs/{job['id']}/collect")
    assert answer.status_code == 201
    return answer.get_json()["code"]


def send(api, code, text=TEXT, machine="desk-3"):
    headers = {"Host": "127.0.0.1:8642", "X-Machine": machine}
    return api.client.post(f"/collect/{code}", data=text, content_type="application/json", headers=headers)


def test_the_lines_and_the_scripts(api, job, code):
    given = api("POST", f"/api/jobs/{job['id']}/collect").get_json()
    assert given["reachable"] is False  # this server listens to its own machine alone
    windows, linux = (line["command"] for line in given["commands"])
    assert linux == f"curl -fsS http://127.0.0.1:8642/collect/{given['code']} | sh"
    assert windows == f"irm http://127.0.0.1:8642/collect/{given['code']}.ps1 | iex"
    assert "lsblk --json" in api("GET", f"/collect/{code}").get_data(as_text=True)
    script = api("GET", f"/collect/{code.lower()}.ps1").get_data(as_text=True)
    assert f"$Code = '{code}'" in script
    for system in SCRIPTS:
        text = api("GET", f"/api/collect/{system}").get_data(as_text=True)
        assert text == script_text(system)
        assert re.search("@[A-Z]+@", text) is None


def test_what_is_sent_arrives_once(api, job, code):
    assert send(api, code).get_data(as_text=True) == "Thank you. 2 disks arrived at Ylemorph.\n"
    assert send(api, code).status_code == 404
    arrivals = api("GET", f"/api/jobs/{job['id']}/arrivals").get_json()["arrivals"]
    assert [(item["machine"], len(item["reading"]["found"])) for item in arrivals] == [("desk-3", 2)]
    api("DELETE", f"/api/jobs/{job['id']}/arrivals/{arrivals[0]['id']}")
    assert api("GET", f"/api/jobs/{job['id']}/arrivals").get_json() == {"arrivals": []}


def test_it_is_joined_with_what_is_known_of_the_source(api, job, code, survey):
    disk = json.loads(json.dumps(survey))
    for row in disk["disk"]["partitions"]:
        row["filesystem"] = None
    made = api("POST", "/api/jobs", {"source": disk}).get_json()
    given = api("POST", f"/api/jobs/{made['id']}/collect").get_json()["code"]
    send(api, given, json.dumps(survey))
    reading = api("GET", f"/api/jobs/{made['id']}/arrivals").get_json()["arrivals"][0]["reading"]
    assert reading["found"][0]["survey"]["disk"]["partitions"][2]["filesystem"]["used_bytes"] > 0


@pytest.mark.parametrize("text", ["", "{", "[]", '{"blockdevices": []}', "x" * 10])
def test_what_cannot_be_used_is_said_and_the_code_stays(api, code, text):
    answer = send(api, code, text)
    assert answer.status_code in (400, 422)
    assert answer.mimetype == "application/problem+json"
    assert send(api, code).status_code == 200


def test_codes_end_and_wrong_ones_have_to_wait(api, job, code, monkeypatch):
    now = collecting.time.time()
    monkeypatch.setattr(collecting.time, "time", lambda: now + collecting.MINUTES * 60 + 1)
    assert api("GET", f"/collect/{code}").status_code == 404
    monkeypatch.undo()
    assert [api("GET", "/collect/WRONG").status_code for _ in range(30)][-2:] == [404, 429]
    assert api("GET", f"/collect/{code}").status_code == 429


def test_a_fleet_gets_the_machine(api):
    fleet = api("POST", "/api/fleets", {"targets": ["480GB"]}).get_json()["id"]
    given = api("POST", f"/api/fleets/{fleet}/collect").get_json()["code"]
    assert send(api, given).status_code == 200
    assert api("GET", f"/api/fleets/{fleet}").get_json()["machines"] == 2
    assert send(api, given).status_code == 404


def test_a_code_goes_with_its_job(api, job, code):
    api("DELETE", f"/api/jobs/{job['id']}")
    assert send(api, code).status_code == 404
    assert api("POST", f"/api/jobs/{job['id']}/collect").status_code == 404


# --- the script for Linux --------------------------------------------------------------------------------------------


def run(script, *given, tty=None):
    """The script with this machine's own lsblk; ``tty``: what somebody types where the script can ask."""
    if tty is None:
        return subprocess.run(
            ["setsid", "sh", "-s", "--", *given], input=script, capture_output=True, text=True, timeout=30, check=False
        )
    pid, master = pty.fork()
    if pid == 0:
        os.execlp("sh", "sh", "-c", script, "sh", *given)
    os.write(master, tty.encode())
    said = b""
    try:
        while piece := os.read(master, 4096):
            said += piece
    except OSError:
        pass
    return os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]), said.decode()


needs_lsblk = pytest.mark.skipif(shutil.which("lsblk") is None, reason="lsblk is not here")


@needs_lsblk
def test_the_file_for_a_stick_is_read(tmp_path, monkeypatch, api):
    monkeypatch.chdir(tmp_path)
    ran = run(script_text("linux"), "--file")
    assert ran.returncode == 0, ran.stderr
    written = next(tmp_path.glob("ylemorph-*.json"))
    assert "Drop that file" in ran.stderr
    sent = json.loads(written.read_text())
    assert "blockdevices" in (sent["lsblk"] if os.getuid() == 0 else sent)  # as root more is asked


@needs_lsblk
def test_it_asks_before_it_sends():
    script = script_text("linux", "http://127.0.0.1:9", "CODE")
    status, said = run(script, tty="n\n")
    assert (status, "Nothing was sent." in said) == (1, True)
    status, said = run(script, tty="y\n")
    assert (status, "cannot be reached" in said) == (1, True)
    alone = run(script)
    assert (alone.returncode, "run it with --yes" in alone.stderr) == (1, True)
    assert run(script, "--all").returncode == 2


@needs_lsblk
def test_a_part_of_the_script_does_nothing(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    whole = script_text("linux")
    for share in (0.3, 0.6, 0.9):
        run(whole[: int(len(whole) * share)], "--file")
    assert list(tmp_path.iterdir()) == []
