"""Jobs in SQLite: every change a revision, nothing lost."""

import sqlite3
import threading
from contextlib import closing
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.make import change_job, desk, job_of
from ylemorph.core.fit.options import Options
from ylemorph.core.job.disk_changes import Describe
from ylemorph.store import closings, database, history, jobs
from ylemorph.store.database import FILE_NAME, NotFound, StoreError, connect, transaction
from ylemorph.store.jobs import Conflict, JobSearch
from ylemorph.store.preparing import prepare


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


def noted(text):
    return lambda state: Describe(note=text)


STATE = job_of(desk(), options=Options(fit="snug"), name="Desk", machine="Front")


def test_a_job_reads_back_as_it_was_made(store):
    job = jobs.create(store, STATE)
    assert jobs.get(store, job.id).state == replace(STATE, code=f"YM-{job.id:04d}")
    assert (job.version, job.revision, job.can_undo, job.can_redo) == (1, 1, False, False)
    assert [line.id for line in jobs.lines(store)] == [job.id]


def test_undo_and_redo_walk_the_revisions(store):
    job = jobs.create(store, STATE)
    for text in "abc":
        change_job(store, job.id, None, noted(text))
    assert jobs.undo(store, job.id, None).state.note == "b"
    assert jobs.undo(store, job.id, None).state.note == "a"
    assert jobs.redo(store, job.id, None).state.note == "b"
    # A change after an undo begins a new branch; the old one stays in the history.
    branched = change_job(store, job.id, None, noted("d"))
    assert (branched.state.note, branched.can_redo) == ("d", False)
    assert [entry.change and entry.change["note"] for entry in history.entries(store, job.id)] == [*"dcba", None]
    assert jobs.go_to(store, job.id, None, 4).state.note == "c"


def test_the_list_page_by_page(store):
    """Each job once, the open ones first, each kind by its last change; however long a page is."""
    made = [jobs.create(store, replace(STATE, name=f"Desk {n}")).id for n in range(7)]
    for place, number in enumerate(made):
        store.execute("UPDATE job SET changed_at = ? WHERE id = ?", (f"2026-11-0{1 + place // 2}T10:00:00Z", number))
    for number in made[1:4]:
        closings.close(store, number, "done", "", None)
    wanted = [made[6], made[5], made[4], made[0], *made[3:0:-1]]

    def paged(most, search):
        after, found = None, []
        for _ in range(9):
            some = jobs.page(store, search, after, most)
            if not some:
                return [line.id for line in found]
            assert len(some) <= most
            found, after = found + some, some[-1].place
        raise AssertionError("the list has no end")

    for most in (1, 2, 3, 4, 9):
        assert paged(most, JobSearch()) == wanted
        assert paged(most, JobSearch(closed=False)) == wanted[:4]
        assert paged(most, JobSearch(closed=True)) == wanted[4:]
        assert paged(most, JobSearch(("desk 5",))) == [made[5]]
        assert paged(most, JobSearch(id=made[2])) == [made[2]]


def test_the_history_before_a_revision(store):
    job = jobs.create(store, STATE)
    for text in "ab":
        change_job(store, job.id, None, noted(text))
    assert [entry.number for entry in history.entries(store, job.id, 3)] == [2, 1]
    assert history.entries(store, job.id, 1) == []
    for before in (None, 1):
        with pytest.raises(NotFound, match="there is no job 99"):
            history.entries(store, 99, before)


def test_a_change_that_changes_nothing_is_no_revision(store):
    job = jobs.create(store, STATE)
    assert change_job(store, job.id, job.version, lambda state: Describe(name=state.name)).version == job.version


def test_the_second_of_two_writers_is_told(store):
    job = jobs.create(store, STATE)
    change_job(store, job.id, job.version, noted("first"), made_by="window 1")
    with pytest.raises(Conflict) as caught:
        change_job(store, job.id, job.version, noted("second"))
    assert caught.value.job.state.note == "first"
    assert caught.value.last.made_by == "window 1"
    assert "Name and notes changed" in str(caught.value)


def test_a_failing_change_leaves_nothing(store):
    job = jobs.create(store, STATE)

    def fail(_state):
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        change_job(store, job.id, None, fail)
    assert jobs.get(store, job.id) == job
    assert not store.in_transaction


