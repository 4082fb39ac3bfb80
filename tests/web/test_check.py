"""The stage Check back over HTTP: readings of the finished disk, and the end of a job."""

import json

import pytest

from tests.core.checkback.test_compare import change as otherwise
from tests.core.checkback.test_compare import finished, of, without
from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.web.edge.services import services

PLAN = make_plan(desk(model="Brindle K4", serial="BK4-00731"), nominal_disk(480 * GB), Options())
WHOLE = finished(PLAN)


def sent(disk, *, sure=False):
    return {"survey": json.loads(json.dumps(survey_to_data(Survey(disk)))), "sure": sure}


def check(api, job, disk, **more):
    return api("POST", f"/api/jobs/{job['id']}/check", sent(disk, **more))


def test_before_the_first_reading_the_plan_is_shown(api, job):
    data = api("GET", f"/api/jobs/{job['id']}/check").get_json()
    assert (data["checks"], data["as_planned"], data["trouble"]) == ([], None, None)
    assert [row["label"] for row in data["rows"]] == ["1 Start", "2 Reserved", "3 Desk", "4 Catalogue", "5 Recovery"]
    assert all(row["found"] is None and row["codes"] == [] for row in data["rows"])


def test_readings_are_kept_with_their_time_and_compared(api, job):
    first = check(api, job, otherwise(WHOLE, 4, sectors=of(WHOLE, 4).sectors // 2, fs_size_bytes=100 * GiB)).get_json()
    assert first["as_planned"] is False
    wrong = next(one for one in first["differences"] if one["code"] == "size-off")
    assert [figure["word"] for figure in wrong["figures"]] == ["New size", "Add"]
    assert wrong["figures"][0]["sectors"] == of(WHOLE, 4).sectors
    second = check(api, job, WHOLE).get_json()
    assert (second["as_planned"], len(second["checks"])) == (True, 2)
    again = api("GET", f"/api/jobs/{job['id']}/check?number={first['number']}").get_json()
    assert again["differences"] == first["differences"]
    missing = check(api, job, without(WHOLE, 5)).get_json()
    assert [(row["label"], row["found"]) for row in missing["rows"] if row["codes"]] == [("5 Recovery", None)]


@pytest.mark.parametrize(
    ("found", "body", "status"),
    [
        (without(WHOLE, 4), {"result": "done"}, 422),
        (without(WHOLE, 4), {"result": "done", "sure": True}, 200),
        (without(WHOLE, 4), {"result": "given-up"}, 200),
        (WHOLE, {"result": "done"}, 200),
    ],
    ids=["missing", "missing, and meant", "given up", "whole"],
)
def test_a_disk_that_is_not_as_planned_is_called_done_only_when_that_is_meant(api, job, found, body, status):
    check(api, job, found)
    answer = api("POST", f"/api/jobs/{job['id']}/close", body)
    assert answer.status_code == status
    if status == 422:
        assert answer.get_json()["at"] == "sure"
        assert "Catalogue (4)" in answer.get_json()["detail"]
        assert api("GET", f"/api/jobs/{job['id']}/check").get_json()["closing"] is None


def test_the_source_is_refused_and_another_disk_is_asked_about(api, job):
    answer = check(api, job, desk(model="Brindle K4", serial="BK4-00731"))
    assert answer.status_code == 422
    assert answer.get_json()["at"] == "survey"
    other = WHOLE.but(sectors=WHOLE.sectors + 4096)
    doubted = check(api, job, other)
    assert (doubted.status_code, doubted.get_json()["at"]) == (422, "sure")
    assert api("GET", f"/api/jobs/{job['id']}/check").get_json()["checks"] == []
    taken = check(api, job, other, sure=True).get_json()
    assert [one["code"] for one in taken["differences"]] == ["wrong-size-disk"]


def test_without_a_plan_it_says_what_is_missing(api, survey):
    made = api("POST", "/api/jobs", {"source": survey}).get_json()
    assert api("GET", f"/api/jobs/{made['id']}/check").get_json()["trouble"]["mend"]
    assert check(api, made, WHOLE).status_code == 422
    api("POST", f"/api/jobs/{made['id']}/changes", {"kind": "target", "target": {"nominal": "120GB"}})
    assert api("GET", f"/api/jobs/{made['id']}/check").get_json()["trouble"]["mend"] == "mend the plan first"


def test_a_closed_job_is_read_only_until_it_is_opened_again(api, job):
    url = f"/api/jobs/{job['id']}"
    api("POST", f"{url}/changes", {"kind": "fit", "fit": "snug"})
    api("POST", f"{url}/record", {"what": "begin"})
    closed = api(
        "POST", f"{url}/close", {"result": "done", "note": "Handed over", "keep_until": "2026-12-24", "minutes": 95}
    )
    assert closed.get_json()["closing"]["keep_until"] == "2026-12-24"
    assert (closed.get_json()["closing"]["minutes"], closed.get_json()["took"]) == (95, "95 min")
    read = api("GET", url).get_json()
    assert (read["closed"], read["can_undo"], read["can_redo"]) == (True, False, False)
    line = api("GET", "/api/jobs").get_json()["jobs"][0]
    assert (line["closed"], line["keep_until"], line["stage"]) == ("done", "2026-12-24", "check")
    for path, body in (
        ("changes", {"kind": "fit", "fit": "same"}), ("undo", None), ("history/1", None), ("record", {"what": "end"}),
        ("record", {"what": "done", "step": 1}), ("record", {"what": "back"}), ("check", sent(WHOLE)),
        ("ticks", {"item": "mains", "on": True}), ("close", {"result": "done"}),
    ):  # fmt: skip
        answer = api("POST", f"{url}/{path}", body)
        assert answer.status_code == 422, path
        assert answer.get_json()["detail"] == "This job is closed"
    assert api("POST", f"{url}/reopen").get_json()["closing"] is None
    assert api("POST", f"{url}/reopen").status_code == 422
    assert api("POST", f"{url}/changes", {"kind": "fit", "fit": "same"}).status_code == 200


def test_minutes_of_single_steps_are_kept_with_the_closing(api, job):
    url = f"/api/jobs/{job['id']}"
    read = api("GET", f"{url}/check").get_json()
    assert [step["took"] for step in read["steps"]] == [""] * len(read["steps"])
    assert read["steps"]
    body = {"result": "done", "step_minutes": [{"step": 1, "minutes": 4}, {"step": 2, "minutes": 31}]}
    closed = api("POST", f"{url}/close", body).get_json()
    assert closed["took"] == "35 min"


@pytest.mark.parametrize(
    "body",
    [
        {"result": "done", "step_minutes": [{"step": 900, "minutes": 4}]},
        {"result": "lost"}, {}, {"result": "done", "keep_until": "soon"},
        {"result": "done", "keep_until": "2026-13-01"}, {"result": "done", "extra": 1},
        {"result": "done", "note": 5}, {"result": "done", "minutes": -1},
    ],
)  # fmt: skip
def test_a_closing_that_cannot_be_is_refused(api, job, body):
    answer = api("POST", f"/api/jobs/{job['id']}/close", body)
    assert answer.status_code == 422
    assert api("GET", f"/api/jobs/{job['id']}/check").get_json()["closing"] is None


def test_readings_go_with_their_job_and_no_survey_is_left(app, api, job):
    from ylemorph.store.database import connect

    check(api, job, WHOLE)
    api("DELETE", f"/api/jobs/{job['id']}")
    connection = connect(services(app).shop.store)
    assert connection.execute("SELECT count(*) FROM survey").fetchone()[0] == 0
    assert connection.execute("SELECT count(*) FROM finished").fetchone()[0] == 0
    connection.close()
