"""The list of jobs page by page: every job once, in the order of the list, whatever is searched."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.job.state import JobState
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.store import closings, jobs, runs, surveys
from ylemorph.store.database import transaction
from ylemorph.usecases.jobs import listed
from ylemorph.web.edge.services import services
from ylemorph.web.jobs import list as listing


@pytest.fixture
def kept(api):
    """Twelve jobs, every third closed; changed at three times only, so that many share one."""
    connection = services(api.client.application).shop.keeper.lend()
    for number in range(12):
        source = Survey(desk(96 * 2**30 + number, model=f"Brindle K{number}", serial=f"BK-{number:03}"))
        job = jobs.create(connection, JobState(name=f"Branch {number}", machine="Häuschen", source=source))
        with transaction(connection):
            at = f"2026-03-0{number % 3 + 1}T09:00:00Z"
            connection.execute("UPDATE job SET changed_at = ? WHERE id = ?", (at, job.id))
        if number % 3 == 0:
            closings.close(connection, job.id, "done", "", None)
    yield connection
    connection.close()


def page(api, **query):
    answer = api("GET", "/api/jobs?" + "&".join(f"{name}={value}" for name, value in query.items()))
    assert answer.status_code == 200, answer.get_json()
    return answer.get_json()


def walked(api, **query):
    """All lines, by as many pages as it takes."""
    lines, after = [], ""
    while True:
        shown = page(api, **query, after=after)
        assert len(shown["jobs"]) <= query.get("count", 200)
        lines += shown["jobs"]
        if shown["next"] is None:
            return lines
        after = shown["next"]


@pytest.mark.parametrize("count", [1, 4, 5, 8, 12, 13])
def test_pages_give_every_job_once_and_in_the_order_of_the_list(api, kept, count):
    lines = walked(api, count=count)
    places = [(not line["closed"], line["changed_at"], line["id"]) for line in lines]
    assert places == sorted(places, reverse=True)
    assert len(places) == 12
    assert sum(bool(line["closed"]) for line in lines) == 4


def test_a_page_that_is_just_full_is_the_last(api, kept):
    assert page(api, count=12)["next"] is None
    assert page(api, count=11)["next"] is not None


def test_words_are_found_in_names_and_disks_by_capital_or_small_letters(api, kept):
    found = {
        text: [line["name"] for line in walked(api, text=text, count=5)]
        for text in ("brindle k7", "BK-003", "HÄUSCHEN branch", "branch nowhere", "branch%25", "k1 BK-011")
    }
    assert found["brindle k7"] == ["Branch 7"]
    assert found["BK-003"] == ["Branch 3"]
    assert len(found["HÄUSCHEN branch"]) == 12
    assert found["branch nowhere"] == found["branch%25"] == []
    assert found["k1 BK-011"] == ["Branch 11"]


def test_a_size_is_found_as_it_was_typed(api, kept):
    api("POST", "/api/jobs", {"name": "Sized", "target": {"nominal": "480GB"}})
    assert [line["name"] for line in walked(api, text="480gb")] == ["Sized"]


def test_stage_and_verdict_narrow_the_list(api, kept):
    assert {line["name"] for line in walked(api, stage="closed", count=3)} == {f"Branch {n}" for n in (0, 3, 6, 9)}
    assert len(walked(api, stage="target", count=3)) == 8  # the open ones: their source is there, no target
    assert walked(api, stage="fit") == []
    fitted = api("POST", "/api/jobs", {"source": survey_to_data(Survey(desk())), "target": {"nominal": "480GB"}})
    assert [line["id"] for line in walked(api, verdict="comfortable", count=1)] == [fitted.get_json()["id"]]
    assert walked(api, verdict="tight") == []


def test_one_alone(api, kept):
    first = walked(api)[0]
    assert page(api, id=first["id"]) == {"jobs": [first], "next": None}
    assert page(api, id=999_999) == {"jobs": [], "next": None}


def test_a_page_looks_at_so_many_and_says_that_there_are_more(api, kept, monkeypatch):
    monkeypatch.setattr(listing, "MOST_LOOKED", 5)
    shown = page(api, verdict="comfortable", count=2)
    assert shown["jobs"] == []
    assert shown["next"] is not None
    assert walked(api, verdict="comfortable", count=2) == []


@pytest.mark.parametrize(
    "query", ["after=x", "after=2~a~1", "after=0~2026~", "count=0", "count=501", "stage=x", "id=-1"]
)
def test_what_cannot_be_asked_is_said(api, kept, query):
    answer = api("GET", f"/api/jobs?{query}")
    assert answer.status_code == 422
    assert answer.get_json()["detail"]


def test_what_is_under_way_or_checked_is_so_on_its_page(api, kept):
    ids = [line["id"] for line in walked(api) if not line["closed"]]
    runs.begin(kept, ids[5], "straight", [{"number": 1, "seconds": [1, 2]}])
    assert [line["id"] for line in walked(api, stage="carry", count=1)] == [ids[5]]
    closings.add_check(kept, ids[6], Survey(desk()))
    assert [line["id"] for line in walked(api, stage="check", count=1)] == [ids[6]]


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=30)
@given(st.text(max_size=60) | st.text("brancHÄÜß 01kK-", max_size=4))
def test_any_text_is_searched_for(api, kept, text):
    answer = api.client.get("/api/jobs", query_string={"text": text}, headers={"Host": "127.0.0.1"})
    assert answer.status_code == 200

    def names(line):
        words = (line["code"], line["name"], line["machine"], line["source"]["model"], line["source"]["serial"])
        return " ".join(words).casefold()

    wanted = [line["id"] for line in walked(api) if all(word in names(line) for word in text.casefold().split())]
    assert [line["id"] for line in answer.get_json()["jobs"]] == wanted


def test_a_page_reads_what_it_shows_and_no_more(kept, monkeypatch):
    """Of ten thousand jobs a page costs as much as of ten: the rows that the data file steps through are counted."""
    asked = []
    kept.set_trace_callback(asked.append)
    listed(kept, most=3)
    plan = kept.execute("EXPLAIN QUERY PLAN " + next(text for text in asked if "ORDER BY job.changed_at" in text))
    steps = [row["detail"] for row in plan]
    assert any("job_changed" in step for step in steps), steps
    assert not any("USE TEMP B-TREE" in step for step in steps), steps


def test_surveys_of_before_have_their_words(kept):
    survey = Survey(desk(model="Quillon S2", serial="QS-1"))
    with transaction(kept):
        number = surveys.keep(kept, survey)
    row = kept.execute("SELECT words FROM survey WHERE id = ?", (number,)).fetchone()
    assert row["words"] == "Quillon S2 QS-1"
