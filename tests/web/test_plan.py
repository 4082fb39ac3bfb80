"""``POST /api/plan`` and the guards around everything."""

import json

import pytest
from flask_openapi3.openapi import OpenAPI

from ylemorph.web.edge.blueprint import Routes


def test_a_plan(api, survey):
    answer = api("POST", "/api/plan", {"source": survey, "target": {"nominal": "480GB"}, "options": {"fit": "snug"}})
    plan = answer.get_json()
    assert (answer.status_code, plan["format"], plan["fit"]) == (200, "ylemorph.plan/1", "snug")


def test_all_options_in_both_writings(api, survey):
    options = {
        "fit": "rest-to-one", "grow": 3, "pin": {"4": "120GiB"}, "leave": [5], "hold": [1], "elastic": [3],
        "role": {"4": "data"}, "lighten": {"3": 21474836480}, "cleared": [3], "headroom": 12.5, "tail": "10GiB",
        "free_after": 3, "table": "keep", "grain": "2MiB", "order": [1, 2, 4, 3],
    }  # fmt: skip
    listed = {**options, "pin": ["4=120GiB"], "role": ["4=data"], "lighten": ["3=20GiB"], "headroom": "12.5"}
    plans = [
        api("POST", "/api/plan", {"source": survey, "target": {"nominal": "480GB"}, "options": o}).get_json()
        for o in (options, listed)
    ]
    assert plans[0] == plans[1]
    assert plans[0]["verdict"] == "comfortable"


def test_a_survey_as_target(api, survey):
    plan = api("POST", "/api/plan", {"source": survey, "target": survey}).get_json()
    assert "source-is-target" in [finding["code"] for finding in plan["findings"]]


@pytest.mark.parametrize(
    ("change", "at"),
    [
        ({"source": {}}, "source.format"),
        ({"source": None}, "source"),
        ({"target": {"nominal": "480"}}, "target.nominal"),
        ({"target": {"nominal": 5}}, "target.nominal"),
        ({"target": {"nominal": "480GB", "logical_sector_bytes": 100}}, "target.logical_sector_bytes"),
        ({"target": {}}, "target.format"),
        ({"target": 5}, "target"),
        ({"options": {"colour": 1}}, "options"),
        ({"options": {"pin": {"3": "1GiB"}}}, "options.pin[3]"),
        ({"options": {"pin": {"x": "1GiB"}}}, "options.pin"),
        ({"options": {"pin": {"3": True}}}, "options.pin[3]"),
        ({"options": {"pin": {"3": -1}}}, "options.pin[3]"),
        ({"options": {"pin": {"3": 2**70}}}, "options.pin[3]"),
        ({"options": {"pin": 5}}, "options.pin"),
        ({"options": {"leave": "3"}}, "options.leave"),
        ({"options": {"leave": [1.5]}}, "options.leave[0]"),
        ({"options": {"fit": ["same"]}}, "options.fit"),
        ({"options": {"grow": {}}}, "options.grow"),
        ({"options": {"headroom": 1e300}}, "options.headroom"),
        ({"options": {"order": [3, 3]}}, "options.order"),
        ({"extra": 1}, "extra"),
    ],
)
def test_problems_name_the_place(api, survey, change, at):
    answer = api("POST", "/api/plan", {"source": survey, "target": {"nominal": "480GB"}, **change})
    problem = answer.get_json()
    assert (answer.status_code, answer.mimetype) == (422, "application/problem+json")
    assert problem["at"] == at
    assert problem["mend"]
    assert "Traceback" not in problem["detail"]


def test_a_problem_inside_the_survey_names_it_from_the_top(api, survey):
    survey["disk"]["partitions"][3]["first_lba"] = 5000
    answer = api("POST", "/api/plan", {"source": survey, "target": {"nominal": "480GB"}})
    assert answer.get_json()["at"].startswith("source.disk.partitions[")


