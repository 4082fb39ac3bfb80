"""Signing in and out, and the people of the workshop."""

from typing import Annotated

from flask import Response, jsonify, request
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from ...core.errors import BadOption, YlemorphError
from ...formats.own.wire import Shape, model_of
from ...usecases import people
from ...usecases.people import MOST_PASSWORD, ROLES, Person, PersonRole, Session
from ..edge.blueprint import Routes
from ..edge.identity import (
    COOKIE,
    DEVICE,
    NotSignedIn,
    asker,
    clear_cookie,
    cookie,
    current_session,
    has_token,
    set_cookies,
)
from ..edge.log import note
from ..edge.problems import answer, problem_data, problems
from ..edge.rights import may
from ..edge.services import connection, services
from ..models import _In

tag = Tag(name="people")
api = Routes(
    "people",
    __name__,
    url_prefix="/api",
    abp_tags=[tag],
    abp_responses=problems(404, 422),
)

Name = Annotated[str, Field(max_length=200)]
Password = Annotated[str, Field(max_length=MOST_PASSWORD)]


class PersonModel(Shape):
    """``sessions``: browsers in which this person is signed in; ``own``: whether it is the one who asks."""

    id: int
    name: str
    role: PersonRole
    created_at: str
    sessions: int
    own: bool


class PeopleModel(Shape):
    people: list[PersonModel]


class SessionModel(Shape):
    """``network``: whether people sign in here at all; ``encrypted``: whether others on the way can read along.

    ``may``: the roles whose work this browser may do.
    """

    network: bool
    encrypted: bool
    name: str
    role: PersonRole | None
    may: list[PersonRole]
    token: str


class SignIn(_In):
    name: Name
    password: Password


class PasswordChange(_In):
    """One's own password: the ``present`` one, and the new one."""

    present: Password
    password: Password


class PersonIn(_In):
    name: Name
    role: PersonRole
    password: Password


class PersonChange(_In):
    """What is not sent stays; a new password signs the person out everywhere."""

    role: PersonRole | None = None
    password: Password | None = None


class PersonPath(BaseModel):
    person_id: Annotated[int, Field(ge=1, le=2**53)]


def _session(session: Session | None) -> Response:
    network = services().network
    shown: SessionModel = {
        "network": network,
        "encrypted": request.is_secure,
        "name": session.person.name if session else "",
        "role": session.person.role if session else None,
        "may": [role for role in ROLES if not network or (session and may(session.person.role, role))],
        "token": session.token if session else "",
    }
    return jsonify(shown)


@api.get("/session", responses={200: model_of(SessionModel)})
def who_asks() -> Response:
    """Who is signed in in this browser, with the token that its writes carry."""
    return _session(current_session())


@api.post("/session", responses={200: model_of(SessionModel)})
def sign_in(body: SignIn) -> Response:
    """Sign in; the answer sets the cookie."""
    if not services().network:
        raise YlemorphError("nobody signs in here", mend="open the list of jobs")
    device = cookie(DEVICE)
    known = device if people.knows_device(connection(), body.name, device) else ""
    with services().attempts.one(body.name, request.remote_addr or "", known):
        made = people.sign_in(connection(), body.name, body.password, before=cookie(COOKIE), device=known)
        if made is None:
            note("sign-in refused")
            raise NotSignedIn("name or password is wrong", mend="try again")
    note("signed in", made.session.person)
    return set_cookies(_session(made.session), made)


@api.post("/session/password", responses={200: model_of(SessionModel)})
def change_own_password(body: PasswordChange) -> Response:
    """One's own password, by whoever knows the present one; every other browser is signed out."""
    session = current_session()
    if session is None:
        raise YlemorphError("nobody signs in here", mend="open the list of jobs")
    person = session.person
    with services().attempts.one(person.name, request.remote_addr or "", session.digest):
        _check_present(person, body.present)
    people.change(connection(), person.id, password=body.password)
    services().hub.drop(person.name)
    note("password changed", person)
    made = people.sign_in(connection(), person.name, body.password, device=cookie(DEVICE))
    assert made is not None
    return set_cookies(_session(made.session), made)


def _check_present(person: Person, password: str) -> None:
    if not people.is_password(connection(), person, password):
        note("password refused", person)
        raise BadOption("this is not the present password", at="present", mend="type the one you signed in with")


@api.delete("/session", responses={204: None})
def sign_out() -> tuple[Response, int] | Response:
    """Sign out in this browser."""
    return _sign_out(everywhere=False)


@api.delete("/session/others", responses={204: None})
def sign_out_everywhere() -> tuple[Response, int] | Response:
    """Sign out in every browser, this one too."""
    return _sign_out(everywhere=True)


def _sign_out(*, everywhere: bool) -> tuple[Response, int] | Response:
    session = current_session()
    if session is not None:
        if not has_token(session):
            wrong = YlemorphError("the request does not carry the token of this session", mend="load the page again")
            return answer(problem_data(wrong, 403))
        people.sign_out(connection(), session, everywhere=everywhere)
        note("signed out", session.person, everywhere=int(everywhere))
        services().hub.drop(session.person.name if everywhere else session.digest)
    return clear_cookie(Response("")), 204


@api.get("/people", responses={200: model_of(PeopleModel)})
def list_people() -> Response:
    """Everybody who may sign in."""
    return _people()


@api.post("/people", responses={201: model_of(PeopleModel)})
def add_person(body: PersonIn) -> tuple[Response, int]:
    """Add somebody."""
    person = people.add(connection(), body.name, body.role, body.password)
    note("person added", asker(), whom=person.id, role=person.role)
    return _people(), 201


@api.post("/people/<int:person_id>", responses={200: model_of(PeopleModel)})
def change_person(path: PersonPath, body: PersonChange) -> Response:
    """Another role, a new password."""
    person = people.change(connection(), path.person_id, body.role, body.password)
    services().hub.drop(person.name)
    note("person changed", asker(), whom=person.id, role=body.role or "", password=int(body.password is not None))
    return _people()


@api.delete("/people/<int:person_id>", responses={204: None})
def remove_person(path: PersonPath) -> tuple[str, int]:
    """Remove somebody, who is signed out everywhere. What the person changed keeps the name."""
    person = people.get(connection(), path.person_id)
    people.remove(connection(), person.id)
    note("person removed", asker(), whom=person.id)
    services().hub.drop(person.name)
    return "", 204


def _people() -> Response:
    session = current_session()
    own = session.person.id if session else None

    shown: PeopleModel = {"people": [_person(person, own) for person in people.everyone(connection())]}
    return jsonify(shown)


def _person(person: Person, own: int | None) -> PersonModel:
    return {
        "id": person.id,
        "name": person.name,
        "role": person.role,
        "created_at": person.created_at,
        "sessions": person.sessions,
        "own": person.id == own,
    }
