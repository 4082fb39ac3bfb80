"""The OpenAPI document, and the server under requests made from it: nothing undocumented, no error of its own."""

import os
import re
import warnings
from contextlib import closing
from functools import cache
from pathlib import Path

import pytest

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # the library's own dependencies warn on import
    schemathesis = pytest.importorskip("schemathesis")

from hypothesis import HealthCheck, Phase, given, settings  # after the guard above

from ylemorph.store import people
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app
from ylemorph.web.document import document
from ylemorph.web.edge.identity import COOKIE, TOKEN_HEADER

EXAMPLES = 200 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 4
ENDLESS = "/api/events"  # a stream, which no single answer ends; tests/web/test_live.py listens to it
OPERATIONS = sorted(
    (re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule), method.lower())
    for rule in create_app(Path("unused")).url_map.iter_rules()
    for method in (rule.methods or set()) - {"HEAD", "OPTIONS"}
    if rule.rule.startswith("/api/") and rule.rule not in (ENDLESS, "/api/openapi.json")
)


whole = cache(document)
MODES = ("local", "network") if EXAMPLES > 100 else ("local",)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("store")


@pytest.fixture(scope="module", params=MODES)
def mode(request):
    return request.param


@pytest.fixture(scope="module")
def described(folder, mode):
    app = create_app(prepare(folder), read_from=(folder,), network=mode == "network")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        described = schemathesis.openapi.from_wsgi("/api/openapi.json", app, headers={"Host": "127.0.0.1"})
    # Sizes, options and surveys have meaning that no JSON Schema tells; what is refused for it is a documented 422.
    described.config.checks.positive_data_acceptance.expected_statuses += ["422"]
    return described


def test_the_document_has_nothing_empty_and_every_problem():
    assert all(whole()["components"].values())
    described = {(path, method) for path, item in whole()["paths"].items() for method in item if path != ENDLESS}
    assert described == set(OPERATIONS)
    for path, method in OPERATIONS:
        answers = whole()["paths"][path][method]["responses"]
        for status, answer in answers.items():
            kind = "application/json" if status.startswith("2") else "application/problem+json"
            assert set(answer.get("content", {kind: 0})) == {kind}, (path, method, status)
        assert {"404", "405", "422", "500"} <= set(answers)


def signed_in(folder):
    """The headers of somebody of the workshop, signed in anew: a request before may have ended the session."""
    with closing(connect(folder / FILE_NAME)) as connection:
        if not people.everyone(connection):
            people.add(connection, "Mara Quill", "workshop", "copper kettle on a ledge")
        name = next(person.name for person in people.everyone(connection) if person.role == "workshop")
        people.change(connection, people.by_name(connection, name).id, password="copper kettle on a ledge")
        made = people.sign_in(connection, name, "copper kettle on a ledge")
    return {"Cookie": f"{COOKIE}={made.secret}", TOKEN_HEADER: made.session.token}


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_requests_made_from_the_document(described, folder, mode, path, method):
    asks = {"Host": "127.0.0.1", **(signed_in(folder) if mode == "network" else {})}
    operation = described[path][method.upper()]

    @settings(
        max_examples=EXAMPLES, deadline=None, database=None, phases=(Phase.explicit, Phase.generate),
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=operation.as_strategy())
    def run(case):
        response = case.call(headers=asks)
        case.validate_response(response, additional_checks=[_documented])

    run()


def _documented(_context, response, case):
    """No status that the document does not name."""
    statuses = whole()["paths"][case.operation.path][case.operation.method.lower()]["responses"]
    assert str(response.status_code) in statuses, (case.operation.label, response.status_code, response.text[:300])
