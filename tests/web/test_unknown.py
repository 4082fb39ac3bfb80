"""Whoever is not known costs nothing, and nobody gets in who should not: found by attack, each mended here."""

import json
import os
import threading
import tracemalloc

import pytest

from tests.web.test_collect import send
from tests.web.test_network import PASSWORD, Browser, network  # noqa: F401  # a fixture
from ylemorph.store import collecting
from ylemorph.usecases import people
from ylemorph.web.edge import attempts, limits
from ylemorph.web.edge.attempts import Attempts, TooOften
from ylemorph.web.edge.identity import COOKIE
from ylemorph.web.edge.live import ENDED
from ylemorph.web.edge.services import services

MANY = "[" + "[]," * 5_000_000 + "[]]"  # 16 MB of lists


def raw(browser, path, text, **headers):
    return browser.client.post(
        path, data=text, content_type="application/json", headers={"Host": "127.0.0.1:8642", **headers}
    )


def test_what_somebody_unknown_sends_is_not_even_read(network):  # noqa: F811
    stranger, seen = Browser(network), []
    network.before_request_funcs[None].append(lambda: seen.append(1))
    tracemalloc.start()
    for path in ("/api/jobs", "/api/plan", "/api/people", "/api/jobs-file"):
        assert raw(stranger, path, MANY).status_code == 413
        assert raw(stranger, path, "[" * limits.SMALL_BODY).status_code == 401
    assert raw(stranger, "/api/session", MANY).status_code == 413
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert peak < 120_000_000  # the text itself and the test client's copies of it; 420 MB more when it was parsed
    assert not seen


def test_a_known_one_sends_a_bounded_number_of_values(network):  # noqa: F811
    bench = Browser(network, "Bench")
    for text, status in (
        (MANY, 413), ("[" + "1," * limits.MOST_VALUES + "1]", 413), ("[" * 101 + "]" * 101, 400),
        ("[" * 100 + "]" * 100, 422), (json.dumps({"source": {"x": [0] * 10_000}}), 422),
    ):  # fmt: skip
        answer = raw(bench, "/api/jobs", text, **{"X-Ylemorph-Token": bench.token})
        assert answer.status_code == status, text[:20]
        assert answer.mimetype == "application/problem+json"


