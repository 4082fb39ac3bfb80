"""Jobs over HTTP."""

import pytest

from ylemorph.core.job.state import SizedTarget
from ylemorph.demo.scenario import jobs as demo_jobs
from ylemorph.formats.own.options import options_to_data
from ylemorph.formats.own.survey_data import survey_to_data


def change(api, job, headers=None, **body):
    return api("POST", f"/api/jobs/{job['id']}/changes", body, headers)


def row(answer, number):
    return next(r for r in answer.get_json()["morph"]["plan"]["rows"] if r["number"] == number)


def test_a_job_from_begin_to_end(api, job):
    assert job["morph"]["plan"]["verdict"] == "comfortable"
    assert [card["fit"] for card in job["morph"]["cards"]] == [
        "same",
        "proportional",
        "rest-to-one",
        "even-fill",
        "snug",
    ]
    line = api("GET", "/api/jobs").get_json()["jobs"][0]
    assert (line["name"], line["verdict"], line["stage"]) == ("Desk", "comfortable", "fit")
    assert api("DELETE", f"/api/jobs/{job['id']}").status_code == 204
    assert api("GET", f"/api/jobs/{job['id']}").status_code == 404
    assert api("DELETE", f"/api/jobs/{job['id']}").status_code == 404


def test_a_job_may_begin_with_nothing(api):
    empty = api("POST", "/api/jobs", {}).get_json()
    assert (empty["source"], empty["target_head"], empty["morph"], empty["trouble"]) == (None, None, None, None)
    assert change(api, empty, kind="fit", fit="snug").get_json()["options"] == {"fit": "snug"}
    answer = change(api, empty, kind="pin", row=3, size="+1G")
    assert answer.status_code == 422
    assert "source and target" in answer.get_json()["detail"].lower()


def test_pin_by_typing_then_undo_and_redo(api, job):
    pinned = change(api, job, kind="pin", row=3, size="240GiB")
    assert row(pinned, 3)["size_bytes"] == 240 * 2**30
    undone = api("POST", f"/api/jobs/{job['id']}/undo")
    assert undone.get_json()["morph"] == job["morph"]
    redone = api("POST", f"/api/jobs/{job['id']}/redo")
    assert redone.get_json()["morph"] == pinned.get_json()["morph"]
    history = api("GET", f"/api/jobs/{job['id']}/history").get_json()["revisions"]
    assert [r["sentence"] for r in history] == ["Desk pinned at 240 GiB", "Job begun"]
    back = api("POST", f"/api/jobs/{job['id']}/history/1")
    assert back.get_json()["morph"] == job["morph"]
    assert api("POST", f"/api/jobs/{job['id']}/history/99").status_code == 404


@pytest.mark.parametrize("size", ["++5", "12 parsecs", "-1000GiB", "1GiB", "200%", "x" * 150])
def test_a_size_that_cannot_be_is_refused_and_nothing_changes(api, job, size):
    answer = change(api, job, kind="pin", row=3, size=size)
    assert answer.status_code == 422
    assert answer.get_json()["at"] == "size"
    assert api("GET", f"/api/jobs/{job['id']}").get_json()["version"] == job["version"]


def test_a_preview_changes_nothing(api, job):
    shown = api("POST", f"/api/jobs/{job['id']}/preview", {"kind": "leave", "rows": [4]}).get_json()
    assert not next(r for r in shown["plan"]["rows"] if r["number"] == 4)["carried"]
    assert api("GET", f"/api/jobs/{job['id']}").get_json()["version"] == job["version"]


def test_two_windows(api, job):
    first = change(api, job, {"If-Match": str(job["version"]), "X-Window": "window 1"}, kind="fit", fit="snug")
    assert first.status_code == 200
    second = change(api, job, {"If-Match": str(job["version"])}, kind="leave", rows=[5])
    problem = second.get_json()
    assert second.status_code == 409
    assert problem["job"]["version"] == first.get_json()["version"]
    assert "Fit set to Snug" in problem["detail"]
    assert change(api, job, {"If-Match": "soon"}, kind="leave", rows=[5]).status_code == 422


def test_words_and_disks_are_changes_like_any_other(api, job, survey):
    named = change(api, job, kind="describe", name="Front desk", note="mind the dog").get_json()
    assert (named["name"], named["note"], named["machine"]) == ("Front desk", "mind the dog", "")
    assert named["source"] == survey
    small = change(api, job, kind="target", target={"nominal": "240GB"}).get_json()
    assert small["morph"]["plan"]["verdict"] == "does-not-fit"
    assert change(api, job, kind="target", target=None).get_json()["morph"] is None
    assert change(api, job, kind="describe", name="x" * 201).status_code == 422


def test_no_request_sets_options_as_they_come(api, job, survey):
    body = {"source": survey, "target": {"nominal": "480GB"}, "options": {"role": ["3=data"]}}
    assert api("POST", "/api/jobs", body).status_code == 422
    assert (
        api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "fit", "fit": "snug", "options": {}}).status_code == 422
    )
    assert api("PATCH", f"/api/jobs/{job['id']}", {"name": "x"}).status_code == 405


def test_another_source_takes_back_what_was_set_for_rows(api, job, survey):
    change(api, job, kind="pin", row=3, size="240GiB")
    survey["disk"]["serial"] = "BK4-2"
    changed = change(api, job, kind="source", survey=survey).get_json()
    assert "pin" not in changed["options"]
    assert api("POST", f"/api/jobs/{job['id']}/undo").get_json()["options"]["pin"] == {"3": 240 * 2**30}


def test_a_target_under_which_the_options_cannot_stand_is_trouble_not_loss(api, job):
    change(api, job, kind="pin", row=3, size="300GiB")
    change(api, job, kind="tail", value="60GiB")
    small = change(api, job, kind="target", target={"nominal": "50GB"}).get_json()
    assert small["morph"] is None
    assert small["trouble"]["at"] == "options.tail"
    assert small["options"]["pin"]


def test_units_of_the_sentences(api, job):
    text = api("GET", f"/api/jobs/{job['id']}?units=decimal").get_json()["morph"]["plan"]["findings"]
    assert not any("GiB" in finding["text"] for finding in text)
    assert api("GET", f"/api/jobs/{job['id']}?units=furlongs").status_code == 422


def test_the_shelf_has_the_usual_sizes(api):
    sizes = {item["label"]: item["sectors"] for item in api("GET", "/api/shelf").get_json()["sizes"]}
    assert sizes["480GB"] == 937703088
    assert sizes["4TB"] == 7814037168


def test_the_demo_shows_what_it_says(api):
    verdicts = {}
    for state in demo_jobs():
        sized = isinstance(state.target, SizedTarget)
        target = {"nominal": state.target.text} if sized else survey_to_data(state.target)
        body = {"source": survey_to_data(state.source), "target": target, "options": options_to_data(state.options)}
        verdicts[state.code] = api("POST", "/api/plan", body).get_json()
    assert {code: plan["verdict"] for code, plan in verdicts.items()} == {
        "YM-0101": "comfortable", "YM-0102": "comfortable", "YM-0103": "comfortable", "YM-0104": "comfortable",
        "YM-0105": "does-not-fit", "YM-0106": "tight", "YM-0107": "comfortable",
    }  # fmt: skip
    assert verdicts["YM-0101"]["target"]["unreachable_bytes"] > 0
