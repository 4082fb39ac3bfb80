"""What the routes send is what their models declare; every route is asked."""

import json

import pytest
from pydantic import BaseModel, TypeAdapter

from tests.web.test_script_log import plan_of, whole
from ylemorph.web.buy import routes as shelf_routes
from ylemorph.web.carry import routes as carry_routes
from ylemorph.web.check import routes as check_routes
from ylemorph.web.data import routes as data_routes
from ylemorph.web.data import setting_routes
from ylemorph.web.edge import live_routes
from ylemorph.web.fleet import routes as fleet_routes
from ylemorph.web.jobs import compare_routes
from ylemorph.web.jobs import plan_routes as plans
from ylemorph.web.jobs import routes as job_routes
from ylemorph.web.people import routes as people_routes
from ylemorph.web.reading import bench_routes, collect_routes, disk_routes
from ylemorph.web.reading import routes as survey_routes

BLUEPRINTS = (
    bench_routes,
    carry_routes,
    check_routes,
    collect_routes,
    compare_routes,
    data_routes,
    disk_routes,
    fleet_routes,
    job_routes,
    live_routes,
    people_routes,
    plans,
    setting_routes,
    shelf_routes,
    survey_routes,
)


def finished_survey(source):
    """A disk of the target's size, as it might come back."""
    found = json.loads(json.dumps(source))
    found["disk"].update(sectors=937_703_088, serial="QS2-4410", model="Quillon S2", table_id="", partitions=[])
    return found


JSON_LISTING = {
    "partitiontable": {
        "label": "dos", "device": "/dev/sdb",
        "partitions": [{"node": "/dev/sdb1", "start": 2048, "size": 8192, "type": "7"}],
    }
}  # fmt: skip


@pytest.fixture
def asked(api, job, survey):
    """For each route its address, method, body and the status that is declared."""
    url = f"/api/jobs/{job['id']}"
    target = {"nominal": "480GB"}
    api("POST", "/api/bench/desk/attach")
    fleet = f"/api/fleets/{api('POST', '/api/fleets', {'targets': ['480GB']}).get_json()['id']}"
    return {
        ("GET", "/api/jobs"): ("/api/jobs", None),
        ("POST", "/api/jobs"): ("/api/jobs", {"source": survey, "target": target}),
        ("POST", "/api/jobs/sample"): ("/api/jobs/sample", None),
        ("GET", "/api/jobs/{job_id}"): (url, None),
        ("POST", "/api/jobs/{job_id}/log"): (f"{url}/log", {"text": whole(plan_of(api, job), 8)}),
        ("POST", "/api/jobs/{job_id}/changes"): (f"{url}/changes", {"kind": "fit", "fit": "snug"}),
        ("POST", "/api/jobs/{job_id}/preview"): (f"{url}/preview", {"kind": "drag", "row": 3, "size": 2**38}),
        ("POST", "/api/jobs/{job_id}/undo"): (f"{url}/undo", None),
        ("POST", "/api/jobs/{job_id}/redo"): (f"{url}/redo", None),
        ("POST", "/api/jobs/{job_id}/copy"): (f"{url}/copy", None),
        ("GET", "/api/jobs/{job_id}/history"): (f"{url}/history", None),
        ("POST", "/api/jobs/{job_id}/history/{number}"): (f"{url}/history/1", None),
        ("GET", "/api/jobs/{job_id}/compare"): (f"{url}/compare?second=snug", None),
        ("GET", "/api/jobs/{job_id}/carry"): (f"{url}/carry", None),
        ("POST", "/api/jobs/{job_id}/ticks"): (f"{url}/ticks", {"item": "mains", "on": True}),
        ("POST", "/api/jobs/{job_id}/record"): (f"{url}/record", {"what": "begin"}),
        ("GET", "/api/jobs/{job_id}/practice"): (f"{url}/practice", None),
        ("GET", "/api/jobs/{job_id}/check"): (f"{url}/check", None),
        ("POST", "/api/jobs/{job_id}/check"): (f"{url}/check", {"survey": finished_survey(survey), "sure": True}),
        ("POST", "/api/jobs/{job_id}/close"): (f"{url}/close", {"result": "done", "sure": True}),
        ("POST", "/api/jobs/{job_id}/reopen"): (f"{url}/reopen", None),
        ("POST", "/api/plan"): ("/api/plan", {"source": survey, "target": {"nominal": "120GB"}}),
        ("GET", "/api/shelf"): ("/api/shelf", None),
        ("PUT", "/api/shelf"): ("/api/shelf", {"disks": [{"name": "Quillon S2", "size": "480GB"}]}),
        ("GET", "/api/jobs/{job_id}/ladder"): (f"{url}/ladder", None),
        ("GET", "/api/jobs/{job_id}/lasting"): (f"{url}/lasting", None),
        ("GET", "/api/health"): ("/api/health", None),
        ("GET", "/api/data"): ("/api/data", None),
        ("POST", "/api/backups"): ("/api/backups", None),
        ("GET", "/api/fleets"): ("/api/fleets", None),
        ("POST", "/api/fleets"): ("/api/fleets", {"name": "Second", "targets": ["480GB"]}),
        ("GET", "/api/fleets/{fleet_id}"): (fleet, None),
        ("PUT", "/api/fleets/{fleet_id}"): (fleet, {"name": "Other", "targets": ["480GB"]}),
        ("POST", "/api/fleets/{fleet_id}/files"): (f"{fleet}/files", {"files": [{"name": "x.txt", "data": "eA=="}]}),
        ("POST", "/api/fleets/{fleet_id}/stop"): (f"{fleet}/stop", {"stopped": True}),
        ("GET", "/api/fleets/{fleet_id}/machines"): (f"{fleet}/machines", None),
        ("POST", "/api/fleets/{fleet_id}/remove"): (f"{fleet}/remove", {"machines": [77]}),
        ("GET", "/api/settings"): ("/api/settings", None),
        ("PUT", "/api/settings"): ("/api/settings", {"headroom": "20"}),
        ("POST", "/api/surveys/read"): ("/api/surveys/read", {"text": str(JSON_LISTING).replace("'", '"')}),
        ("POST", "/api/surveys/typed"): ("/api/surveys/typed", {"rows": [{"size": "100 GiB", "used": "20 GiB"}]}),
        ("GET", "/api/surveys/commands"): ("/api/surveys/commands", None),
        ("GET", "/api/bench"): ("/api/bench", None),
        ("POST", "/api/bench/{key}/attach"): ("/api/bench/loan/attach", None),
        ("POST", "/api/bench/{key}/read"): ("/api/bench/desk/read", None),
        ("POST", "/api/bench/{key}/detach"): ("/api/bench/loan/detach", None),
        ("GET", "/api/disks"): ("/api/disks", None),
        ("GET", "/api/readings"): ("/api/readings", None),
        ("GET", "/api/session"): ("/api/session", None),
        ("DELETE", "/api/session"): ("/api/session", None),
        ("DELETE", "/api/session/others"): ("/api/session/others", None),
        ("GET", "/api/people"): ("/api/people", None),
        ("POST", "/api/people"): ("/api/people", {"name": "Ada", "role": "look", "password": "a few plain words"}),
        ("POST", "/api/here"): ("/api/here", {"place": "/jobs/1/fit"}),
        ("POST", "/api/jobs/{job_id}/collect"): (f"{url}/collect", None),
        ("POST", "/api/jobs/{job_id}/tell"): (f"{url}/tell", None),
        ("GET", "/api/jobs/{job_id}/arrivals"): (f"{url}/arrivals", None),
        ("DELETE", "/api/jobs/{job_id}/arrivals/{arrival_id}"): (f"{url}/arrivals/1", None),
        ("POST", "/api/fleets/{fleet_id}/collect"): (f"{fleet}/collect", None),
    }


