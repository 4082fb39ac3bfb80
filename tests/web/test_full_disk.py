"""A full disk under every kind of write: one sentence, and what was there stays as it was."""

import contextlib
import http.client
import json
import sqlite3

import pytest

from tests.store.test_files import filled, small_disk  # noqa: F401  # a fixture
from tests.web.test_killed import Server, sound
from tests.web.test_shapes import asked  # noqa: F401  # a fixture
from ylemorph.store import database
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.web.edge.rights import changes_data
from ylemorph.web.edge.services import services

# Writes that need no room of the data file, or free some.
NO_ROOM_NEEDED = {
    ("POST", "/api/backups"), ("POST", "/api/bench/{key}/attach"), ("POST", "/api/bench/{key}/detach"),
    ("POST", "/api/bench/{key}/read"), ("DELETE", "/api/session"), ("DELETE", "/api/session/others"),
    ("DELETE", "/api/jobs/{job_id}/arrivals/{arrival_id}"), ("POST", "/api/fleets/{fleet_id}/remove"),
}  # fmt: skip


@pytest.fixture
def full(app, asked, tmp_path, monkeypatch):  # noqa: F811
    """The application with a data file that cannot grow by a page any more, and none that is free."""
    with contextlib.closing(connect(tmp_path / FILE_NAME)) as connection:
        connection.execute("VACUUM")

    def connect_full(path):
        connection = connect(path)
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count = {pages}")
        return connection

    services(app).shop.keeper.close()  # what waits for its next use knows nothing of this
    monkeypatch.setattr(database, "connect", connect_full)
    return {
        operation: sent
        for operation, sent in asked.items()
        if operation not in NO_ROOM_NEEDED and changes_data(*operation)
    }


def grown(body):
    """The same request with so much in it that the free part of a page does not hold it."""
    if isinstance(body, dict) and "name" in body:
        return {**body, "name": "N" * 79 if "password" in body else "N" * 200}
    return body


def test_every_kind_of_write(api, full, tmp_path):
    refused = set()
    with contextlib.closing(sqlite3.connect(tmp_path / FILE_NAME)) as watcher:

        def written():
            """A number that any other connection's commit changes."""
            return watcher.execute("PRAGMA data_version").fetchone()

        for operation, (path, body) in full.items():
            for _ in range(60):
                before = written()
                answer = api(operation[0], path, grown(body))
                if answer.status_code >= 400 or operation[0] == "PUT" or written() == before:
                    break  # refused, or once more would write nothing either
            if answer.status_code == 507:
                refused.add(operation)
                problem = answer.get_json()
                assert (problem["detail"], problem["title"]) == ("There is no room on this disk", "Nothing was saved")
                assert "free some space" in problem["mend"]
                assert written() == before, operation
            else:
                assert answer.status_code in (200, 201, 204, 409, 422), (operation, answer.get_json())
    assert len(refused) >= 8, refused
    assert api("GET", "/api/jobs").status_code == 200


def ask(server, method, path, body=None):
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
    connection.request(
        method, path, json.dumps(body) if body is not None else None, {"Content-Type": "application/json"}
    )
    answer = connection.getresponse()
    data = answer.read()
    connection.close()
    return answer.status, json.loads(data) if data else None


def test_the_running_program_on_a_really_full_disk(small_disk):  # noqa: F811
    server = Server(small_disk)
    job = server.ask("POST", "/api/jobs", {"name": "Desk"})["id"]
    filled(small_disk / "filler")
    with (small_disk / "filler").open("r+b") as filler:
        filler.truncate((small_disk / "filler").stat().st_size - 1_200_000)
    kept, statuses = "", set()
    for n in range(3000):
        note = f"{n} " + "x" * 4000
        status, problem = ask(server, "POST", f"/api/jobs/{job}/changes", {"kind": "describe", "note": note})
        statuses.add(status)
        if status == 507:
            assert problem["detail"] == "There is no room on this disk"
            break
        kept = note
    assert statuses == {200, 507}
    writes = (
        ("POST", "/api/jobs", {"name": "y" * 200}), ("POST", "/api/backups", None),
        ("POST", "/api/fleets", {"name": "y" * 200, "targets": ["480GB"]}),
        ("PUT", "/api/shelf", {"disks": [{"name": f"Quillon {n}", "size": "480GB", "note": "z" * 190}
                                       for n in range(99)]}),
        ("POST", "/api/people", {"name": "y" * 79, "role": "look", "password": "four plain words"}),
    )  # fmt: skip
    for method, path, body in writes:
        status, problem = ask(server, method, path, body)
        assert status in (201, 422, 507), (path, problem)
        if status != 201:
            assert "room" in problem["detail"] + problem["mend"], problem
    assert ask(server, "GET", f"/api/jobs/{job}")[1]["note"] == kept
    server.kill()
    sound(small_disk)
    (small_disk / "filler").unlink()
    again = Server(small_disk)
    assert again.ask("GET", f"/api/jobs/{job}")["note"] == kept
    again.kill()
