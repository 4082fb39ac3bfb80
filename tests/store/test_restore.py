"""A copy is put back only where it is whole and ours; else the old data answers at once, and one sentence says why."""

import os
import random
import shutil
import sqlite3
from contextlib import closing
from types import SimpleNamespace

import pytest

from tests.make import desk, job_of
from ylemorph.cli import main
from ylemorph.demo.load import load_demo
from ylemorph.store import doctor, jobs
from ylemorph.store.database import FILE_NAME, StoreError, connect
from ylemorph.store.doctor import examine
from ylemorph.store.files import back_up, keep_backup, restore, restore_backup
from ylemorph.store.preparing import newest_version, prepare, schema_of

TABLES = sorted(name for kind, name, _ in schema_of(newest_version()) if kind == "table" and name != "sqlite_sequence")
INDEXES = sorted(name for kind, name, sql in schema_of(newest_version()) if kind == "index" and sql)
RECURSIVE = "WITH RECURSIVE n(id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n) SELECT id, 1 AS version FROM n"
PERSON = "INSERT INTO person (name, role, password, created_at) VALUES ('Eve', 'workshop', 'x', '')"


def columns_of(table):
    with closing(sqlite3.connect(":memory:")) as connection:
        for _, _, sql in sorted(schema_of(newest_version()), key=lambda item: item[0] != "table"):
            if sql and "sqlite_sequence" not in sql:
                connection.execute(sql)
        return [row[1] for row in connection.execute(f"PRAGMA table_info({table})")]


def without(table, column):
    """The table anew without one of its columns, as somebody would make it by hand."""
    kept = ", ".join(name for name in columns_of(table) if name != column) or "1 AS x"
    return f"CREATE TABLE other AS SELECT {kept} FROM {table}; DROP TABLE {table}; ALTER TABLE other RENAME TO {table}"


