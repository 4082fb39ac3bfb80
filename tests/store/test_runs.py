"""The running record and the ticks: kept with the job, in order, whoever else writes."""

from fractions import Fraction

import pytest

from tests.make import change_job, desk, job_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.errors import YlemorphError
from ylemorph.core.job.bench_changes import ChooseWay, SetFact
from ylemorph.core.job.disk_changes import Describe
from ylemorph.store import closings, history, jobs, runs
from ylemorph.store.database import NotFound, connect
from ylemorph.store.preparing import prepare

STEPS = [{"number": n, "kind": "copy", "say": f"Copy {n}", "time": "2 min"} for n in (1, 2, 3)]


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


@pytest.fixture
def job(store):
    return jobs.create(store, job_of(desk())).id


def test_facts_and_the_way_are_changes_like_any_other(store, job):
    change_job(store, job, None, lambda _state: SetFact("workspace", 300 * 2**30, "300 GiB"))
    change_job(store, job, None, lambda _state: SetFact("backup", "yes", "yes"))
    read = change_job(store, job, None, lambda _state: ChooseWay("through-image")).state
    assert (read.facts, read.way) == (Facts(workspace=300 * 2**30, backup="yes"), "through-image")
    assert [entry.sentence for entry in history.entries(store, job)][:3] == [
        "Through an image is the way", "Backup of the source: yes", "Workspace of 300 GiB",
    ]  # fmt: skip
    assert jobs.undo(store, job, None).state.way is None
    assert jobs.undo(store, job, None).state.facts == Facts(workspace=300 * 2**30)


def test_facts_that_contradict_each_other(store, job):
    change_job(store, job, None, lambda _state: SetFact("backup", "yes"))
    change_job(store, job, None, lambda _state: SetFact("backup_size", 5))
    assert change_job(store, job, None, lambda _state: SetFact("backup", "no")).state.facts == Facts(backup="no")
    with pytest.raises(YlemorphError, match="a backup that is not there"):
        change_job(store, job, None, lambda _state: SetFact("backup_size", 5))


def test_ticks_are_not_undone_with_the_plan(store, job):
    change_job(store, job, None, lambda _state: Describe(note="a"))
    runs.tick(store, job, "backup", on=True)
    first = runs.ticks(store, job)
    runs.tick(store, job, "backup", on=True)
    assert runs.ticks(store, job) == first
    jobs.undo(store, job, None)
    assert list(runs.ticks(store, job)) == ["backup"]
    runs.tick(store, job, "backup", on=False)
    assert runs.ticks(store, job) == {}


def test_a_record_from_its_beginning_to_its_end(store, job):
    runs.begin(store, job, "straight", STEPS)
    assert runs.under_way(store) == {job: (1, 3)}
    for step in (1, 2):
        runs.add(store, job, step, "done")
    assert runs.under_way(store) == {job: (3, 3)}
    assert runs.current(store, job).step == 3
    runs.add(store, job, 3, "done")
    run = runs.current(store, job)
    assert (run.step, run.failure, run.way) == (None, None, "straight")
    assert run.ended_at
    assert runs.under_way(store) == {}
    with pytest.raises(YlemorphError, match="not under way"):
        runs.add(store, job, 3, "done")


def test_a_failure_stands_until_the_step_is_done_again(store, job):
    runs.begin(store, job, "straight", STEPS)
    runs.add(store, job, 1, "done")
    runs.add(store, job, 2, "failed", "read-error", "sector 5")
    assert (runs.current(store, job).failure.reason, runs.current(store, job).failure.note) == (
        "read-error",
        "sector 5",
    )
    with pytest.raises(YlemorphError, match="has failed"):
        runs.add(store, job, 2, "done")
    runs.add(store, job, 1, "again")
    assert runs.current(store, job).step == 1
    assert runs.under_way(store) == {job: (1, 3)}
    runs.add(store, job, 1, "done")
    assert runs.current(store, job).step == 2


@pytest.mark.parametrize(
    ("step", "what", "said"),
    [(2, "done", "step 1 is the one"), (9, "done", "step 1 is the one"), (1, "again", "no step has failed")],
)
def test_what_cannot_have_happened_is_refused(store, job, step, what, said):
    runs.begin(store, job, "straight", STEPS)
    with pytest.raises(YlemorphError, match=said):
        runs.add(store, job, step, what)
    assert runs.current(store, job).events == ()


def test_a_second_click_changes_nothing_twice(store, job):
    runs.begin(store, job, "straight", STEPS)
    with pytest.raises(YlemorphError, match="under way already"):
        runs.begin(store, job, "straight", STEPS)
    runs.add(store, job, 1, "done")
    with pytest.raises(YlemorphError, match="step 2 is the one"):
        runs.add(store, job, 1, "done")
    assert runs.current(store, job).step == 2


def test_the_last_entry_can_be_taken_back(store, job):
    runs.begin(store, job, "straight", STEPS[:1])
    runs.add(store, job, 1, "done")
    assert runs.current(store, job).ended_at
    runs.take_back(store, job)
    assert (runs.current(store, job).step, runs.current(store, job).ended_at) == (1, None)
    runs.take_back(store, job)
    assert runs.current(store, job) is None
    with pytest.raises(YlemorphError, match="not under way"):
        runs.take_back(store, job)


