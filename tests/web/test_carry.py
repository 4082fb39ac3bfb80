"""The stage Carry out over HTTP."""

import json
import threading
import time
from datetime import UTC, datetime, timedelta

import pytest

from tests.real.volumes import present
from ylemorph.core.carry.times import time_range
from ylemorph.formats.own.steps_read import read_steps
from ylemorph.stand_ins.practice import Practice
from ylemorph.store import runs
from ylemorph.web.carry.routes import HAND_OVER
from ylemorph.web.edge.services import services


def carry(api, job):
    answer = api("GET", f"/api/jobs/{job['id']}/carry")
    assert answer.status_code == 200
    return answer.get_json()


def record(api, job, **body):
    return api("POST", f"/api/jobs/{job['id']}/record", body)


def change(api, job, **body):
    return api("POST", f"/api/jobs/{job['id']}/changes", body)


def test_the_stage_says_what_the_command_line_says(api, job):
    data = carry(api, job)
    assert data["headline"].startswith("Straight across · 8 steps")
    assert data["headline"].endswith("rehearsed: nothing lost")
    assert len(data["film"]) == 9
    assert [way["key"] for way in data["steps"]["ways"] if way["possible"]] == [
        "straight",
        "shrink-first",
        "through-image",
    ]
    assert (data["run"], data["trouble"]) == (None, None)


def test_without_a_target_it_says_what_is_missing(api, survey):
    made = api("POST", "/api/jobs", {"source": survey}).get_json()
    data = carry(api, made)
    assert data["steps"] is None
    assert data["trouble"]["mend"] == "go to the stage Source or Target"
    assert record(api, made, what="begin").status_code == 422


def test_an_answer_changes_the_ways_and_can_be_undone(api, job):
    question = next(q for q in carry(api, job)["questions"] if q["fact"] == "workspace")
    assert (question["answer"], question["decides"], question["kind"]) == ("", True, "size")
    assert change(api, job, kind="fact", fact="workspace", value="96 GiB").status_code == 200
    image = carry(api, job)["steps"]["ways"][2]
    assert (image["possible"], image["why"]) == (False, "Needs 228 GiB of workspace, 96 GiB free")
    refused = change(api, job, kind="way", way="through-image")
    assert refused.status_code == 422
    assert "is not possible: needs 228 GiB" in refused.get_json()["detail"]
    api("POST", f"/api/jobs/{job['id']}/undo")
    assert carry(api, job)["steps"]["ways"][2]["possible"]
    assert change(api, job, kind="way", way="through-image").status_code == 200
    assert carry(api, job)["steps"]["way"] == "through-image"


def test_a_chosen_way_that_became_impossible_gives_way_to_the_proposed_one(api, job):
    change(api, job, kind="way", way="shrink-first")
    change(api, job, kind="fact", fact="change_source", value="no")
    data = carry(api, job)
    assert data["steps"]["way"] == data["steps"]["proposed"] == "straight"


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({"kind": "fact", "fact": "weather", "value": "fine"}, "fact"),
        ({"kind": "fact", "fact": "backup", "value": "maybe"}, "facts.backup"),
        ({"kind": "fact", "fact": "workspace", "value": "lots"}, "facts.workspace"),
        ({"kind": "fact", "value": "yes"}, "fact"),
        ({"kind": "way", "way": "teleport"}, "way"),
        ({"kind": "way", "way": "files"}, "way"),
    ],
)
def test_a_fact_or_way_that_cannot_be_is_said_beside_its_field(api, job, body, at):
    answer = change(api, job, **body)
    assert answer.status_code == 422
    assert answer.get_json()["at"] == at


def test_ticks_and_the_record_are_kept(api, job):
    api("POST", f"/api/jobs/{job['id']}/ticks", {"item": "backup", "on": True})
    assert record(api, job, what="begin").get_json()["run"]["step"] == 1
    run = record(api, job, what="done", step=1).get_json()["run"]
    assert (run["step"], run["way_name"], run["events"][0]["what"]) == (2, "Straight across", "done")
    assert list(carry(api, job)["ticks"]) == ["backup"]
    line = api("GET", "/api/jobs").get_json()["jobs"][0]
    assert (line["stage"], line["at_step"], line["of_steps"]) == ("carry", 2, 8)
    for step in range(2, 9):
        record(api, job, what="done", step=step)
    assert carry(api, job)["run"]["ended_at"]
    assert api("GET", "/api/jobs").get_json()["jobs"][0]["at_step"] is None


