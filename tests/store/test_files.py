"""The data as a whole: copies, putting back, the doctor, jobs as one file, a full disk, who may read it."""

import json
import lzma
import os
import shutil
import sqlite3
import subprocess
from contextlib import closing, suppress
from pathlib import Path
from types import SimpleNamespace

import pytest

from tests.make import change_job, desk, job_of
from ylemorph.core.errors import YlemorphError
from ylemorph.core.job.disk_changes import Describe
from ylemorph.core.sizes import MiB
from ylemorph.demo.load import load_demo
from ylemorph.store import bundle, closings, fleets, history, jobs, people, preparing, runs
from ylemorph.store.database import FILE_NAME, LEAST_ROOM, StoreError, connect
from ylemorph.store.doctor import examine
from ylemorph.store.files import MOST_BACKUPS, back_up, backups, keep_backup, look_at_copy, restore
from ylemorph.store.preparing import newest_version, prepare

OLD = Path(__file__).parent / "old"


@pytest.fixture
def folder(tmp_path):
    with closing(connect(prepare(tmp_path / "data"))) as connection:
        load_demo(connection)
    return tmp_path / "data"


def states(path):
    with closing(connect(path)) as connection:
        return [jobs.get(connection, line.id).state for line in jobs.lines(connection)]


def test_a_copy_is_whole_while_others_write_and_goes_back(folder, tmp_path):
    before = states(folder / FILE_NAME)
    with closing(connect(folder / FILE_NAME)) as other:
        other.execute("BEGIN")
        other.execute("SELECT count(*) FROM job").fetchone()
        back_up(folder / FILE_NAME, tmp_path / "copy.sqlite3")
        other.execute("COMMIT")
    with closing(connect(folder / FILE_NAME)) as connection:
        for line in jobs.lines(connection)[:6]:
            jobs.delete(connection, line.id)
    held, aside = restore(folder, tmp_path / "copy.sqlite3")
    assert held.jobs == len(before)
    assert states(folder / FILE_NAME) == before
    assert len(states(aside)) == len(before) - 6


def test_an_older_copy_is_brought_up_to_date(folder, tmp_path):
    old = tmp_path / "old.sqlite3"
    old.write_bytes(lzma.decompress((OLD / "version-2.sqlite3.xz").read_bytes()))
    held, _ = restore(folder, old)
    assert held.version < newest_version()
    assert len(states(folder / FILE_NAME)) == held.jobs


def test_two_that_begin_at_once_do_not_bring_one_file_up_to_date(folder, monkeypatch):
    monkeypatch.setattr(preparing, "LOCK_SECONDS", 0)
    with preparing.alone(folder), pytest.raises(StoreError, match="another program has been at work"):
        prepare(folder)
    assert prepare(folder) == folder / FILE_NAME


def test_what_a_copy_left_that_was_cut_off_does_not_disturb_the_next(folder, tmp_path):
    (tmp_path / ".copy.sqlite3.part").write_bytes(b"half of something" * 1000)
    back_up(folder / FILE_NAME, tmp_path / "copy.sqlite3")
    assert states(tmp_path / "copy.sqlite3") == states(folder / FILE_NAME)
    assert [file.name for file in tmp_path.glob(".copy*")] == []


def test_a_copy_without_people_locks_nobody_out(folder, tmp_path):
    back_up(folder / FILE_NAME, tmp_path / "copy.sqlite3")
    with closing(connect(folder / FILE_NAME)) as connection:
        people.add(connection, "Mara Quill", "workshop", "four plain words here")
        secret = people.sign_in(connection, "Mara Quill", "four plain words here").secret
    restore(folder, tmp_path / "copy.sqlite3")
    with closing(connect(folder / FILE_NAME)) as connection:
        assert people.session_of(connection, secret) is None
        assert people.sign_in(connection, "Mara Quill", "four plain words here") is not None


