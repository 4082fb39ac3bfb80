"""Served to a network: who gets in, and who may do what. Every route is asked under every role."""

import re
import time

import pytest

from tests.attached.machines import CUSTOMER, lsblk
from tests.web.conftest import Api, over
from ylemorph.attached.listing import DisksHere
from ylemorph.store import people
from ylemorph.store.database import connect
from ylemorph.usecases.readings import RealDisks
from ylemorph.web.document import document
from ylemorph.web.edge.identity import COOKIE, TOKEN_HEADER
from ylemorph.web.edge.rights import changes_data
from ylemorph.web.edge.services import services

PASSWORD = "four plain words here"
# What each route asks for, written down by hand: the table in the program is checked against it.
EVERYBODY = {
    "GET /api/session", "POST /api/session", "DELETE /api/session", "GET /api/health",
    "GET /collect/X", "POST /collect/X",
}  # fmt: skip
LOOK_BESIDE_READS = {
    "POST /api/plan", "POST /api/surveys/read", "POST /api/surveys/typed", "POST /api/jobs/{job_id}/preview",
    "POST /api/here", "DELETE /api/session/others", "POST /api/session/password",
}  # fmt: skip
WORKSHOP = {
    "GET /api/people", "POST /api/people", "POST /api/people/{person_id}", "DELETE /api/people/{person_id}",
    "GET /api/data", "POST /api/backups", "GET /api/backups/{name}", "POST /api/backups/{name}/restore",
    "PUT /api/settings", "POST /api/jobs-file", "POST /api/disks/{key}/read",
}  # fmt: skip
ENDLESS = "/api/events"


class Browser(Api):
    """A browser of one person: its cookie, and the token that its page read."""

    def __init__(self, app, name="", password=PASSWORD):
        super().__init__(app)
        self.token = ""
        if name:
            answer = self("POST", "/api/session", {"name": name, "password": password})
            assert answer.status_code == 200, answer.get_json()
            self.token = answer.get_json()["token"]

    def __call__(self, method, path, body=None, headers=None):
        return super().__call__(method, path, body, {TOKEN_HEADER: self.token, **(headers or {})})


@pytest.fixture
def network(network_app, new_store):
    connection = connect(new_store)
    for role in people.ROLES:
        people.add(connection, role.title(), role, PASSWORD)
    yield over(network_app, new_store, "network", network=True)
    connection.close()


def routes():
    filled = {
        "{which}": "source",
        "{form}": "csv",
        "{system}": "linux",
        "{key}": "desk",
        "{name}": "x",
        "{reading_id}": "x",
    }
    for path, item in document()["paths"].items():
        for method in item:
            address = path
            for name, value in filled.items():
                address = address.replace(name, value)
            yield f"{method.upper()} {path}", method.upper(), re.sub(r"\{\w+\}", "999", address)
    yield "GET /collect/X", "GET", "/collect/X"
    yield "POST /collect/X", "POST", "/collect/X"


def expected(name, method):
    if name in EVERYBODY:
        return None
    if name in WORKSHOP:
        return "workshop"
    return "look" if method == "GET" or name in LOOK_BESIDE_READS else "bench"


def test_every_route_under_every_role(network):
    signed = {role: Browser(network, role.title()) for role in people.ROLES}
    stranger = Browser(network)
    seen = 0
    for name, method, address in routes():
        if address == ENDLESS or name in ("DELETE /api/session", "DELETE /api/session/others", "POST /api/session"):
            continue
        needed = expected(name, method)
        body = {} if method in ("POST", "PUT") else None
        assert (stranger(method, address, body).status_code == 401) == (needed is not None), name
        for role, browser in signed.items():
            refused = needed is not None and people.ROLES.index(role) < people.ROLES.index(needed)
            answer = browser(method, address, body)
            assert (answer.status_code == 403) == refused, (name, role, answer.get_data(as_text=True))
            if refused:
                assert needed in answer.get_json()["detail"]
            if needed and method != "GET" and not refused:
                assert browser(method, address, body, {TOKEN_HEADER: ""}).status_code == 403, name
            seen += 1
    assert seen > 150