def test_the_present_step_has_its_time_so_far_and_left(api, job, monkeypatch):
    begun = datetime(2026, 3, 2, 9, 0, tzinfo=UTC)
    monkeypatch.setattr(runs, "now", begun.isoformat)
    first = record(api, job, what="begin").get_json()["run"]["present"]
    assert (first["step"], first["so_far"], first["failed_before"]) == (1, "0 s", 0)
    for step in (1, 2, 3, 4):
        record(api, job, what="done", step=step)
    monkeypatch.setattr(runs, "now", (begun + timedelta(minutes=2)).isoformat)
    copying = carry(api, job)["run"]["present"]
    step = carry(api, job)["steps"]["steps"][4]
    assert (copying["step"], copying["say"], copying["so_far"]) == (5, step["say"], "2 min")
    low, high = step["seconds"]
    assert copying["left"] == time_range((low - 120, high - 120))
    failed = record(api, job, what="failed", step=5, reason="stopped").get_json()["run"]
    assert failed["present"] is None
    again = record(api, job, what="again", step=5).get_json()["run"]["present"]
    assert (again["so_far"], again["failed_before"]) == ("0 s", 1)
    monkeypatch.setattr(runs, "now", (begun + timedelta(hours=30)).isoformat)
    assert carry(api, job)["run"]["present"]["left"] == ""
    change(api, job, kind="fit", fit="snug")
    assert carry(api, job)["run"]["present"] is None


def test_a_failure_is_answered_with_what_leads_on(api, job):
    record(api, job, what="begin")
    for step in (1, 2, 3, 4):
        record(api, job, what="done", step=step)
    failed = record(api, job, what="failed", step=5, reason="read-error", note="sector 812").get_json()["run"][
        "failure"
    ]
    assert (failed["step"], failed["words"], failed["again_from"]) == (5, "A read error", 5)
    assert failed["states"][0] == "Brindle K4: as it was."
    first = failed["ways_out"][0]
    assert change(api, job, **first["change"]).status_code == 200
    record(api, job, what="end")
    data = carry(api, job)
    assert data["steps"]["way"] == "through-image"
    assert data["steps"]["steps"][0]["kind"] == "read"


def test_a_record_says_when_the_plan_was_changed_meanwhile(api, job):
    record(api, job, what="begin")
    record(api, job, what="failed", step=1, reason="stopped")
    change(api, job, kind="fit", fit="snug")
    run = carry(api, job)["run"]
    assert run["plan_changed"]
    assert "end this record" in run["failure"]["again"]


@pytest.mark.parametrize(
    "body",
    [
        {"what": "done", "step": 1}, {"what": "done"}, {"what": "failed", "step": 1}, {"what": "dance"},
        {"what": "failed", "step": 1, "reason": "bored"}, {"what": "back"}, {"what": "end"},
        {"what": "done", "step": -1},
        {"what": "begin", "extra": 1}, {}, {"what": "done", "step": "1"},
    ],
)  # fmt: skip
def test_a_record_that_cannot_be_is_refused(api, job, body):
    answer = record(api, job, **body)
    assert answer.status_code == 422
    assert answer.get_json()["detail"]
    assert carry(api, job)["run"] is None


def test_what_is_handed_over_is_what_it_says(api, job):
    files = {form: api("GET", f"/api/jobs/{job['id']}/hand-over/{form}") for form in HAND_OVER}
    for form, answer in files.items():
        assert answer.status_code == 200, form
        assert answer.headers["Content-Disposition"] == f'attachment; filename="job-{job["id"]}-{form}"'
    assert files["sheet.pdf"].data.startswith(b"%PDF-")
    assert files["clone.sh"].data.startswith(b"#!/bin/sh\n")
    assert b"label: gpt" in files["table.sfdisk"].data
    assert read_steps(files["steps.json"].data).way == "straight"
    assert json.loads(files["plan.json"].data)["format"] == "ylemorph.plan/1"
    assert files["plan.csv"].data.startswith(b"number,label")
    assert b"<svg" in files["morph.svg"].data
    assert api("GET", f"/api/jobs/{job['id']}/hand-over/shadow").status_code == 422
    assert api("GET", "/api/jobs/999/hand-over/sheet.pdf").status_code == 404


def test_a_plan_that_does_not_fit_hands_nothing_over_that_would_need_it(api, job):
    change(api, job, kind="target", target={"nominal": "120GB"})
    for form in ("clone.sh", "table.sfdisk"):
        answer = api("GET", f"/api/jobs/{job['id']}/hand-over/{form}")
        assert answer.status_code == 422
        assert answer.get_json()["mend"] == "mend the plan first"
    assert api("GET", f"/api/jobs/{job['id']}/hand-over/sheet.pdf").status_code == 200


def test_time_stands_beside_the_verdict_and_in_the_comparison(api, job):
    read = api("GET", f"/api/jobs/{job['id']}").get_json()
    assert read["morph"]["outlook"].endswith(": 228 GiB to copy")
    compared = api("GET", f"/api/jobs/{job['id']}/compare?second=same").get_json()
    assert compared["first"]["time"]
    assert compared["second"]["time"] == ""


