"""The data file under the program's feet: gone, exchanged, on a full disk, begun by two at once, deleted in pieces."""

import contextlib
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import threading

import pytest

from tests.make import desk, job_of
from tests.store.test_files import filled, small_disk  # noqa: F401  # a fixture
from tests.store.test_restore import copy  # noqa: F401  # a fixture
from tests.web.test_full_disk import ask
from tests.web.test_killed import OLD, Server, sound
from ylemorph.core.buy.shelf import ShelfDisk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.sizes import GB
from ylemorph.formats.listings.fleet_read import Found
from ylemorph.order import Queue
from ylemorph.store import database, fleets, jobs, people, turns
from ylemorph.store.database import FILE_NAME, LEAST_ROOM, RESERVE_NAME, connect, transaction
from ylemorph.store.preparing import newest_version, prepare

# --- gone -------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("how", ["deleted", "exchanged", "folder deleted"])
def test_a_data_file_that_goes_is_said_and_not_made_anew(app, api, job, tmp_path, how):
    if how == "deleted":
        (tmp_path / FILE_NAME).unlink()
    elif how == "exchanged":
        (tmp_path / FILE_NAME).rename(tmp_path / "aside")
        shutil.copy(tmp_path / "aside", tmp_path / FILE_NAME)
    else:
        for place in tmp_path.glob("ylemorph.sqlite3*"):
            place.unlink()
    for method, path, body in (("GET", "/api/jobs", None), ("POST", "/api/jobs", {"name": "Second"})):
        answer = api(method, path, body)
        assert answer.status_code == 507
        assert "taken away or exchanged" in answer.get_json()["detail"]
        assert "ylemorph restore" in answer.get_json()["mend"]
    assert (tmp_path / FILE_NAME).exists() == (how == "exchanged")
    with pytest.raises(sqlite3.OperationalError):
        connect(tmp_path / "nothing.sqlite3").execute("SELECT 1 FROM job")


def test_it_goes_on_where_the_file_is_put_back(api, job, tmp_path):
    (tmp_path / FILE_NAME).rename(tmp_path / "aside")
    assert api("GET", "/api/jobs").status_code == 507
    (tmp_path / "aside").rename(tmp_path / FILE_NAME)
    assert api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Counter"}).status_code == 200


# --- begun by two at once ---------------------------------------------------------------------------------------------


def test_many_begin_at_once_on_an_old_file(tmp_path):
    import lzma

    (tmp_path / FILE_NAME).write_bytes(lzma.decompress(OLD.read_bytes()))
    code = (
        "import sys, pathlib; from ylemorph.store.preparing import prepare; sys.stdin.readline();"
        "prepare(pathlib.Path(sys.argv[1]))"
    )
    begun = [
        subprocess.Popen([sys.executable, "-c", code, str(tmp_path)], stdin=subprocess.PIPE, stderr=subprocess.PIPE)
        for _ in range(6)
    ]
    said = []
    for process in begun:
        process.stdin.write(b"\n")
        process.stdin.flush()
    for process in begun:
        said.append(process.communicate(timeout=60)[1])
    assert [process.returncode for process in begun] == [0] * 6, said
    with contextlib.closing(connect(tmp_path / FILE_NAME)) as connection:
        assert connection.execute("PRAGMA user_version").fetchone()[0] == newest_version()
    assert len(list(tmp_path.glob("*.before-*"))) == 1


# --- turns ------------------------------------------------------------------------------------------------------------


def test_turns_are_handed_on_in_the_order_in_which_they_were_asked_for():
    queue, done, threads = Queue(), [], []
    assert queue.take(1)

    def wait(number):
        assert queue.take(20)
        done.append(number)
        queue.hand_on()

    for number in range(20):
        thread = threading.Thread(target=wait, args=(number,))
        thread.start()
        threads.append(thread)
        while queue.waiting <= number:
            pass
    queue.hand_on()
    for thread in threads:
        thread.join(20)
    assert done == list(range(20))
    assert queue.take(0)


def test_a_turn_that_never_comes_is_said_and_the_next_one_does():
    queue = Queue()
    assert queue.take(0)
    assert not queue.take(0.01)
    assert queue.waiting == 0
    queue.hand_on()
    assert queue.take(0)


def test_a_transaction_in_another_is_a_part_of_it(tmp_path):
    with contextlib.closing(connect(prepare(tmp_path))) as connection:
        with contextlib.suppress(ZeroDivisionError), transaction(connection):
            jobs.create(connection, job_of(desk()))
            raise ZeroDivisionError
        assert jobs.lines(connection) == []
        with transaction(connection):
            jobs.create(connection, job_of(desk()))
            jobs.create(connection, job_of(desk(serial="S-2")))
        assert len(jobs.lines(connection)) == 2
        assert connection.depth == 0


