"""Backups, jobs as one file, and how the program is, over HTTP."""

import json

import pytest

from ylemorph.web.edge.services import services


def test_health_and_data(api, job):
    assert api("GET", "/api/health").get_json()["status"] == "well"
    data = api("GET", "/api/data").get_json()
    assert (data["jobs"], data["fleets"], data["backups"], data["working"]) == (1, 0, [], [])
    assert data["folder_bytes"] >= data["file_bytes"] > 0


def test_a_backup_is_made_taken_out_and_put_back(api, job):
    (kept,) = api("POST", "/api/backups").get_json()["backups"]
    assert api("GET", f"/api/backups/{kept['name']}").get_data()[:15] == b"SQLite format 3"
    api("DELETE", f"/api/jobs/{job['id']}")
    made = api("POST", f"/api/backups/{kept['name']}/restore").get_json()
    assert (made["jobs"], len(made["backups"])) == (1, 2)
    assert api("GET", f"/api/jobs/{job['id']}").get_json()["name"] == job["name"]
    api("POST", f"/api/backups/{made['backups'][0]['name']}/restore")
    assert api("GET", "/api/jobs").get_json()["jobs"] == []


@pytest.mark.parametrize("name", ["ylemorph.sqlite3", "..%2Fylemorph.sqlite3", "x", "ylemorph-1.sqlite3"])
def test_other_files_are_no_backups(api, job, name):
    assert api("GET", f"/api/backups/{name}").status_code in (404, 422)
    assert api("POST", f"/api/backups/{name}/restore").status_code in (404, 422)
    assert api("GET", "/api/data").get_json()["jobs"] == 1


def test_a_damaged_backup_is_refused_before_anything_is_replaced(api, app, job):
    (kept,) = api("POST", "/api/backups").get_json()["backups"]
    place = services(app).shop.store.parent / "backups" / kept["name"]
    place.write_bytes(place.read_bytes()[:9000])
    assert api("POST", f"/api/backups/{kept['name']}/restore").status_code == 422
    assert api("GET", f"/api/jobs/{job['id']}").status_code == 200


def test_jobs_go_out_and_in_as_one_file(api, job):
    api("POST", f"/api/jobs/{job['id']}/changes", {"kind": "fit", "fit": "snug"})
    taken = json.loads(api("GET", f"/api/jobs-file?jobs={job['id']}").get_data())
    api("DELETE", f"/api/jobs/{job['id']}")
    made = api("POST", "/api/jobs-file", {"bundle": taken})
    assert made.status_code == 201
    (number,) = made.get_json()["jobs"]
    read = api("GET", f"/api/jobs/{number}").get_json()
    assert (read["options"]["fit"], read["can_undo"], read["name"]) == ("snug", True, job["name"])
    assert api("GET", "/api/jobs-file?jobs=77").status_code == 404
    for wrong in ({"format": "x"}, {}, {"format": "ylemorph.jobs/1", "surveys": {}, "jobs": [{}]}):
        refused = api("POST", "/api/jobs-file", {"bundle": wrong})
        assert (refused.status_code, bool(refused.get_json()["mend"])) == (422, True)
    assert len(api("GET", "/api/jobs").get_json()["jobs"]) == 1