@pytest.mark.parametrize(
    ("body", "kind", "status"),
    [("{", "application/json", 400), ("null", "application/json", 400), ("a=1", "text/plain", 415)],
)
def test_bodies_that_cannot_be_read(api, body, kind, status):
    answer = api.client.post("/api/plan", data=body, content_type=kind, headers={"Host": "localhost"})
    assert (answer.status_code, answer.mimetype) == (status, "application/problem+json")


def test_a_body_that_is_too_large(api, app, survey, monkeypatch):
    monkeypatch.setitem(app.config, "MAX_CONTENT_LENGTH", 1000)
    answer = api("POST", "/api/plan", {"source": survey, "target": {"nominal": "480GB"}})
    assert (answer.status_code, answer.mimetype) == (413, "application/problem+json")
    assert "send at most" in answer.get_json()["mend"]


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "", "localhost.evil.example:8642"])
def test_a_foreign_host_is_refused(api, host):
    assert api("GET", "/api/jobs", headers={"Host": host}).status_code == 403


@pytest.mark.parametrize("host", ["127.0.0.1", "localhost:9999", "[::1]:8642"])
def test_our_own_host_is_served(api, host):
    assert api("GET", "/api/jobs", headers={"Host": host}).status_code == 200


def test_a_page_of_another_site_cannot_write(api):
    assert api("POST", "/api/jobs", {}, {"Origin": "http://evil.example"}).status_code == 403
    assert api("POST", "/api/jobs", {}, {"Origin": "http://127.0.0.1:8642"}).status_code == 201


def test_pages_and_their_headers(api):
    page = api("GET", "/jobs/1/fit")
    assert page.status_code == 200
    assert page.headers["Cache-Control"] == "no-cache"
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self';" in policy
    assert "immutable" in api("GET", "/assets/index-abc.js").headers["Cache-Control"]
    assert api("GET", "/assets/none.js").status_code == 404
    assert api("GET", "/assets/%2e%2e/%2e%2e/ylemorph.sqlite3").status_code == 404
    assert api("GET", "/api/nothing").status_code == 404
    assert api("PUT", "/api/jobs").status_code == 405


def test_a_route_describes_itself_when_it_is_asked_to():
    """Not where it is declared: that took half of every start."""
    routes, app = Routes("lent", __name__, url_prefix="/api"), OpenAPI("lent", doc_ui=False)
    routes.get("/lent/<int:job_id>", responses={200: None})(lambda job_id: f"{job_id}")
    assert (routes.paths, app.paths) == ({}, {})
    for _ in range(2):
        routes.described_in(app)
        assert list(app.paths) == ["/api/lent/{job_id}"]


def test_the_openapi_document_describes_every_route(api, app):
    document = api("GET", "/api/openapi.json").get_json()
    described = {(path, method.upper()) for path, item in document["paths"].items() for method in item}
    for rule in app.url_map.iter_rules():
        if rule.rule.startswith("/api/") and rule.rule != "/api/openapi.json":
            path = rule.rule.replace("<int:", "{").replace("<", "{").replace(">", "}")
            assert any((path, method) in described for method in rule.methods), path
    assert json.dumps(document).count("ylemorph.plan/1")


def test_the_unforeseen_says_a_fixed_sentence(app, api, monkeypatch):
    def fail(*_args):
        raise RuntimeError("secret inside")

    monkeypatch.setattr("ylemorph.usecases.jobs.kept.page", fail)
    answer = api("GET", "/api/jobs")
    assert answer.status_code == 500
    assert "secret" not in answer.get_data(as_text=True)


def test_a_full_disk_is_said(app, api, monkeypatch):
    import sqlite3

    def full(*_args, **_more):
        raise sqlite3.OperationalError("database or disk is full")

    monkeypatch.setattr("ylemorph.usecases.jobs.kept.create", full)
    answer = api("POST", "/api/jobs", {"name": "x"})
    assert answer.status_code == 507
    assert "space" in answer.get_json()["mend"]
