"""Killed outright in the middle of whatever it does: what was acknowledged is there, and the file is sound."""

import base64
import contextlib
import http.client
import json
import lzma
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from pathlib import Path

from tests.make import desk, job_of
from tests.web.test_serving import free_port
from ylemorph.core.disk.model import Survey
from ylemorph.demo.load import load_demo
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.store import jobs
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.store.files import back_up
from ylemorph.store.preparing import newest_version, prepare

TIMES = 100 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 4
OLD = Path(__file__).parents[1] / "store" / "old" / "version-2.sqlite3.xz"


class Server:
    """``ylemorph serve`` on a data folder, and what it acknowledged."""

    def __init__(self, folder):
        self.port = free_port()
        command = [sys.executable, "-m", "ylemorph", "serve", "--port", str(self.port), "--data", str(folder)]
        self.process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        self.said = self.process.stderr.readline()
        assert "Ylemorph is at" in self.said, self.said

    def ask(self, method, path, body=None):
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
        text = json.dumps(body) if body is not None else None
        try:
            connection.request(method, path, text, {"Content-Type": "application/json"})
            answer = connection.getresponse()
            data = answer.read()
        finally:
            connection.close()
        assert answer.status < 300, data
        return json.loads(data) if data else None

    def kill(self):
        self.process.send_signal(signal.SIGKILL)
        self.process.wait(20)
        self.process.stderr.close()


def sound(folder):
    """Integrity and foreign keys of the data file, by a connection that is not the program's."""
    with contextlib.closing(sqlite3.connect(folder / FILE_NAME)) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
        assert connection.execute("PRAGMA foreign_key_check").fetchall() == []


def writing(server, job, at, acknowledged):
    """One window that changes its job again and again, until the server is gone."""
    number = acknowledged.get(job, 0)
    with contextlib.suppress(OSError, http.client.HTTPException):
        while True:
            number += 1
            server.ask("POST", f"/api/jobs/{job}/changes", {"kind": "describe", "note": str(number)})
            acknowledged[job] = number
            if at.random() < 0.1:
                server.ask("PUT", "/api/shelf", {"disks": [{"name": f"Brindle {number}", "size": "480GB"}]})


def long_work(server, fleet, survey, made):
    """Machines are added to a fleet, which is worked out meanwhile."""
    text = json.dumps(survey)
    with contextlib.suppress(OSError, http.client.HTTPException):
        while True:
            rows = [{"name": f"m{made['files']}-{n}.json", "text": text} for n in range(3)]
            server.ask("POST", f"/api/fleets/{fleet}/files", {"files": [encoded(row) for row in rows]})
            made["files"] += 1


def practising(server, job, made):
    """The job is practised on the bench, stopped, and practised again."""
    with contextlib.suppress(OSError, http.client.HTTPException):
        while True:
            server.ask("POST", f"/api/jobs/{job}/practice", {"pace": 0.2})
            made["practices"] += 1
            time.sleep(0.05)
            server.ask("DELETE", f"/api/jobs/{job}/practice")
            while server.ask("GET", f"/api/jobs/{job}/practice")["state"] == "running":
                time.sleep(0.01)


def open_records(folder):
    """Records that never ended, of each job: one at the most may be under way."""
    with contextlib.closing(sqlite3.connect(folder / FILE_NAME)) as connection:
        return (
            connection.execute(
                "SELECT max(n) FROM (SELECT count(*) AS n FROM run WHERE ended_at IS NULL GROUP BY job)"
            ).fetchone()[0]
            or 0
        )


def encoded(row):
    return {"name": row["name"], "data": base64.b64encode(row["text"].encode()).decode()}


def test_killed_again_and_again(tmp_path):
    at, acknowledged, made = random.Random(7), {}, {"files": 0, "practices": 0}
    survey = json.loads(json.dumps(survey_to_data(Survey(desk(serial="S-1")))))
    server = Server(tmp_path)
    numbers = [server.ask("POST", "/api/jobs", {"name": f"Job {n}", "source": survey})["id"] for n in range(3)]
    fleet = server.ask("POST", "/api/fleets", {"targets": ["480GB", "240GB"]})["id"]
    pair = []
    for key in ("desk", "blank"):
        server.ask("POST", f"/api/bench/{key}/attach")
        pair.append(server.ask("POST", f"/api/bench/{key}/read"))
    practised = server.ask("POST", "/api/jobs", {"source": pair[0], "target": pair[1]})["id"]
    for _ in range(TIMES):
        threads = [threading.Thread(target=writing, args=(server, job, at, acknowledged)) for job in numbers]
        threads.append(threading.Thread(target=long_work, args=(server, fleet, survey, made)))
        threads.append(threading.Thread(target=practising, args=(server, practised, made)))
        for thread in threads:
            thread.start()
        time.sleep(at.uniform(0.02, 0.5))
        while not made["practices"] and threads[-1].is_alive():  # not before it was practised at all
            time.sleep(0.01)
        server.kill()
        for thread in threads:
            thread.join(30)
        sound(tmp_path)
        assert open_records(tmp_path) <= 1
        server = Server(tmp_path)
        for job in numbers:
            held = int(server.ask("GET", f"/api/jobs/{job}")["note"] or 0)
            assert held in (acknowledged.get(job, 0), acknowledged.get(job, 0) + 1)  # the last may have been on its way
            acknowledged[job] = held
        assert server.ask("GET", f"/api/fleets/{fleet}")["machines"] >= 3 * made["files"]
    server.kill()
    assert sum(acknowledged.values()) > TIMES
    assert made["practices"]