def test_sixty_tries_at_once_are_five(network, monkeypatch):  # noqa: F811
    looked = []
    own = people.sign_in
    monkeypatch.setattr(people, "sign_in", lambda *given, **more: looked.append(1) or own(*given, **more))
    statuses = []

    def guess(n):
        name = ("Bench", " bench ", "BENCH", "ｂench")[n % 4] + " " * (n % 7)
        answer = Browser(network)("POST", "/api/session", {"name": name, "password": f"not this {n}"})
        statuses.append(answer.status_code)

    threads = [threading.Thread(target=guess, args=(n,)) for n in range(60)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert (len(looked), statuses.count(401), statuses.count(429)) == (5, 5, 55)


def test_a_known_browser_is_not_locked_out_from_elsewhere(network):  # noqa: F811
    known = Browser(network, "Bench")
    elsewhere = Browser(network)
    for _ in range(7):
        elsewhere("POST", "/api/session", {"name": "Bench", "password": "not this one"})
    right = {"name": "Bench", "password": PASSWORD}
    assert elsewhere("POST", "/api/session", right).status_code == 429
    known.client.delete_cookie(COOKIE, domain="127.0.0.1")  # its session ended; it was signed in before
    assert known("POST", "/api/session", right).status_code == 200
    wrong = {"name": "Bench", "password": "not this one"}
    assert [known("POST", "/api/session", wrong).status_code for _ in range(6)] == [401] * 5 + [429]
    assert known("POST", "/api/session", {"name": "Look", "password": PASSWORD}).status_code == 200


def test_right_ones_cost_nothing_and_wrong_ones_their_address():
    counted = Attempts()
    for _ in range(3 * attempts.BY_ADDRESS.amount):
        with counted.one("Mara Quill", "192.0.2.1"):
            pass
    for n in range(attempts.BY_ADDRESS.amount):
        with pytest.raises(LookupError), counted.one(f"name {n}", "192.0.2.1"):
            raise LookupError  # it was wrong
    with pytest.raises(TooOften), counted.one("another", "192.0.2.1"):
        pass
    with counted.one("another", "192.0.2.2"):
        pass


def test_ones_own_password(network):  # noqa: F811
    here, there, new = Browser(network, "Bench"), Browser(network, "Bench"), "copper kettle on a ledge"

    def change(present, password):
        return here("POST", "/api/session/password", {"present": present, "password": password})

    assert (change("not this one", new).status_code, change(PASSWORD, "short").status_code) == (422, 422)
    assert there("GET", "/api/jobs").status_code == 200
    changed = change(PASSWORD, new)
    assert changed.status_code == 200
    here.token = changed.get_json()["token"]
    assert here("POST", "/api/jobs", {"name": "Desk"}).status_code == 201
    assert there("GET", "/api/jobs").status_code == 401
    assert Browser(network, "Bench", new)("GET", "/api/jobs").status_code == 200
    assert [change("wrong again", new).status_code for _ in range(6)][-1] == 429
    assert Browser(network)("POST", "/api/session/password", {"present": new, "password": PASSWORD}).status_code == 401


def test_signing_in_again_ends_the_old_session(network):  # noqa: F811
    browser = Browser(network, "Bench")
    old = browser.client.get_cookie(COOKIE, domain="127.0.0.1").value
    browser("POST", "/api/session", {"name": "Bench", "password": PASSWORD})
    browser.client.set_cookie(COOKIE, old, domain="127.0.0.1")
    assert browser("GET", "/api/jobs").status_code == 401


def test_a_refused_change_of_a_person_changes_nothing(network):  # noqa: F811
    workshop = Browser(network, "Workshop")
    look = next(p for p in workshop("GET", "/api/people").get_json()["people"] if p["name"] == "Look")
    refused = workshop("POST", f"/api/people/{look['id']}", {"role": "workshop", "password": "short"})
    assert refused.status_code == 422
    assert {p["name"]: p["role"] for p in workshop("GET", "/api/people").get_json()["people"]}["Look"] == "look"


def test_streams_end_with_their_right(network, monkeypatch):  # noqa: F811
    monkeypatch.setattr("ylemorph.web.edge.live.BEAT_SECONDS", -1)
    monkeypatch.setattr("ylemorph.web.edge.live.LOOK_SECONDS", 0.001)
    look = Browser(network, "Look")
    answer = look.client.get("/api/events", headers={"Host": "127.0.0.1:8642"})
    given = iter(answer.response)
    assert b":\n\n" in [next(given) for _ in range(4)]
    workshop = Browser(network, "Workshop")
    own = next(p for p in workshop("GET", "/api/people").get_json()["people"] if p["name"] == "Look")
    services(network).hub.drop = lambda _mark=None: None  # as if it were removed by another program
    assert workshop("DELETE", f"/api/people/{own['id']}").status_code == 204
    assert ENDED in list(given)


# --- jobs from a file -------------------------------------------------------------------------------------------------


def test_only_the_workshop_brings_jobs_and_they_say_who(network):  # noqa: F811
    bench, workshop = Browser(network, "Bench"), Browser(network, "Workshop")
    job = bench("POST", "/api/jobs", {"name": "Desk"}).get_json()
    taken = json.loads(bench("GET", "/api/jobs-file").get_data())
    taken["jobs"][0]["revisions"][0]["made_by"] = "Somebody Else"
    assert bench("POST", "/api/jobs-file", {"bundle": taken}).status_code == 403
    made = workshop("POST", "/api/jobs-file", {"bundle": taken}).get_json()["jobs"][0]
    entry = workshop("GET", f"/api/jobs/{made}/history").get_json()["revisions"][0]
    assert entry["made_by"] == "Somebody Else (imported by Workshop)"
    doubled = bench("POST", f"/api/jobs/{job['id']}/copy").get_json()["id"]
    assert bench("GET", f"/api/jobs/{doubled}/history").get_json()["revisions"][0]["made_by"] == "Bench"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda job: job["revisions"][0].update(name="x" * 201), "more than 200 characters"),
        (lambda job: job["revisions"][0].update(note="x" * 10_001), "more than 10000 characters"),
        (lambda job: job["revisions"][0].update(sentence="x" * 2_001), "more than 2000"),
        (lambda job: job["revisions"][0].update(number=2**70), "none that belongs there"),
        (lambda job: job["revisions"][0].update(target_sector=7), "none that belongs there"),
        (lambda job: job.pop("version"), "is missing"), (lambda job: job.update(revisions=5), "form is off"),
        (lambda job: job.update(revisions=job["revisions"] * 20_001), "more than 20000 entries"),
    ],
)  # fmt: skip
def test_jobs_of_a_file_keep_our_own_limits_and_are_refused_in_our_words(api, job, change, words):
    taken = json.loads(api("GET", "/api/jobs-file").get_data())
    change(taken["jobs"][0])
    answer = api("POST", "/api/jobs-file", {"bundle": taken})
    assert answer.status_code == 422
    assert words in answer.get_json()["detail"]
    assert not {"Error", "constraint", "sqlite"} & set(answer.get_json()["detail"].replace(":", " ").split())
    assert len(api("GET", "/api/jobs").get_json()["jobs"]) == 1