SCRIPTS = {f"without the table {name}": f"DROP TABLE {name}" for name in TABLES}
SCRIPTS |= {
    f"without {table}.{column}": without(table, column) for table in TABLES for column in columns_of(table)[-1:]
}
SCRIPTS |= {f"without the index {name}": f"DROP INDEX {name}" for name in INDEXES[:3]}
# The last migration writes lines alone: a file of the version before it looks alike, and is one.
SCRIPTS |= {f"of version {n}": f"PRAGMA user_version = {n}" for n in (-1, 0, 1, newest_version() - 2, 10**6)}
SCRIPTS |= {
    "with a trigger": f"CREATE TRIGGER t AFTER INSERT ON tick BEGIN {PERSON}; END",
    "with a trigger on sessions": f"CREATE TRIGGER t AFTER DELETE ON session BEGIN {PERSON}; END",
    "with a view": "CREATE VIEW more AS SELECT * FROM person",
    "with an endless view in the place of jobs": f"DROP TABLE job; CREATE VIEW job AS {RECURSIVE}",
    "with a virtual table": "CREATE VIRTUAL TABLE words USING fts5(word)",
    "with a table of its own": "CREATE TABLE more (x)",
    "with a column more": "ALTER TABLE job ADD COLUMN more TEXT",
    "with a looser rule": "DROP TABLE tick; CREATE TABLE tick (job INTEGER, item TEXT, at TEXT)",
    "with a revision of no job": "PRAGMA foreign_keys = OFF; DELETE FROM job WHERE id = 1",
    "with a job that cannot be read": "UPDATE revision SET options = '{\"nonsense\": 1}'",
}
BYTES = {
    "half of it": lambda data: data[: len(data) // 2],
    "half of its last page": lambda data: data[:-2048],
    "with a page of noise": lambda data: data[:8192] + random.Random(5).randbytes(4096) + data[12288:],
    "with pages of zeros": lambda data: data[:16384] + bytes(20_480) + data[36_864:],
    "with a wrong beginning": lambda data: b"SQLite format 4\0" + data[16:],
    "with a wrong page size": lambda data: data[:16] + b"\x10\x01" + data[18:],
    "text": lambda _: b"no data file",
    "nothing": lambda _: b"",
}
DAMAGED = [*SCRIPTS, *BYTES, "a gigabyte of zeros", "a folder", "missing"]


@pytest.fixture(scope="module")
def copy(tmp_path_factory):
    """A whole copy, once."""
    place = tmp_path_factory.mktemp("copy")
    with closing(connect(prepare(place / "data"))) as connection:
        load_demo(connection)
    back_up(place / "data" / FILE_NAME, place / "copy.sqlite3")
    return place / "copy.sqlite3"


@pytest.fixture
def folder(tmp_path):
    """A data folder with one job of its own."""
    with closing(connect(prepare(tmp_path / "data"))) as connection:
        jobs.create(connection, job_of(desk()).but(name="what was there before"))
    return tmp_path / "data"


def damaged(copy, place, how):
    if how == "missing":
        return
    if how == "a folder":
        place.mkdir()
    elif how == "a gigabyte of zeros":
        place.touch()
        os.truncate(place, 2**30)
    elif how in BYTES:
        place.write_bytes(BYTES[how](copy.read_bytes()))
    else:
        shutil.copy(copy, place)
        with closing(sqlite3.connect(place)) as connection:
            connection.executescript(SCRIPTS[how])


def test_there_are_enough_of_them():
    assert len(DAMAGED) >= 40


@pytest.mark.parametrize("how", DAMAGED)
def test_a_damaged_copy_is_refused_and_the_old_data_answers(copy, folder, tmp_path, capsys, how):
    place = tmp_path / "damaged.sqlite3"
    damaged(copy, place, how)
    assert main(["restore", str(place), "--data", str(folder)]) == 2
    lines = capsys.readouterr().err.splitlines()
    assert len(lines) == 1
    assert str(place) in lines[0]
    with closing(connect(folder / FILE_NAME)) as connection:
        assert [line.name for line in jobs.lines(connection)] == ["what was there before"]
        assert connection.execute("SELECT count(*) FROM person").fetchone()[0] == 0
    assert sorted(item.name for item in folder.iterdir() if "sqlite3" in item.name and "-" not in item.name) == [
        FILE_NAME
    ]
    assert not list(folder.glob(".*.part*"))


@pytest.mark.parametrize("how", [how for how in DAMAGED if how not in ("a folder", "missing")])
def test_the_doctor_names_each(copy, tmp_path, how):
    (tmp_path / "data").mkdir()
    damaged(copy, tmp_path / "data" / FILE_NAME, how)
    assert not all(finding.well for finding in examine(tmp_path / "data")), how


@pytest.mark.parametrize("how", ["without the table tick", "with a trigger", "of version 1", "half of it"])
def test_a_server_does_not_start_on_one_and_says_where_copies_stand(copy, folder, how):
    kept = keep_backup(folder)
    (folder / FILE_NAME).unlink()
    damaged(copy, folder / FILE_NAME, how)
    with pytest.raises(StoreError) as caught:
        prepare(folder)
    assert kept.name in caught.value.mend


def test_jobs_that_cannot_be_read_are_taken_where_that_is_wanted(copy, folder, tmp_path, capsys):
    place = tmp_path / "damaged.sqlite3"
    damaged(copy, place, "with a job that cannot be read")
    assert main(["restore", str(place), "--data", str(folder), "--with-broken"]) == 0
    said = capsys.readouterr().out
    assert "What was there before stands in" in said
    with closing(connect(folder / FILE_NAME)) as connection:
        assert len(jobs.lines(connection)) > 5


@pytest.mark.parametrize("what", [b"no database at all, for a page or more" * 400, None])
def test_a_copy_takes_the_place_of_data_that_cannot_be_read(copy, folder, what):
    data = what or (folder / FILE_NAME).read_bytes()[:8192] + bytes(8192)
    (folder / FILE_NAME).write_bytes(data)
    held, aside = restore(folder, copy)
    assert aside.read_bytes() == data
    with closing(connect(prepare(folder))) as connection:
        assert len(jobs.lines(connection)) == held.jobs


def test_the_data_file_itself_is_no_copy(folder, tmp_path):
    (tmp_path / "link").symlink_to(folder / FILE_NAME)
    for place in (folder / FILE_NAME, tmp_path / "link"):
        with pytest.raises(StoreError, match="data file itself"):
            restore(folder, place)


def test_a_folder_that_it_makes_is_for_its_owner_alone(copy, tmp_path):
    restore(tmp_path / "new" / "data", copy)
    assert (tmp_path / "new" / "data").stat().st_mode & 0o777 == 0o700
    assert (tmp_path / "new" / "data" / FILE_NAME).stat().st_mode & 0o077 == 0


def test_a_backup_put_back_is_a_backup_more(folder):
    kept = keep_backup(folder)
    with closing(connect(folder / FILE_NAME)) as connection:
        jobs.create(connection, job_of(desk()))
    _, aside = restore_backup(folder, kept.name)
    with closing(connect(aside)) as connection:
        assert len(jobs.lines(connection)) == 2
    with closing(connect(folder / FILE_NAME)) as connection:
        assert len(jobs.lines(connection)) == 1


def test_what_was_cut_off_is_tidied_at_the_start(folder):
    (folder / "backups").mkdir()
    left = [folder / ".copy.sqlite3.part", folder / ".copy.sqlite3.part-journal", folder / "backups" / ".x.part"]
    for place in left:
        place.write_bytes(b"x")
    prepare(folder)
    assert not any(place.exists() for place in left)


@pytest.mark.parametrize(("free", "said"), [(64 * 2**20 - 1, "only 63 MiB left"), (64 * 2**20, "")])
def test_the_doctor_says_that_a_full_disk_is_near(tmp_path, monkeypatch, free, said):
    prepare(tmp_path)
    monkeypatch.setattr(doctor.shutil, "disk_usage", lambda _folder: SimpleNamespace(free=free))
    wrong = " ".join(finding.text for finding in doctor.examine(tmp_path) if not finding.well)
    assert (said in wrong) if said else not wrong


def test_what_to_do_with_a_damaged_file_depends_on_its_copies(tmp_path):
    prepare(tmp_path)
    place = tmp_path / FILE_NAME
    place.write_bytes(place.read_bytes()[:5000])
    with pytest.raises(StoreError) as caught:
        prepare(tmp_path)
    assert caught.value.mend == "put it aside; or choose another folder with --data"
    copies = tmp_path / "backups"
    copies.mkdir()
    for number in (1, 2):
        (copies / f"ylemorph-{number}.sqlite3").write_bytes(b"")
        os.utime(copies / f"ylemorph-{number}.sqlite3", (number, number))
    with pytest.raises(StoreError) as caught:
        prepare(tmp_path)
    assert caught.value.mend.startswith(
        f"put a copy back with ylemorph restore, such as {copies / 'ylemorph-2.sqlite3'}; or"
    )