def test_who_was_signed_in_when_a_copy_was_made_is_not_signed_in_by_it(folder, tmp_path):
    with closing(connect(folder / FILE_NAME)) as connection:
        people.add(connection, "Mara Quill", "workshop", "four plain words here")
        secret = people.sign_in(connection, "Mara Quill", "four plain words here").secret
    back_up(folder / FILE_NAME, tmp_path / "copy.sqlite3")
    restore(folder, tmp_path / "copy.sqlite3")
    with closing(connect(folder / FILE_NAME)) as connection:
        assert people.session_of(connection, secret) is None
        assert people.sign_in(connection, "Mara Quill", "four plain words here") is not None


@pytest.mark.parametrize("what", ["text", "empty", "cut", "newer", "missing"])
def test_what_is_no_copy_is_refused_before_anything_is_replaced(folder, tmp_path, what):
    place = tmp_path / "copy.sqlite3"
    back_up(folder / FILE_NAME, place)
    if what == "text":
        place.write_text("no data")
    elif what == "empty":
        place.write_bytes(b"")
    elif what == "cut":
        place.write_bytes(place.read_bytes()[: place.stat().st_size // 2])
    elif what == "newer":
        with closing(sqlite3.connect(place)) as connection:
            connection.execute("PRAGMA user_version = 999")
    else:
        place.unlink()
    before = states(folder / FILE_NAME)
    with pytest.raises(StoreError) as caught:
        restore(folder, place)
    assert caught.value.mend
    assert states(folder / FILE_NAME) == before


def test_backups_in_the_folder_are_kept_to_a_number(folder, monkeypatch):
    monkeypatch.setattr("ylemorph.store.files.MOST_BACKUPS", 3)
    assert MOST_BACKUPS > 3
    made = [keep_backup(folder).name for _ in range(5)]
    assert [kept.name for kept in backups(folder)] == made[:1:-1]


def test_the_doctor_finds_nothing_wrong_and_then_all_of_it(folder):
    assert all(finding.well for finding in examine(folder))
    with closing(connect(folder / FILE_NAME)) as connection:
        connection.execute("UPDATE revision SET options = '{\"fit\": \"loose\"}' WHERE code = 'YM-0107'")
    assert next(finding.text for finding in examine(folder) if not finding.well).startswith("Job YM-0107")
    data = bytearray((folder / FILE_NAME).read_bytes())
    data[30_000:60_000] = os.urandom(30_000)
    (folder / FILE_NAME).write_bytes(data)
    texts = " ".join(finding.text for finding in examine(folder) if not finding.well)
    assert "The data file cannot be used" in texts
    (folder / FILE_NAME).unlink()
    assert "There is no data file" in examine(folder)[-1].text
    assert "no data folder" in examine(folder / "elsewhere")[0].text


def with_free(monkeypatch, free):
    monkeypatch.setattr(shutil, "disk_usage", lambda _place: shutil._ntuple_diskusage(2**40, 2**40 - free, free))


def test_a_copy_leaves_room_on_the_disk_of_the_data(folder, monkeypatch):
    size = (folder / FILE_NAME).stat().st_size
    with_free(monkeypatch, size + LEAST_ROOM - 1)
    with pytest.raises(StoreError, match="no room on this disk"):
        back_up(folder / FILE_NAME, folder / "copy.sqlite3")
    with_free(monkeypatch, size + LEAST_ROOM)
    back_up(folder / FILE_NAME, folder / "copy.sqlite3")
    assert look_at_copy(folder / "copy.sqlite3").jobs == look_at_copy(folder / FILE_NAME).jobs


@pytest.mark.parametrize(("free", "well"), [(64 * MiB - 1, False), (64 * MiB, True)])
def test_the_doctor_says_that_the_disk_is_nearly_full(folder, monkeypatch, free, well):
    with_free(monkeypatch, free)
    assert all(finding.well for finding in examine(folder)) is well


def test_what_is_no_data_file_is_told_by_its_first_bytes(tmp_path):
    place = tmp_path / "letter"
    place.write_bytes(b"Dear workshop, " * 100)
    with pytest.raises(StoreError, match="this is no data file"):
        look_at_copy(place)


def everything(connection, job):
    got = jobs.get(connection, job)
    run = runs.current(connection, job)
    return (
        got.state, got.version, got.can_undo, got.can_redo, got.closed, history.entries(connection, job),
        runs.ticks(connection, job), run and (run.way, run.steps, run.begun_at, run.ended_at, run.events),
        [(one.made_at, one.survey) for one in closings.checks(connection, job)], closings.closing(connection, job),
    )  # fmt: skip


def test_jobs_taken_out_and_in_are_equal(folder, tmp_path):
    with closing(connect(folder / FILE_NAME)) as connection, closing(connect(prepare(tmp_path / "new"))) as other:
        first = jobs.lines(connection)[0].id
        change_job(connection, first, None, lambda _state: Describe(note="changed"))
        jobs.undo(connection, first, None)
        runs.tick(connection, first, "backup", on=True)
        text = json.dumps(bundle.take_out(connection))
        jobs.create(other, job_of(desk()))
        made = bundle.take_in(other, json.loads(text))
        old = sorted(line.id for line in jobs.lines(connection))
        assert [everything(other, job) for job in made] == [everything(connection, job) for job in old]
        assert len(jobs.lines(other)) == len(old) + 1
        assert bundle.take_out(other, made)["jobs"] == json.loads(text)["jobs"]


def test_jobs_of_a_version_that_kept_every_state(folder, tmp_path):
    """It did not say which ones are no longer kept; what is said is taken as it is."""
    with closing(connect(folder / FILE_NAME)) as connection, closing(connect(prepare(tmp_path / "new"))) as other:
        first = jobs.lines(connection)[0].id
        for note in ("once", "twice"):
            change_job(connection, first, None, lambda _state, note=note: Describe(note=note))
        data = json.loads(json.dumps(bundle.take_out(connection)))
        changed = next(job["revisions"] for job in data["jobs"] if len(job["revisions"]) > 2)
        del changed[0]["thin"]
        changed[1]["thin"] = 1
        made = bundle.take_in(other, data)
        entries = [one for job in made for one in history.entries(other, job)]
        assert [one.number for one in entries if one.thin] == [changed[1]["number"]]


@pytest.mark.parametrize(
    ("change", "at"),
    [
        (lambda data: data.update(format="x"), "format"), (lambda data: data.pop("surveys"), "surveys"),
        (lambda data: data.update(jobs=5), "jobs"), (lambda data: data["jobs"][1].pop("head"), "jobs[1]"),
        (lambda data: data["jobs"][2]["revisions"][0].update(options="{"), "jobs[2]"),
        (lambda data: data["jobs"][0]["revisions"][0].update(source="0"), "jobs[0]"),
        (lambda data: data["jobs"][1]["revisions"][0].update(sentence="x" * 100_000), "jobs[1]"),
    ],
)  # fmt: skip
def test_a_file_of_jobs_that_is_wrong_changes_nothing(folder, tmp_path, change, at):
    with closing(connect(folder / FILE_NAME)) as connection, closing(connect(prepare(tmp_path / "new"))) as other:
        data = json.loads(json.dumps(bundle.take_out(connection)))
        change(data)
        with pytest.raises(YlemorphError) as caught:
            bundle.take_in(other, data)
        assert caught.value.at == at
        assert jobs.count(other) == 0


@pytest.mark.parametrize(("more", "taken"), [(0, True), (1, False)])
def test_texts_that_are_brought_in_are_as_long_as_they_may_be(folder, tmp_path, more, taken):
    with closing(connect(folder / FILE_NAME)) as connection, closing(connect(prepare(tmp_path / "new"))) as other:
        data = json.loads(json.dumps(bundle.take_out(connection)))
        data["jobs"][0]["revisions"][0]["sentence"] = "x" * (bundle.MOST_TEXT["sentence"] + more)
        if taken:
            assert len(bundle.take_in(other, data)) == len(data["jobs"])
        else:
            with pytest.raises(YlemorphError, match="more than 2000 characters"):
                bundle.take_in(other, data)


def test_data_are_for_their_owner_alone(tmp_path):
    path = prepare(tmp_path / "data")
    with closing(connect(path)) as connection:
        jobs.create(connection, job_of(desk()))
        modes = {item.name: item.stat().st_mode & 0o077 for item in (tmp_path / "data").iterdir()}
    assert set(modes.values()) == {0}
    assert (tmp_path / "data").stat().st_mode & 0o077 == 0


@pytest.mark.skipif(os.getuid() == 0, reason="root may write everywhere")
def test_a_folder_that_may_only_be_read_is_said_at_the_start(folder):
    for item in [*folder.iterdir(), folder]:
        item.chmod(0o500 if item.is_dir() else 0o400)
    with pytest.raises(StoreError):
        prepare(folder)


def test_what_makes_room_is_possible_on_a_full_disk(folder, monkeypatch):
    """The first try meets a full disk; the reserve is given up, and the second succeeds."""
    tries = []
    own = fleets._delete_piece

    def full(connection, fleet, left):
        tries.append((folder / "reserve").exists())
        if len(tries) == 1:
            free["now"] = 0
            raise sqlite3.OperationalError("disk I/O error")
        own(connection, fleet, left)

    free = {"now": 2**30}
    monkeypatch.setattr(fleets, "_delete_piece", full)
    monkeypatch.setattr("ylemorph.store.database.shutil.disk_usage", lambda _: SimpleNamespace(free=free["now"]))
    with closing(connect(folder / FILE_NAME)) as connection:
        fleets.delete(connection, fleets.heads(connection)[0].id)
        assert fleets.heads(connection) == []
    assert tries[:2] == [True, False]


@pytest.fixture
def small_disk(tmp_path):
    """A file system of 12 MiB of its own, where the machine lets us have one."""
    place = tmp_path / "small"
    place.mkdir()
    command = ["mount", "-t", "tmpfs", "-o", "size=12m", "tmpfs", str(place)]
    if subprocess.run(command, check=False, capture_output=True).returncode:
        pytest.skip("no file system can be mounted here")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=False)


def filled(place):
    """A file that takes all the room there is."""
    with place.open("wb", buffering=0) as file, suppress(OSError):
        while file.write(bytes(65536)):
            pass


def as_many_as_go(connection, kept):
    for n in range(4000):
        jobs.create(connection, job_of(desk(serial=f"T{n}")))
        kept.append(n)


def test_on_a_really_full_disk_nothing_is_lost_and_jobs_can_be_deleted(small_disk):
    with closing(connect(prepare(small_disk))) as connection:
        made = [jobs.create(connection, job_of(desk(serial=f"S{n}"))).id for n in range(20)]
        filled(small_disk / "filler")
        kept = []
        with pytest.raises(sqlite3.OperationalError, match="full"):
            as_many_as_go(connection, kept)
        assert len(jobs.lines(connection)) == 20 + len(kept)
        for number in made:
            jobs.delete(connection, number)
        assert len(jobs.lines(connection)) == len(kept)
        assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda job: job.pop("head"), "“head” is missing"),
        (lambda job: job["revisions"][0].pop("sentence"), "“sentence” is missing"),
        (lambda job: job.update(revisions=5), "its form is off"),
        (lambda job: job.update(version="many"), "a value is none that belongs there"),
    ],
)
def test_what_is_wrong_with_a_file_of_jobs_is_said(tmp_path, spoil, said):
    with closing(connect(prepare(tmp_path))) as connection:
        job = jobs.create(connection, job_of(desk())).id
        taken = json.loads(json.dumps(bundle.take_out(connection, [job])))
        spoil(taken["jobs"][0])
        with pytest.raises(YlemorphError) as caught:
            bundle.take_in(connection, taken)
        assert said in str(caught.value)
        assert [line.id for line in jobs.lines(connection)] == [job]
