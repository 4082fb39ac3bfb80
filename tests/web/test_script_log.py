"""The script's log over HTTP and on the command line: the record is as the log says, of another plan it is refused."""

import json

import pytest

from tests.formats.own.test_run_log import TABLE
from ylemorph.cli import main

HOST = {"Host": "127.0.0.1:8642"}


def carry(api, job):
    return api("GET", f"/api/jobs/{job['id']}/carry").get_json()


def plan_of(api, job, form="clone.sh"):
    script = api("GET", f"/api/jobs/{job['id']}/hand-over/{form}").get_data(as_text=True)
    return script.split(" PLAN=")[1].split()[0]


def line(event, step=None, minute=0, **more):
    return json.dumps(
        {"format": "ylemorph.log/1", "at": f"2026-11-28T06:{minute:02}:00Z", "event": event, "step": step, "bytes": 0,
         "of": 0, "seconds": 0, "say": "", **more}
    )  # fmt: skip


def whole(plan, steps, *, found=True):
    lines = [line("begin", plan=plan, steps=steps)]
    for step in range(1, steps + 1):
        lines += [line("step", step, step), line("done", step, step + 1, seconds=60 + step)]
    if found:
        lines += [line("end", minute=59), line("found", minute=59, bytes=104_857_600, sfdisk=TABLE, blkid=[])]
    return "".join(f"{one}\n" for one in lines)


def give(api, job, text):
    return api("POST", f"/api/jobs/{job['id']}/log", {"text": text})


def test_a_log_fills_the_record_with_its_times_and_opens_check_back(api, job):
    answer = give(api, job, whole(plan_of(api, job), 8))
    assert answer.status_code == 200
    assert answer.get_json() == {
        "sentence": "8 of 8 steps are done by the log, the finished disk came along with it.",
        "found": True,
    }
    run = carry(api, job)["run"]
    assert [(event["step"], event["what"], event["seconds"]) for event in run["events"]] == [
        (step, "done", 60 + step) for step in range(1, 9)
    ]
    assert (run["ended_at"], run["step"]) == ("2026-11-28T06:59:00Z", None)
    checked = api("GET", f"/api/jobs/{job['id']}/check").get_json()
    assert len(checked["checks"]) == 1
    give(api, job, whole(plan_of(api, job), 8))  # given again, the finished disk stands there once
    assert len(api("GET", f"/api/jobs/{job['id']}/check").get_json()["checks"]) == 1


def test_a_failure_opens_what_follows_a_failure(api, job):
    plan = plan_of(api, job)
    text = whole(plan, 3, found=False) + line("step", 4) + "\n"
    give(api, job, text + line("failed", 4, say="/dev/sdb cannot be written") + "\n")
    failure = carry(api, job)["run"]["failure"]
    assert (failure["step"], failure["reason"], failure["note"]) == (4, "no-room", "/dev/sdb cannot be written")
    give(api, job, text + line("failed", 4, say="what was written reads back as something else") + "\n")
    assert carry(api, job)["run"]["failure"]["reason"] == "program-error"


def test_the_log_of_another_plan_is_refused_and_nothing_changes(api, job):
    refused = give(api, job, whole("0" * 32, 8))
    assert refused.status_code == 422
    assert "another plan" in refused.get_json()["detail"]
    assert carry(api, job)["run"] is None
    assert give(api, job, "no log").status_code == 422


def test_a_damaged_log_is_taken_up_to_there_and_says_so(api, job):
    lines = whole(plan_of(api, job), 8).splitlines()
    lines[5] = lines[5][:-4]
    said = give(api, job, "\n".join(lines)).get_json()["sentence"]
    assert said.startswith("2 of 8 steps are done by the log, line 6 cannot be read")


@pytest.fixture
def address(api, job):
    given = api("POST", f"/api/jobs/{job['id']}/tell")
    assert given.status_code == 201
    return given.get_json()["address"].removeprefix("http://127.0.0.1:8642")


