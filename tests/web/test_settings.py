"""The workshop's defaults, and two plans of one job compared."""

import pytest


def test_defaults_are_kept_and_begin_new_jobs(api, survey):
    come = api("GET", "/api/settings").get_json()
    assert (come["headroom"], come["headroom_system"], come["grain"], come["changed"]) == ("15", "5 GiB", "1 MiB", [])
    kept = api("PUT", "/api/settings", {"headroom": "20", "headroom_data": "1 GiB", "units": "decimal"}).get_json()
    assert (kept["headroom"], kept["headroom_data"], kept["units"]) == ("20", "1 GiB", "decimal")
    body = {"source": survey, "target": {"nominal": "480GB"}}
    job = api("POST", "/api/jobs", body).get_json()
    assert job["options"] == {"headroom": 20.0, "headroom_data": 1 << 30}
    assert job["morph"]["plan"]["headroom_percent"] == 20
    assert api("PUT", "/api/settings", {"headroom": ""}).get_json()["headroom"] == "15"
    assert "headroom" not in api("POST", "/api/jobs", body).get_json()["options"]


@pytest.mark.parametrize(
    ("key", "value"), [("headroom", "-3"), ("headroom_system", "many"), ("grain", "3000"), ("units", "stones")]
)
def test_a_default_that_cannot_be_is_refused_and_nothing_changes(api, key, value):
    refused = api("PUT", "/api/settings", {key: value})
    assert refused.status_code == 422
    assert refused.get_json()["at"] == key
    assert api("GET", "/api/settings").get_json()["changed"] == []


def test_two_plans_of_a_job(api, job):
    url = f"/api/jobs/{job['id']}"
    api("POST", f"{url}/changes", {"kind": "leave", "rows": [5]})
    found = api("GET", f"{url}/compare?first=r1&second=now").get_json()
    assert [side["title"] for side in (found["first"], found["second"])] == ["Change 1", "As it stands"]
    assert found["rows"][-1]["changes"] == ["holds", "left"]
    assert [f["code"] for f in found["gained"]] == ["recovery-left-behind"]
    snug = api("GET", f"{url}/compare?second=snug").get_json()
    assert (snug["second"]["title"], snug["second"]["open_bytes"] > 0) == ("Snug", True)
    assert api("GET", f"{url}/compare?second=r99").status_code == 404
    assert api("GET", f"{url}/compare?second=tightest").get_json()["at"] == "second"
    empty = api("POST", "/api/jobs", {}).get_json()
    assert api("GET", f"/api/jobs/{empty['id']}/compare?second=snug").status_code == 422


def test_the_least_headroom_of_one_job(api, job):
    url = f"/api/jobs/{job['id']}/changes"
    changed = api("POST", url, {"kind": "headroom-system", "value": "60GiB"}).get_json()
    row = next(row for row in changed["morph"]["plan"]["rows"] if row["number"] == 3)
    assert row["comfort_floor_bytes"] == (131 + 60) << 30
    assert api("POST", url, {"kind": "headroom-system", "value": "many"}).status_code == 422
    back = api("POST", url, {"kind": "headroom-system", "value": ""}).get_json()
    assert "headroom_system" not in back["options"]