def test_whoever_waits_too_long_is_told_to_try_again(api, job, monkeypatch, tmp_path):
    monkeypatch.setattr(turns, "WAIT_SECONDS", 0.01)
    with contextlib.closing(connect(tmp_path / FILE_NAME)) as other, turns.turn(other):
        answer = api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Counter"})
    assert answer.status_code == 503
    assert api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Counter"}).status_code == 200


# --- fleets that are deleted ------------------------------------------------------------------------------------------


def fleet_of(connection, count, name="Big"):
    made = fleets.create(
        connection, name, fleets.Wishes((ShelfDisk("x", nominal_disk(480 * GB)),), ("snug",), Options())
    )
    fleets.add(connection, made, [Found(f"m{n}", f"m{n}", Survey(desk(serial=f"S{n}"))) for n in range(count)])
    return made


def count(connection, table):
    return connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0]


def test_a_fleet_is_deleted_in_pieces_between_which_others_write(tmp_path, monkeypatch):
    monkeypatch.setattr(fleets, "PIECE", 10)
    with contextlib.closing(connect(prepare(tmp_path))) as connection:
        kept, gone = fleet_of(connection, 5, "Small"), fleet_of(connection, 95)
        begun = []
        own = fleets._delete_piece

        def piece(*given):
            with contextlib.closing(connect(tmp_path / FILE_NAME)) as other:
                assert [head.id for head in fleets.heads(other)] == [kept]  # gone for everybody at once
            begun.append(1)
            own(*given)

        monkeypatch.setattr(fleets, "_delete_piece", piece)
        fleets.delete(connection, gone)
        assert len(begun) == 11
        assert (count(connection, "fleet"), count(connection, "fleet_machine")) == (1, 5)
        assert count(connection, "survey") == 5


def test_what_was_left_of_a_deleted_fleet_goes_at_the_next_start(tmp_path, monkeypatch):
    with contextlib.closing(connect(prepare(tmp_path))) as connection:
        fleet = fleet_of(connection, 5)
        monkeypatch.setattr(fleets, "finish_deleting", lambda _: None)  # killed there
        fleets.delete(connection, fleet)
        monkeypatch.undo()
        assert fleets.heads(connection) == []
        assert count(connection, "fleet_machine") == 5
        fleets.finish_deleting(connection)
        assert (count(connection, "fleet"), count(connection, "fleet_machine"), count(connection, "survey")) == (
            0,
            0,
            0,
        )


def test_no_machine_is_looked_for_in_all_of_them(tmp_path):
    """What deleting asks of the database goes by an index, each time."""
    with contextlib.closing(connect(prepare(tmp_path))) as connection:
        for sql in (
            "SELECT 1 FROM fleet_machine WHERE same_of = 1", "SELECT 1 FROM fleet_machine WHERE survey = 1",
            "SELECT 1 FROM revision WHERE source = 1", "SELECT 1 FROM revision WHERE target = 1",
            "SELECT 1 FROM finished WHERE survey = 1", "SELECT 1 FROM fleet_line WHERE machine = 1",
            "SELECT 1 FROM fleet_machine WHERE fleet = 1",
        ):  # fmt: skip
            plan = " ".join(row["detail"] for row in connection.execute(f"EXPLAIN QUERY PLAN {sql}"))
            assert "SEARCH" in plan, (sql, plan)
            assert "SCAN" not in plan, (sql, plan)


# --- no byte left -----------------------------------------------------------------------------------------------------


def test_with_no_byte_left_one_reads_signs_in_and_deletes(small_disk):  # noqa: F811
    server = Server(small_disk)
    made = [server.ask("POST", "/api/jobs", {"name": f"Job {n}", "note": "x" * 9000})["id"] for n in range(8)]
    fleet = server.ask("POST", "/api/fleets", {"name": "Big", "targets": ["480GB"]})["id"]
    with contextlib.closing(connect(small_disk / FILE_NAME)) as connection:
        people.add(connection, "Mara Quill", "workshop", "copper kettle on a ledge")
    filled(small_disk / "filler")
    assert shutil.disk_usage(small_disk).free < 4096
    for path in ("/api/jobs", f"/api/jobs/{made[0]}", "/api/fleets", "/api/people", "/api/data", "/api/settings"):
        assert ask(server, "GET", path)[0] == 200, path
    for number in range(3):  # said each time it is asked for, and nothing else happens
        status, problem = ask(server, "POST", "/api/jobs", {"name": f"One more {number}"})
        assert (status, problem["detail"]) == (507, "There is no room on this disk")
    with contextlib.closing(connect(small_disk / FILE_NAME)) as connection:
        assert people.sign_in(connection, "Mara Quill", "copper kettle on a ledge") is not None
    for number in made:
        assert ask(server, "DELETE", f"/api/jobs/{number}")[0] == 204
    assert ask(server, "DELETE", f"/api/fleets/{fleet}")[0] == 204
    assert ask(server, "GET", "/api/jobs") == (200, {"jobs": [], "next": None})
    assert ask(server, "POST", "/api/jobs", {"name": "One more"})[0] == 507  # the room is kept for deleting
    server.kill()
    sound(small_disk)
    again = Server(small_disk)  # it also starts there
    assert ask(again, "GET", "/api/jobs") == (200, {"jobs": [], "next": None})
    (small_disk / "filler").unlink()
    assert ask(again, "POST", "/api/jobs", {"name": "Room again"})[0] == 201
    again.kill()