def tell(api, address, lines, first):
    return api.client.post(f"{address}?from={first}", data="\n".join(lines) + "\n", headers=HOST)


def test_what_a_script_tells_moves_the_record_as_it_comes(api, job, address):
    lines = whole(plan_of(api, job), 8).splitlines()
    assert tell(api, address, lines[:4], 0).status_code == 204
    assert carry(api, job)["run"]["step"] == 2
    moving = line("progress", 2, 3, bytes=250, of=1000, seconds=60, say="copied")
    assert tell(api, address, [moving], 4).status_code == 204
    run = carry(api, job)["run"]
    assert run["progress"] == {
        "step": 2, "word": "copied", "percent": 25, "bytes": 250, "of": 1000, "so_far": "1 min", "left": "3 min",
    }  # fmt: skip
    # The same lines again, since the answer was lost, and those that follow: each is taken once.
    assert tell(api, address, [moving, *lines[4:9]], 4).status_code == 204
    run = carry(api, job)["run"]
    assert ([event["step"] for event in run["events"]], run["progress"]) == ([1, 2, 3, 4], None)
    assert tell(api, address, lines[9:], 10).status_code == 204
    assert carry(api, job)["run"]["step"] is None
    assert len(api("GET", f"/api/jobs/{job['id']}/check").get_json()["checks"]) == 1
    assert tell(api, address, lines[9:], 10).status_code == 404  # after its end the code is good for nothing


def test_a_code_to_tell_under_is_for_one_run_of_one_job_and_for_nothing_else(api, job, address):
    lines = whole(plan_of(api, job), 8).splitlines()
    assert api.client.post(address.removesuffix("/log"), data="listing", headers=HOST).status_code == 404
    disks = api("POST", f"/api/jobs/{job['id']}/collect").get_json()["code"]
    assert tell(api, f"/collect/{disks}/log", lines, 0).status_code == 404
    assert tell(api, "/collect/ABCDEFGHJK/log", lines, 0).status_code == 404
    assert tell(api, address, lines[:2], 3).status_code == 422  # what stands before was never sent
    assert tell(api, address, lines[:2], "x").status_code == 422
    other = whole("0" * 32, 8).splitlines()
    assert tell(api, address, other, 0).status_code == 422
    assert carry(api, job)["run"] is None
    assert tell(api, address, lines[:4], 0).status_code == 204  # a wrong log did not use the code up


def test_a_record_that_somebody_keeps_ends_where_the_script_is_at_work(api, job, address):
    api("POST", f"/api/jobs/{job['id']}/record", {"what": "begin"})
    tell(api, address, whole(plan_of(api, job), 8).splitlines()[:4], 0)
    assert carry(api, job)["run"]["step"] == 2


def test_the_command_line_finds_the_job_by_its_plan(api, job, survey, tmp_path, capsys):
    log = tmp_path / "clone.sh.log"
    log.write_text(whole(plan_of(api, job), 8))
    assert main(["record", str(log), "--data", str(tmp_path)]) == 0
    assert capsys.readouterr().out == (
        f"Job {job['id']}: 8 of 8 steps are done by the log, the finished disk came along with it.\n"
    )
    assert carry(api, job)["run"]["step"] is None
    log.write_text(whole("0" * 32, 8))
    assert main(["record", str(log), "--data", str(tmp_path)]) == 2
    assert "no open job has this plan" in capsys.readouterr().err
    body = {"name": "The same again", "source": survey, "target": {"nominal": "480GB"}}
    twin = api("POST", "/api/jobs", body).get_json()
    log.write_text(whole(plan_of(api, twin), 8))
    assert main(["record", str(log), "--data", str(tmp_path)]) == 2
    assert "name the job with --job" in capsys.readouterr().err
    assert main(["record", str(log), "--data", str(tmp_path), "--job", str(twin["id"])]) == 0
    assert main(["record", str(log), "--data", str(tmp_path), "--job", "999"]) == 2