def test_deleting_takes_revisions_and_unused_surveys_along(store):
    one, two = jobs.create(store, STATE), jobs.create(store, STATE)
    change_job(store, one.id, None, noted("x"))
    assert store.execute("SELECT count(*) FROM survey").fetchone()[0] == 1
    jobs.delete(store, one.id)
    assert jobs.get(store, two.id).state.source == STATE.source
    jobs.delete(store, two.id)
    for table in ("job", "revision", "survey"):
        assert store.execute(f"SELECT count(*) FROM {table}").fetchone()[0] == 0
    with pytest.raises(NotFound):
        jobs.get(store, one.id)


def test_numbers_are_not_given_twice(store):
    first = jobs.create(store, STATE)
    jobs.delete(store, first.id)
    assert jobs.create(store, STATE).state.code != first.state.code


@pytest.fixture(scope="module")
def shared(tmp_path_factory):
    """One store for many examples, each with a job of its own."""
    with closing(connect(prepare(tmp_path_factory.mktemp("shared")))) as connection:
        connection.execute("PRAGMA synchronous = OFF")
        yield connection


@settings(max_examples=20)
@given(texts=st.lists(st.sampled_from("abcdef"), max_size=8))
def test_any_changes_and_as_many_undos_give_the_first_state_back(shared, texts):
    job = jobs.create(shared, STATE)
    for text in texts:
        change_job(shared, job.id, None, noted(text))
    for _ in texts:
        jobs.undo(shared, job.id, None)
    assert jobs.get(shared, job.id).state == job.state


def test_writers_at_once_lose_no_change(tmp_path):
    path = prepare(tmp_path)
    connection = connect(path)
    job = jobs.create(connection, STATE)

    def write(name):
        own = connect(path)
        for n in range(10):
            change_job(own, job.id, None, noted(f"{name}{n}"))
        own.close()

    writers = [threading.Thread(target=write, args=(name,)) for name in "abc"]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join()
    notes = {entry.change["note"] for entry in history.entries(connection, job.id) if entry.change}
    connection.close()
    assert notes == {f"{name}{n}" for name in "abc" for n in range(10)}


def test_migrating_again_changes_nothing(tmp_path):
    assert prepare(tmp_path) == prepare(tmp_path)


def test_a_newer_file_is_refused(tmp_path):
    connection = connect(prepare(tmp_path))
    connection.execute("PRAGMA user_version = 99")
    connection.close()
    with pytest.raises(StoreError, match="newer version"):
        prepare(tmp_path)


def test_what_is_no_database_is_refused_and_left_alone(tmp_path):
    (tmp_path / FILE_NAME).write_bytes(b"these are somebody's notes" * 100)
    with pytest.raises(StoreError, match="cannot be used"):
        prepare(tmp_path)
    assert (tmp_path / FILE_NAME).read_bytes().startswith(b"these are")


def test_a_folder_that_is_a_file_is_refused(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(StoreError):
        prepare(tmp_path / "file" / "data")


def test_the_schema_refuses_nonsense(store):
    with pytest.raises(sqlite3.IntegrityError), transaction(store):
        store.execute("INSERT INTO survey (digest, body) VALUES ('x', 'y')")
    with pytest.raises(sqlite3.IntegrityError), transaction(store):
        store.execute("INSERT INTO job (created_at, changed_at, version) VALUES ('', '', 'many')")


def test_a_survey_that_a_job_does_not_have(store):
    job = jobs.create(store, job_of(desk()).but(target=None))
    assert "disk" in jobs.survey_text(store, job.id, "source")
    with pytest.raises(NotFound, match="no survey of its target"):
        jobs.survey_text(store, job.id, "target")


def test_on_a_full_disk_a_job_is_deleted_and_none_begun(store, monkeypatch):
    job = jobs.create(store, STATE)
    monkeypatch.setattr(database, "_free_bytes", lambda _connection: 0)
    with pytest.raises(sqlite3.OperationalError, match="full"):
        jobs.create(store, STATE)
    jobs.delete(store, job.id)
    assert jobs.lines(store) == []


def test_a_question_without_an_end_is_broken_off(store):
    endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n"
    database.end_after(store, 0)
    with pytest.raises(sqlite3.OperationalError, match="interrupted"):
        store.execute(endless)


def test_the_history_says_which_states_are_no_longer_kept(store, monkeypatch):
    monkeypatch.setattr(history, "MOST_WHOLE", 3)
    job = jobs.create(store, STATE)
    for number in range(6):
        change_job(store, job.id, None, noted(str(number)))
    assert [(one.number, one.thin) for one in history.entries(store, job.id)] == [
        (7, False), (6, False), (5, False), (4, True), (3, True), (2, True), (1, False),
    ]  # fmt: skip
    with pytest.raises(NotFound, match="not kept any more"):
        jobs.go_to(store, job.id, None, 4)
