"""Codes that work once, for one purpose and a short time, and what arrived under them."""

import time
from contextlib import closing, suppress

import pytest

from tests.make import desk, job_of
from ylemorph.store import collecting, jobs
from ylemorph.store.collecting import MINUTES, MOST_ARRIVALS, CollectGoal, WrongCode
from ylemorph.store.database import NotFound, connect, transaction
from ylemorph.store.preparing import prepare


@pytest.fixture
def store(tmp_path):
    with closing(connect(prepare(tmp_path))) as connection:
        yield connection


@pytest.fixture
def job(store):
    return jobs.create(store, job_of(desk())).id


def given(store, job, purpose="disks"):
    return collecting.give_code(store, CollectGoal(job, None), "Mara Quill", purpose)


def test_a_code_tells_what_it_is_for_however_it_is_typed(store, job):
    code = given(store, job)
    for typed in (code, code.lower(), f" {code}\n"):
        assert collecting.look_up(store, typed) == CollectGoal(job, None, "Mara Quill")
    with pytest.raises(WrongCode):
        collecting.look_up(store, code, "log")
    with pytest.raises(NotFound):
        given(store, job + 1)


def test_a_code_works_once(store, job):
    code = given(store, job)
    collecting.keep_arrival(store, code, job, "front\x1b[2Jdesk", "{}")
    assert [(one.machine, one.body) for one in collecting.arrivals(store, job)] == [
        ("front\N{REPLACEMENT CHARACTER}[2Jdesk", "{}")
    ]
    with pytest.raises(WrongCode, match="used already"):
        collecting.keep_arrival(store, code, job, "again", "{}")
    assert len(collecting.arrivals(store, job)) == 1


def test_a_code_ends_to_the_second(store, job, monkeypatch):
    at = int(time.time())
    monkeypatch.setattr(time, "time", lambda: at)
    code = given(store, job)
    monkeypatch.setattr(time, "time", lambda: at + MINUTES * 60 - 1)
    assert collecting.look_up(store, code).job == job
    monkeypatch.setattr(time, "time", lambda: at + MINUTES * 60)
    with pytest.raises(WrongCode):
        collecting.look_up(store, code)
    given(store, job)
    assert store.execute("SELECT count(*) FROM collect_code").fetchone()[0] == 1


def test_the_newest_arrivals_are_kept_and_one_is_forgotten(store, job):
    other = jobs.create(store, job_of(desk())).id
    collecting.keep_arrival(store, given(store, other), other, "annex", "{}")
    for number in range(MOST_ARRIVALS + 2):
        collecting.keep_arrival(store, given(store, job), job, f"machine {number}", "{}")
    held = collecting.arrivals(store, job)
    assert [one.machine for one in held] == [f"machine {n}" for n in range(MOST_ARRIVALS + 1, 1, -1)]
    collecting.forget(store, other, held[0].id)
    assert len(collecting.arrivals(store, job)) == MOST_ARRIVALS
    collecting.forget(store, job, held[0].id)
    assert collecting.arrivals(store, job) == held[1:]
    assert len(collecting.arrivals(store, other)) == 1


def test_a_log_uses_its_code_up_within_its_transaction(store, job):
    code = given(store, job, "log")
    with suppress(ZeroDivisionError), transaction(store):
        collecting.use_up(store, code, "log")
        raise ZeroDivisionError
    assert collecting.look_up(store, code, "log").job == job