def test_what_the_bench_says_is_filled_in(api):
    for key in ("desk", "blank"):
        api("POST", f"/api/bench/{key}/attach")
    surveys = [api("POST", f"/api/bench/{key}/read").get_json() for key in ("desk", "blank")]
    made = api("POST", "/api/jobs", {"source": surveys[0], "target": surveys[1]}).get_json()
    question = next(q for q in carry(api, made)["questions"] if q["fact"] == "both_attached")
    assert (question["answer"], question["said_by"]) == ("yes", "the bench")


# --- practice on the bench --------------------------------------------------------------------------------------------


@pytest.fixture
def on_bench(api):
    for key in ("desk", "blank"):
        api("POST", f"/api/bench/{key}/attach")
    surveys = [api("POST", f"/api/bench/{key}/read").get_json() for key in ("desk", "blank")]
    return api("POST", "/api/jobs", {"source": surveys[0], "target": surveys[1]}).get_json()


def until(api, url, state):
    for _ in range(300):
        data = api("GET", url).get_json()
        if data["state"] == state:
            return data
        time.sleep(0.05)
    raise AssertionError(data)


@pytest.mark.skipif(not present("mkfs.ntfs", "mkfs.fat"), reason="mkfs.ntfs and mkfs.fat are needed")
def test_the_bench_carries_a_job_out_and_the_record_goes_along(api, on_bench):
    url = f"/api/jobs/{on_bench['id']}/practice"
    assert api("GET", url).get_json()["why_not"] == ""
    assert api("POST", url, {"fault": "none", "pace": 0}).status_code == 200
    assert until(api, url, "done")["step"] == 8
    run = carry(api, on_bench)["run"]
    assert (run["step"], len(run["events"])) == (None, 8)
    found = api("POST", "/api/bench/blank/read").get_json()
    checked = api("POST", f"/api/jobs/{on_bench['id']}/check", {"survey": found}).get_json()
    assert (checked["as_planned"], checked["differences"]) == (True, [])


def test_the_bench_is_stopped_and_does_one_thing_at_a_time(api, on_bench):
    url = f"/api/jobs/{on_bench['id']}/practice"
    assert api("POST", url, {"pace": 60}).get_json()["state"] == "running"
    twice = api("POST", url, {"pace": 60})
    assert (twice.status_code, twice.get_json()["mend"]) == (422, "wait for it, or stop it")
    assert api("DELETE", url).status_code == 200
    assert until(api, url, "stopped")["step"] == 1


def test_a_backup_that_is_put_back_knows_no_practice(api, on_bench):
    """Its jobs go by the same numbers as those that were practised."""
    url = f"/api/jobs/{on_bench['id']}/practice"
    kept = api("POST", "/api/backups").get_json()["backups"][0]["name"]
    assert api("POST", url, {"pace": 60}).get_json()["state"] == "running"
    assert api("POST", f"/api/backups/{kept}/restore").status_code == 200
    assert api("GET", url).get_json()["state"] is None
    for _ in range(100):  # the disk is free when the step that was at work has ended
        again = api("POST", url, {"pace": 60})
        if again.status_code == 200:
            break
        assert again.get_json()["mend"] == "wait for it, or stop it"
        time.sleep(0.05)
    assert again.get_json()["state"] == "running"


def test_what_a_forgotten_practice_still_does_goes_into_no_record_and_keeps_its_disk(app, api, on_bench, monkeypatch):
    """Cut off while it is at a step: the step ends, and until then nobody else works on its disk."""
    at_step, go_on = threading.Event(), threading.Event()

    def run(practice, begun, done):
        begun(1, practice.sequence.steps[0])
        at_step.set()
        go_on.wait(20)
        done(1, practice.sequence.steps[0])

    monkeypatch.setattr(Practice, "run", run)
    url = f"/api/jobs/{on_bench['id']}/practice"
    assert api("POST", url, {"pace": 0}).status_code == 200
    assert at_step.wait(20)
    practice = services(app).shop.practices.get(on_bench["id"])
    services(app).forget()
    assert api("POST", url, {"pace": 0}).status_code == 422
    go_on.set()
    for _ in range(300):
        if practice.state != "running":
            break
        time.sleep(0.05)
    assert practice.state == "done"
    assert carry(api, on_bench)["run"]["events"] == []


def test_a_job_without_a_disk_on_the_bench_cannot_be_practised(api, job):
    url = f"/api/jobs/{job['id']}/practice"
    assert "no disk on the bench" in api("GET", url).get_json()["why_not"]
    assert api("POST", url, {}).status_code == 404
    assert api("DELETE", url).status_code == 404
    assert api("POST", url, {"fault": "fire"}).status_code == 422


def test_a_label_opens_the_job_where_this_server_is_reached(api, job):
    answer = api("GET", f"/api/jobs/{job['id']}/hand-over/labels.pdf")
    assert answer.data.startswith(b"%PDF-")
    assert "job-1-labels.pdf" in answer.headers["Content-Disposition"]