def test_records_go_with_their_job(store, job):
    runs.begin(store, job, "straight", STEPS)
    runs.add(store, job, 1, "done")
    runs.tick(store, job, "mains", on=True)
    jobs.delete(store, job)
    for table in ("run", "run_event", "tick"):
        assert store.execute(f"SELECT count(*) FROM {table}").fetchone()[0] == 0
    with pytest.raises(NotFound):
        runs.begin(store, job, "straight", STEPS)


def test_finished_jobs_tell_what_they_reached(store):
    """Real by nominal of each closed job; what was given up, half done or of another kind tells nothing."""

    def carried(seconds, kind="turning sata, solid usb3", result="done", upto=2):
        number = jobs.create(store, job_of(desk())).id
        steps = [{"number": 1, "nominal": 0}, {"number": 2, "nominal": 100}]
        runs.begin(store, number, "straight", steps, kind)
        for step in range(1, upto + 1):
            runs.add(store, number, step, "done")
        store.execute("UPDATE run_event SET at = '2026-11-25T10:00:00Z' WHERE step = 1")
        end = f"2026-11-25T10:{seconds // 60:02}:{seconds % 60:02}Z"
        store.execute("UPDATE run_event SET at = ? WHERE step = 2 AND run = (SELECT max(id) FROM run)", (end,))
        if result:
            closings.close(store, number, result, "", None)

    for seconds in (150, 200, 250):
        carried(seconds)
    carried(300, result="given-up")
    carried(300, result="")
    carried(300, kind="solid nvme, solid nvme")
    carried(300, upto=1)
    assert sorted(runs.ratios(store, "turning sata, solid usb3")) == [Fraction(3, 2), 2, Fraction(5, 2)]


def test_typed_times_stand_for_the_clock_and_teach(store, job):
    """Typed after a whole record; typed with no record at all; only the copies count."""
    steps = [{"number": 1, "nominal": 0}, {"number": 2, "nominal": 100}]
    runs.begin(store, job, "straight", steps, "a")
    for step in (1, 2):
        runs.add(store, job, step, "done")
    runs.type_times(store, job, {2: 240}, "straight", steps, "a")
    assert [event.seconds for event in runs.current(store, job).events][1] == 240
    closings.close(store, job, "done", "", None)
    other = jobs.create(store, job_of(desk())).id
    runs.type_times(store, other, {2: 180}, "straight", steps, "a")
    closings.close(store, other, "done", "", None)
    assert runs.ratios(store, "a") == [Fraction(9, 5), Fraction(12, 5)]
    with pytest.raises(YlemorphError, match="is closed"):
        runs.type_times(store, other, {2: 1}, "straight", steps, "a")


def test_a_time_of_a_step_that_is_not_there_changes_nothing(store, job):
    runs.begin(store, job, "straight", STEPS)
    with pytest.raises(YlemorphError, match="no step 9"):
        runs.type_times(store, job, {1: 60, 9: 60}, "straight", STEPS, "")
    assert (runs.current(store, job).ended_at, runs.current(store, job).events) == (None, ())


def test_another_source_takes_back_what_was_said_of_the_old_one(store):
    from ylemorph.core.disk.model import Survey
    from ylemorph.core.job.disk_changes import SetSource

    state = job_of(desk()).but(facts=Facts(backup="yes", workspace=5, target_link="usb3"), way="straight")
    other = SetSource(Survey(desk(model="Brindle K4", serial="X-1"))).make(state).state
    assert other.facts == Facts(backup="yes", workspace=5, target_link="usb3")  # the same partitions: surveyed again
    other = SetSource(Survey(desk(used_system=2**30).but(partitions=desk().partitions[:2]))).make(state).state
    assert (other.facts, other.way) == (Facts(workspace=5, target_link="usb3"), None)


def test_nothing_happens_to_a_job_that_is_not_under_way(store, job):
    def refused():
        for change in (lambda: runs.add(store, job, 1, "done"), lambda: runs.end(store, job)):
            with pytest.raises(YlemorphError, match="not under way"):
                change()

    refused()
    runs.begin(store, job, "straight", STEPS)
    runs.end(store, job)
    refused()


def test_nothing_of_a_closed_job_changes(store, job):
    runs.begin(store, job, "straight", STEPS)
    for step in (1, 2, 3):
        runs.add(store, job, step, "done")
    runs.tick(store, job, "backup", on=True)
    closings.close(store, job, "done", "", None)
    held = (runs.current(store, job), runs.ticks(store, job))
    for change in (
        lambda: runs.begin(store, job, "straight", STEPS),
        lambda: runs.add(store, job, 3, "failed"),
        lambda: runs.take_back(store, job),
        lambda: runs.end(store, job),
        lambda: runs.tick(store, job, "backup", on=False),
        lambda: closings.close(store, job, "given-up", "", None),
    ):
        with pytest.raises(YlemorphError, match="is closed"):
            change()
    assert (runs.current(store, job), runs.ticks(store, job)) == held


def test_very_many_readings_of_a_finished_disk_keep_the_newest(store, job):
    from ylemorph.core.disk.model import Survey

    for number in range(52):
        closings.add_check(store, job, Survey(desk(serial=f"S-{number}")))
    kept = [one.survey.disk.serial for one in closings.checks(store, job)]
    assert kept == [f"S-{number}" for number in range(51, 1, -1)]
    assert closings.checked(store, [job, 99]) == {job}