def test_disks_of_this_machine_over_the_network_are_for_the_workshop_alone(network):
    shop = services(network).shop
    object.__setattr__(shop, "disks", RealDisks("network", shop.readings, DisksHere(run=lambda _: lsblk(CUSTOMER))))
    for role in people.ROLES:
        shown = Browser(network, role.title())("GET", "/api/disks").get_json()
        assert (shown["allowed"], len(shown["disks"])) == (role == "workshop", int(role == "workshop"))


def test_the_page_is_told_what_it_may(network):
    told = {name: Browser(network, name)("GET", "/api/session").get_json()["may"] for name in ("Look", "Bench")}
    assert told == {"Look": ["look"], "Bench": ["look", "bench"]}
    assert Browser(network)("GET", "/api/session").get_json()["may"] == []


def test_the_stream_needs_somebody(network):
    assert Browser(network)("GET", ENDLESS).status_code == 401


def test_the_cookie_is_closed_to_scripts_and_other_sites(network):
    api = Browser(network)
    answer = api("POST", "/api/session", {"name": "bench", "password": PASSWORD})
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert "Secure" not in cookie
    encrypted = network.test_client().post(
        "/api/session", json={"name": "Bench", "password": PASSWORD}, base_url="https://127.0.0.1:8642"
    )
    assert "Secure" in encrypted.headers["Set-Cookie"]
    assert encrypted.get_json()["encrypted"] is True


def test_signed_out_here_and_everywhere(network):
    here, there = Browser(network, "Bench"), Browser(network, "Bench")
    cookie = here.client.get_cookie(COOKIE, domain="127.0.0.1").value
    assert here("DELETE", "/api/session", headers={TOKEN_HEADER: ""}).status_code == 403
    assert here("DELETE", "/api/session").status_code == 204
    here.client.set_cookie(COOKIE, cookie, domain="127.0.0.1")
    assert here("GET", "/api/jobs").status_code == 401  # the old cookie is worth nothing
    assert there("GET", "/api/jobs").status_code == 200
    third = Browser(network, "Bench")
    assert third("DELETE", "/api/session/others").status_code == 204
    assert there("GET", "/api/jobs").status_code == third("GET", "/api/jobs").status_code == 401


def test_a_session_ends_unused_and_at_the_latest(network, monkeypatch):
    bench = Browser(network, "Bench")
    begun = time.time()
    monkeypatch.setattr(people.time, "time", lambda: begun + people.IDLE_SECONDS - 60)
    assert bench("GET", "/api/jobs").status_code == 200  # used, so it goes on
    monkeypatch.setattr(people.time, "time", lambda: begun + 2 * people.IDLE_SECONDS - 120)
    assert bench("GET", "/api/jobs").status_code == 200
    monkeypatch.setattr(people.time, "time", lambda: begun + 4 * people.IDLE_SECONDS)
    assert bench("GET", "/api/jobs").status_code == 401


def test_wrong_passwords_have_to_wait(network):
    api = Browser(network)
    wrong = {"name": "Bench", "password": "something else"}
    assert [api("POST", "/api/session", wrong).status_code for _ in range(6)] == [401] * 5 + [429]
    refused = api("POST", "/api/session", {"name": "bench", "password": PASSWORD})  # the right one waits too
    assert (refused.status_code, refused.headers["Retry-After"]) == (429, "60")
    assert api("POST", "/api/session", {"name": "Look", "password": PASSWORD}).status_code == 200
    unknown = api("POST", "/api/session", {"name": "Nobody", "password": PASSWORD}).get_json()
    assert unknown["detail"] == "Name or password is wrong"  # not which of the two


def test_foreign_requests(network):
    bench = Browser(network, "Bench")
    for headers in (
        {"Host": "evil.example"}, {"Host": "127.0.0.1:8642'x"}, {"Origin": "http://evil.example"}, {"Origin": "null"},
        {"Sec-Fetch-Site": "cross-site"}, {"Sec-Fetch-Site": "same-site"}, {"X-HTTP-Method-Override": "DELETE"},
    ):  # fmt: skip
        assert bench("POST", "/api/jobs", {"name": "Desk"}, headers).status_code == 403, headers
    form = bench.client.post(
        "/api/jobs", data={"name": "Desk"}, headers={"Host": "127.0.0.1:8642", TOKEN_HEADER: bench.token}
    )
    assert form.status_code == 415
    assert bench("GET", "/api/jobs").get_json() == {"jobs": [], "next": None}
    assert Browser(network)("GET", "/api/session", headers={"Host": "workshop.local"}).status_code == 200