def test_killed_while_a_copy_is_put_back(tmp_path):
    """The old data or the new, whole; and nothing half is left once the program started again."""
    at, folder, copy = random.Random(9), tmp_path / "data", tmp_path / "copy.sqlite3"
    with contextlib.closing(connect(prepare(tmp_path / "other"))) as connection:
        load_demo(connection)
    back_up(tmp_path / "other" / FILE_NAME, copy)
    with contextlib.closing(connect(prepare(folder))) as connection:
        jobs.create(connection, job_of(desk()))
        whole = {1, jobs.count(connection) - 1 + len(demo_jobs(tmp_path))}
    code = (
        "import sys, pathlib; from ylemorph.store.files import restore; print('begun', flush=True);"
        "restore(pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2]))"
    )
    seen = set()
    for _ in range(TIMES):
        command = [sys.executable, "-c", code, str(folder), str(copy)]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        process.stdout.readline()
        time.sleep(at.uniform(0, 0.15))
        process.kill()
        process.wait(20)
        process.stdout.close()
        prepare(folder)
        sound(folder)
        with contextlib.closing(connect(folder / FILE_NAME)) as connection:
            held = jobs.count(connection)
            seen.add(held)
            for line in jobs.lines(connection):
                jobs.get(connection, line.id)
                if held > 1:  # the old data anew
                    jobs.delete(connection, line.id)
            if held > 1:
                jobs.create(connection, job_of(desk()))
        assert not list(folder.glob(".*.part*"))
        for aside in folder.glob("ylemorph-*.sqlite3"):
            sound_file(aside)
            aside.unlink()
    assert seen <= whole


def demo_jobs(folder):
    with contextlib.closing(connect(folder / "other" / FILE_NAME)) as connection:
        return jobs.lines(connection)


def sound_file(place):
    with contextlib.closing(sqlite3.connect(place)) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]


def test_killed_while_an_older_file_is_brought_up_to_date(tmp_path):
    at = random.Random(8)
    whole = lzma.decompress(OLD.read_bytes())
    old = tmp_path / "old.sqlite3"
    old.write_bytes(whole)
    with contextlib.closing(sqlite3.connect(old)) as connection:
        expected = connection.execute("SELECT id, number, sentence FROM revision ORDER BY id").fetchall()
    reached = set()
    for n in range(TIMES):
        folder = tmp_path / str(n)
        folder.mkdir()
        (folder / FILE_NAME).write_bytes(whole)
        command = [sys.executable, "-c", "import sys, pathlib; from ylemorph.store.preparing import prepare; "
                   "print('begun', flush=True); prepare(pathlib.Path(sys.argv[1]))", str(folder)]  # fmt: skip
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        process.stdout.readline()
        time.sleep(at.uniform(0, 0.06))
        process.kill()
        process.wait(20)
        process.stdout.close()
        with contextlib.closing(sqlite3.connect(folder / FILE_NAME)) as connection:
            reached.add(connection.execute("PRAGMA user_version").fetchone()[0])
        prepare(folder)
        sound(folder)
        with contextlib.closing(sqlite3.connect(folder / FILE_NAME)) as connection:
            assert connection.execute("PRAGMA user_version").fetchone()[0] == newest_version()
            found = connection.execute("SELECT id, number, sentence FROM revision ORDER BY id").fetchall()
            told = [one for one in found if one[2].startswith("Identity as needed from now on")]
            assert [one for one in found if one not in told] == expected
            heads = {head for (head,) in connection.execute("SELECT head FROM job")}
            assert told
            assert {one[0] for one in told} <= heads  # each job says it once
        shutil.rmtree(folder)
    assert reached <= set(range(2, newest_version() + 1))


def test_two_hundred_readers_and_twenty_writers_on_one_job(tmp_path):
    server = Server(tmp_path)
    survey = json.loads(json.dumps(survey_to_data(Survey(desk(serial="S-1")))))
    job = server.ask("POST", "/api/jobs", {"name": "Desk", "source": survey, "target": {"nominal": "480GB"}})["id"]
    wrong, begin = [], threading.Barrier(220)

    def act(call, times):
        begin.wait(60)
        for n in range(times):
            try:
                call(n)
            except (AssertionError, OSError, http.client.HTTPException) as error:
                wrong.append(repr(error))

    def write(writer):
        return lambda n: server.ask("POST", f"/api/jobs/{job}/changes", {"kind": "describe", "note": f"{writer}-{n}"})

    threads = [threading.Thread(target=act, args=(write(n), 5)) for n in range(20)]
    threads += [
        threading.Thread(target=act, args=(lambda _: server.ask("GET", f"/api/jobs/{job}"), 2)) for _ in range(200)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(120)
    assert wrong == []
    assert server.ask("GET", f"/api/jobs/{job}")["revision"] == 1 + 20 * 5
    server.kill()
    sound(tmp_path)