def test_a_deleted_job_is_brought_back_once(api, job):
    before = api("GET", f"/api/jobs/{job['id']}").get_json()
    api("DELETE", f"/api/jobs/{job['id']}")
    back = api("POST", f"/api/jobs/{job['id']}/back")
    assert back.status_code == 201
    assert {**back.get_json(), "id": 0} == {**before, "id": 0}
    assert api("POST", f"/api/jobs/{job['id']}/back").status_code == 404


@pytest.mark.parametrize("number", ["9" * 16, str(2**63 - 1), str(2**63), "9" * 5000, "1,,2", ",", "1," * 3000])
def test_numbers_of_jobs_that_are_none(api, number):
    assert api("GET", f"/api/jobs-file?jobs={number}").status_code == 422


def test_the_history_of_no_job(api):
    for path in ("/api/jobs/999999/history", "/api/jobs/999999/history?before=3"):
        assert api("GET", path).status_code == 404


def test_options_names_what_there_is(api):
    for path, methods in (
        ("/api/jobs", {"GET", "HEAD", "POST"}), ("/api/jobs/1/changes", {"POST"}), ("/api/plan", {"POST"}),
        ("/api/jobs/1", {"GET", "HEAD", "DELETE"}), ("/api/session", {"GET", "HEAD", "POST", "DELETE"}),
    ):  # fmt: skip
        answer = api("OPTIONS", path)
        assert set(answer.headers["Allow"].split(", ")) == methods | {"OPTIONS"}, path


# --- what a code lets in ----------------------------------------------------------------------------------------------


def listing(count):
    disks = [{"name": f"sd{n}", "type": "disk", "size": 10**11, "pttype": "gpt"} for n in range(count)]
    return json.dumps({"blockdevices": disks})


def test_an_arrival_has_the_disks_of_one_machine_and_is_read_once(api, job, monkeypatch):
    code = api("POST", f"/api/jobs/{job['id']}/collect").get_json()["code"]
    refused = send(api, code, listing(collecting.MOST_DISKS + 1))
    assert refused.status_code == 422
    assert "65 disks are more" in refused.get_json()["detail"]
    reads = []
    from ylemorph.usecases import collecting as use_case

    own = use_case.read_any
    monkeypatch.setattr(use_case, "read_any", lambda body: reads.append(1) or own(body))
    assert send(api, code, listing(collecting.MOST_DISKS)).status_code == 200
    for _ in range(3):
        arrivals = api("GET", f"/api/jobs/{job['id']}/arrivals").get_json()["arrivals"]
        assert len(arrivals[0]["reading"]["found"]) == collecting.MOST_DISKS
    assert len(reads) == 1


def test_a_fleet_gets_one_machine_or_nothing(api):
    fleet = api("POST", "/api/fleets", {"targets": ["480GB"]}).get_json()["id"]
    code = api("POST", f"/api/fleets/{fleet}/collect").get_json()["code"]
    assert send(api, code, listing(collecting.MOST_DISKS + 1)).status_code == 422
    assert api("GET", f"/api/fleets/{fleet}").get_json()["machines"] == 0
    assert send(api, code, listing(2)).status_code == 200


def test_bodies_that_cannot_be_read_count_as_tries(api, job):
    code = api("POST", f"/api/jobs/{job['id']}/collect").get_json()["code"]
    statuses = [send(api, code, "{").status_code for _ in range(attempts.BY_CODE.amount + 1)]
    assert statuses[-1] == 429
    assert set(statuses[:-1]) <= {400, 422}


def test_a_link_that_is_exchanged_while_it_is_followed(api, monkeypatch, tmp_path):
    from pathlib import Path

    services(api.client.application).shop.readings.folders = (tmp_path,)

    def gone(_path):
        raise OSError(40, "Too many levels of symbolic links")

    monkeypatch.setattr(os.path, "realpath", gone)
    answer = api("POST", "/api/readings", {"path": str(Path(tmp_path) / "x")})
    assert answer.status_code == 403
    assert "leads nowhere" in answer.get_json()["detail"]