def test_the_reserve_is_held_again_once_there_is_room(small_disk):  # noqa: F811
    with contextlib.closing(connect(prepare(small_disk))) as connection:
        number = jobs.create(connection, job_of(desk())).id
        filled(small_disk / "filler")
        jobs.delete(connection, number)
        assert shutil.disk_usage(small_disk).free < LEAST_ROOM
        assert (small_disk / RESERVE_NAME).stat().st_size > 0
        (small_disk / "filler").unlink()
        prepare(small_disk)
        assert (small_disk / RESERVE_NAME).stat().st_size == 4 * 2**20


def test_a_backup_leaves_what_deleting_takes(api, job, monkeypatch, tmp_path):
    from types import SimpleNamespace

    monkeypatch.setattr("ylemorph.store.files.shutil.disk_usage", lambda _: SimpleNamespace(free=LEAST_ROOM, total=1))
    answer = api("POST", "/api/backups")
    assert answer.status_code == 422
    assert "no room" in answer.get_json()["detail"]
    assert os.listdir(tmp_path / "backups") == []


# --- practice ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def practised(api):
    """A job whose target lies on the bench, ready to be practised slowly."""
    api("POST", "/api/bench/desk/attach")
    api("POST", "/api/bench/blank/attach")
    source = api("POST", "/api/bench/desk/read").get_json()
    target = api("POST", "/api/bench/blank/read").get_json()
    job = api("POST", "/api/jobs", {"source": source, "target": target}).get_json()
    yield job
    api("DELETE", f"/api/jobs/{job['id']}/practice")


def test_a_refused_practice_leaves_the_record_as_it_was(api, practised, tmp_path):
    path = f"/api/jobs/{practised['id']}"
    begun = api("POST", f"{path}/practice", {"pace": 60})
    assert begun.status_code == 200, begun.get_json()
    with contextlib.closing(connect(tmp_path / FILE_NAME)) as connection:
        before = [tuple(row) for row in connection.execute("SELECT * FROM run")]
        for _ in range(3):  # P pressed again, and in a second window
            refused = api("POST", f"{path}/practice", {"pace": 60})
            assert (refused.status_code, "at work on this already" in refused.get_json()["detail"]) == (422, True)
        assert [tuple(row) for row in connection.execute("SELECT * FROM run")] == before
        assert [row["ended_at"] for row in connection.execute("SELECT ended_at FROM run")] == [None]


def test_a_practice_that_cannot_be_kept_is_not_begun(api, app, practised, monkeypatch):
    path = f"/api/jobs/{practised['id']}"
    api("POST", f"{path}/record", {"what": "begin"})

    def kept():
        """But for how long the present step has lasted."""
        run = api("GET", f"{path}/carry").get_json()["run"]
        return {key: value for key, value in run.items() if key != "present"}

    held = kept()
    from ylemorph.usecases import carrying

    def full(*_given, **_more):
        raise sqlite3.OperationalError("database or disk is full")

    monkeypatch.setattr(carrying.runs, "begin", full)
    assert api("POST", f"{path}/practice", {"pace": 0}).status_code == 507
    monkeypatch.undo()
    assert kept() == held
    assert api("GET", f"{path}/practice").get_json()["state"] is None
    assert json.loads(api("POST", f"{path}/practice", {"pace": 0}).get_data())["state"] == "running"


def test_requests_share_a_connection_unless_one_broke_off(app, api, job, monkeypatch):
    made = []
    monkeypatch.setattr(database, "connect", lambda path: made.append(path) or connect(path))
    for _ in range(5):
        assert api("GET", "/api/jobs").status_code == 200
    assert made == []
    assert api("GET", "/api/jobs/999").status_code == 404
    assert api("GET", "/api/jobs").status_code == 200
    assert len(made) == 1
