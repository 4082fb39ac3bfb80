"""Data damaged by hand: what is broken is said to be, everything else goes on."""

import sqlite3

import pytest

from ylemorph.core.errors import YlemorphError
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.store.preparing import prepare
from ylemorph.web.edge.services import services

BREAKS = {
    "a survey that is none": "UPDATE survey SET body = '{}' WHERE id = (SELECT source FROM revision WHERE job = ?)",
    "a survey of nonsense": """UPDATE survey SET body = '{"disk": {"sectors": "many"}}'
                               WHERE id = (SELECT source FROM revision WHERE job = ?)""",
    "options of nonsense": "UPDATE revision SET options = '{\"nonsense\": 1}' WHERE job = ?",
    "options as a list": "UPDATE revision SET options = '[]' WHERE job = ?",
    "roles as they were once stored": 'UPDATE revision SET options = \'{"role": ["3-data"]}\' WHERE job = ?',
    "a tail that no reader takes": 'UPDATE revision SET options = \'{"tail": "1e999999999%"}\' WHERE job = ?',
    "a target that is no size": "UPDATE revision SET target_size = 'large' WHERE job = ?",
}


@pytest.fixture
def broken(app, api, job, survey):
    """Breaks the first job by hand; a second one stands beside it."""
    survey["disk"]["serial"] = "BK4-SOUND"
    sound = api("POST", "/api/jobs", {"source": survey, "target": {"nominal": "480GB"}, "name": "Sound"}).get_json()

    def damage(sql):
        connection = connect(services(app).shop.store)
        connection.execute(sql, (job["id"],))
        connection.close()
        return job["id"], sound["id"]

    return damage


@pytest.mark.parametrize("how", BREAKS)
def test_one_broken_job_is_one_broken_job(api, broken, how):
    bad, sound = broken(BREAKS[how])
    lines = {line["id"]: line for line in api("GET", "/api/jobs").get_json()["jobs"]}
    assert lines[bad]["broken"]
    assert (lines[sound]["broken"], lines[sound]["verdict"]) == ("", "comfortable")
    told = api("GET", f"/api/jobs/{bad}")
    assert told.status_code == 422
    assert "cannot be read" in told.get_json()["detail"]
    assert told.get_json()["mend"]
    assert api("GET", f"/api/jobs/{sound}").status_code == 200
    assert api("POST", f"/api/jobs/{sound}/changes", {"kind": "fit", "fit": "snug"}).status_code == 200
    assert api("POST", f"/api/jobs/{bad}/changes", {"kind": "fit", "fit": "snug"}).status_code == 422
    assert api("GET", f"/api/jobs/{bad}/surveys/source").data.startswith(b"{")
    assert api("GET", f"/api/jobs/{bad}/history").status_code == 200
    assert api("DELETE", f"/api/jobs/{bad}").status_code == 204
    assert [line["id"] for line in api("GET", "/api/jobs").get_json()["jobs"]] == [sound]


def test_a_job_that_broke_goes_back_to_an_earlier_change(api, app, job):
    api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "fit", "fit": "snug"})
    connection = connect(services(app).shop.store)
    connection.execute("UPDATE revision SET options = '{\"nonsense\": 1}' WHERE job = ? AND number = 2", (job["id"],))
    connection.close()
    assert api("GET", f"/api/jobs/{job['id']}").status_code == 422
    back = api("POST", f"/api/jobs/{job['id']}/history/1")
    assert (back.status_code, back.get_json()["options"]) == (200, {})


def test_settings_that_cannot_be_read_are_left_out(api, app, survey):
    connection = connect(services(app).shop.store)
    connection.execute("INSERT INTO setting VALUES ('headroom', '\"1e999990\"'), ('grain', '[]')")
    connection.close()
    assert api("GET", "/api/settings").get_json()["headroom"] == "15"
    assert api("POST", "/api/jobs", {"source": survey}).get_json()["options"] == {}


def test_damage_in_the_middle_of_the_file_is_found_at_the_start(tmp_path):
    path = prepare(tmp_path)
    connection = connect(path)
    connection.executemany(
        "INSERT INTO setting VALUES (?, ?)", ((f"key-{n:05}", f'"{"x" * 200}"') for n in range(2000))
    )
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.close()
    data = bytearray((tmp_path / FILE_NAME).read_bytes())
    middle = len(data) // 2
    data[middle : middle + 4096] = b"\xa5" * 4096
    (tmp_path / FILE_NAME).write_bytes(data)
    with pytest.raises(YlemorphError, match="damaged"):
        prepare(tmp_path)


@pytest.mark.parametrize(
    ("words", "status", "told"),
    [
        ("database or disk is full", 507, "no room"), ("database is locked", 503, "another program"),
        ("attempt to write a readonly database", 507, "only be read"),
        ("database disk image is malformed", 507, "damaged"), ("UNIQUE constraint failed: x", 409, "contradicts"),
        ("something else", 507, "could not be used"),
    ],
)  # fmt: skip
def test_each_trouble_of_the_file_has_its_sentence(api, monkeypatch, words, status, told):
    def fail(*_):
        raise sqlite3.OperationalError(words)

    monkeypatch.setattr("ylemorph.usecases.jobs.kept.page", fail)
    answer = api("GET", "/api/jobs")
    assert answer.status_code == status
    assert told in answer.get_json()["detail"].lower()