def test_people_come_and_go(network):
    workshop = Browser(network, "Workshop")
    added = workshop("POST", "/api/people", {"name": "Iris Vance", "role": "bench", "password": PASSWORD}).get_json()
    iris = next(person for person in added["people"] if person["name"] == "Iris Vance")
    browser = Browser(network, "iris vance")
    job = browser("POST", "/api/jobs", {"name": "Desk"}).get_json()
    browser("POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Counter"})
    entries = browser("GET", f"/api/jobs/{job['id']}/history").get_json()["revisions"]
    assert [entry["made_by"] for entry in entries] == ["Iris Vance", "Iris Vance"]
    workshop("POST", f"/api/people/{iris['id']}", {"role": "look"})
    assert browser("POST", "/api/jobs", {"name": "Second"}).status_code == 403
    workshop("POST", f"/api/people/{iris['id']}", {"password": "another few words"})
    assert browser("GET", "/api/jobs").status_code == 401
    assert workshop("DELETE", f"/api/people/{iris['id']}").status_code == 204
    entries = workshop("GET", f"/api/jobs/{job['id']}/history").get_json()["revisions"]
    assert entries[0]["made_by"] == "Iris Vance"


def test_the_log_names_who_did_what_by_number(network, caplog):
    workshop = Browser(network, "Workshop")
    with caplog.at_level("INFO", "ylemorph.security"):
        added = workshop(
            "POST", "/api/people", {"name": "Iris Vance", "role": "bench", "password": PASSWORD}
        ).get_json()
    who = {person["name"]: person["id"] for person in added["people"]}
    line = next(record for record in caplog.records if record.event == "person added")
    assert (line.person, line.about["whom"]) == (who["Workshop"], who["Iris Vance"])


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({"name": "bench", "role": "bench", "password": PASSWORD}, "name"),
        ({"name": " ", "role": "bench", "password": PASSWORD}, "name"),
        ({"name": "Iris", "role": "bench", "password": "short"}, "password"),
        ({"name": "Iris", "role": "bench", "password": "iris-iris-iris"}, "password"),
        ({"name": "Iris", "role": "owner", "password": PASSWORD}, "role"),
    ],
)
def test_people_that_cannot_be_added(network, body, at):
    answer = Browser(network, "Workshop")("POST", "/api/people", body)
    assert (answer.status_code, answer.get_json()["at"]) == (422, at)


def test_the_last_of_the_workshop_stays(network):
    workshop = Browser(network, "Workshop")
    own = next(person for person in workshop("GET", "/api/people").get_json()["people"] if person["own"])
    for answer in (
        workshop("DELETE", f"/api/people/{own['id']}"),
        workshop("POST", f"/api/people/{own['id']}", {"role": "bench"}),
    ):
        assert answer.status_code == 422
        assert "last one" in answer.get_json()["detail"]


def test_on_this_machine_alone_nobody_signs_in(api):
    answer = api("GET", "/api/session").get_json()
    assert (answer["network"], answer["role"], answer["may"]) == (False, None, ["look", "bench", "workshop"])
    assert api("POST", "/api/session", {"name": "Bench", "password": PASSWORD}).status_code == 422
    assert api("POST", "/api/jobs", {"name": "Desk"}).status_code == 201


def test_no_password_and_no_cookie_stands_in_the_data_file(network, tmp_path):
    bench = Browser(network, "Bench")
    cookie = bench.client.get_cookie(COOKIE, domain="127.0.0.1").value
    held = b"".join(place.read_bytes() for place in tmp_path.glob("ylemorph.sqlite3*"))
    assert PASSWORD.encode() not in held
    assert cookie.encode() not in held
    assert b"scrypt:" in held


@pytest.mark.parametrize(
    ("method", "path", "changes"),
    [
        ("GET", "/api/jobs/1", False),
        ("POST", "/api/jobs", True),
        ("POST", "/api/jobs/1/changes", True),
        ("DELETE", "/api/fleets/1", True),
        ("POST", "/api/plan", False),  # asks, and leaves nothing
        ("POST", "/api/jobs/1/preview", False),
        ("POST", "/api/here", False),
    ],
)
def test_what_leaves_something_otherwise_than_it_was(method, path, changes):
    assert changes_data(method, path) is changes