# Files, answers without a body, and readings by path, which need a folder that is allowed.
ELSEWHERE = {
    ("GET", "/api/jobs/{job_id}/surveys/{which}"), ("DELETE", "/api/jobs/{job_id}"), ("POST", "/api/readings"),
    ("GET", "/api/readings/{reading_id}"), ("DELETE", "/api/readings/{reading_id}"),
    ("GET", "/api/jobs/{job_id}/hand-over/{form}"), ("POST", "/api/jobs/{job_id}/practice"),
    ("DELETE", "/api/jobs/{job_id}/practice"), ("POST", "/api/disks/{key}/read"),
    ("GET", "/api/shelf.csv"), ("DELETE", "/api/fleets/{fleet_id}"),
    ("GET", "/api/fleets/{fleet_id}/export/{form}"), ("POST", "/api/fleets/{fleet_id}/jobs"),
    ("GET", "/api/fleets/{fleet_id}/mix"), ("GET", "/api/backups/{name}"), ("POST", "/api/backups/{name}/restore"),
    ("GET", "/api/jobs-file"), ("POST", "/api/jobs-file"), ("GET", "/api/events"), ("GET", "/api/collect/{system}"),
    ("POST", "/api/people/{person_id}"), ("DELETE", "/api/people/{person_id}"), ("POST", "/api/session"),
    ("POST", "/api/session/password"), ("POST", "/api/jobs/{job_id}/back"),
}  # fmt: skip


def declared(app):
    """Method and path of every operation with the model of its good answer."""
    from ylemorph.web.document import document

    for path, item in document()["paths"].items():
        for method, operation in item.items():
            for status, answer in operation["responses"].items():
                content = answer.get("content", {}).get("application/json", {}).get("schema", {})
                if status.startswith("2"):
                    yield (method.upper(), path), int(status), content.get("$ref", "").rsplit("/", 1)[-1]


def model(name):
    for module in BLUEPRINTS:
        if hasattr(module, name):
            return getattr(module, name)
    raise LookupError(name)


def test_every_route_is_asked(app, asked):
    assert {operation for operation, _, _ in declared(app)} == set(asked) | ELSEWHERE


def test_what_is_sent_is_what_is_declared(app, api, asked):
    for operation, status, name in declared(app):
        if operation in ELSEWHERE:
            continue
        url, body = asked[operation]
        answer = api(operation[0], url, body)
        assert answer.status_code == status, (operation, answer.get_json())
        if status != 204:
            TypeAdapter(model(name)).validate_python(answer.get_json(), strict=False)


def test_no_two_models_have_one_name():
    """The OpenAPI document knows a model by its name alone: of two, one would silently stand for both."""
    found = {}
    kinds = [BaseModel]
    while kinds:
        kind = kinds.pop()
        kinds += kind.__subclasses__()
        if kind.__module__.startswith("ylemorph.") and not kind.__name__.startswith("_"):
            found.setdefault(kind.__name__, set()).add(kind)
    assert {name: kinds for name, kinds in found.items() if len(kinds) > 1} == {}
