"""People of the workshop and their signed-in browsers, for a Ylemorph that serves a network.

Passwords are kept by werkzeug's scrypt; a cookie's secret only as its SHA-256, so that a copy of the data file lets
nobody in.
"""

import hashlib
import secrets
import sqlite3
import time
from typing import Literal, NamedTuple, get_args

from werkzeug.security import check_password_hash, generate_password_hash

from ..core.errors import BadOption, YlemorphError
from ..core.plain import plain_line
from .database import NotFound, now, transaction

# From the least to the most: reads; works on jobs, shelf and fleets; settings, people and backups too.
PersonRole = Literal["look", "bench", "workshop"]
ROLES: tuple[PersonRole, ...] = get_args(PersonRole)
LEAST_PASSWORD, MOST_PASSWORD = 10, 200
MOST_PEOPLE = 500
IDLE_SECONDS, MOST_SECONDS = 12 * 3600, 7 * 86_400  # a session ends unused, and at the latest
SEEN_EVERY = 300  # seconds between notes that a session is in use


class Person(NamedTuple):
    id: int
    name: str
    role: PersonRole
    created_at: str
    sessions: int


class Session(NamedTuple):
    """A signed-in browser: who, and the token that its writes carry."""

    person: Person
    token: str
    digest: str


class LastOne(YlemorphError):
    """Without one of the role workshop nobody could add people any more."""


_PEOPLE = (
    "SELECT person.id, name, role, created_at, (SELECT count(*) FROM session WHERE person = person.id"
    " AND seen_at > ?1 AND begun_at > ?2) AS sessions FROM person"
)


def _valid_since() -> tuple[int, int]:
    at = int(time.time())
    return at - IDLE_SECONDS, at - MOST_SECONDS


def everyone(connection: sqlite3.Connection) -> list[Person]:
    return [Person(*row) for row in connection.execute(f"{_PEOPLE} ORDER BY name", _valid_since())]


def get(connection: sqlite3.Connection, person_id: int) -> Person:
    """Raises NotFound."""
    row = connection.execute(f"{_PEOPLE} WHERE person.id = ?3", (*_valid_since(), person_id)).fetchone()
    if row is None:
        raise NotFound("there is no such person", mend="load the page again")
    return Person(*row)


def by_name(connection: sqlite3.Connection, name: str) -> Person:
    """Raises NotFound."""
    row = connection.execute("SELECT id FROM person WHERE name = ?", (name.strip(),)).fetchone()
    if row is None:
        raise NotFound(f"there is no “{name[:80]}”", mend="see ylemorph people list")
    return get(connection, row["id"])


def add(connection: sqlite3.Connection, name: str, role: PersonRole, password: str) -> Person:
    """Raises BadOption for a name that is taken or a password that is too short."""
    name, kept = _name(name), _hashed(password, name)
    with transaction(connection):
        if connection.execute("SELECT 1 FROM person WHERE name = ?", (name,)).fetchone():
            raise BadOption(f"there is a “{name}” already", at="name", mend="choose another name")
        if connection.execute("SELECT count(*) FROM person").fetchone()[0] >= MOST_PEOPLE:
            raise BadOption(f"there are {MOST_PEOPLE} people already", at="name", mend="remove some first")
        sql = "INSERT INTO person (name, role, password, created_at) VALUES (?, ?, ?, ?)"
        person_id = connection.execute(sql, (name, role, kept, now())).lastrowid
    assert person_id is not None
    return get(connection, person_id)


def set_role(connection: sqlite3.Connection, person_id: int, role: PersonRole) -> Person:
    """Raises LastOne or NotFound."""
    with transaction(connection):
        if role != "workshop":
            _keep_one(connection, get(connection, person_id))
        connection.execute("UPDATE person SET role = ? WHERE id = ?", (role, person_id))
    return get(connection, person_id)


def set_password(connection: sqlite3.Connection, person_id: int, password: str) -> Person:
    """A new password; whoever is signed in under the old one is signed out. Raises BadOption or NotFound."""
    person = get(connection, person_id)
    kept = _hashed(password, person.name)
    with transaction(connection):
        connection.execute("UPDATE person SET password = ? WHERE id = ?", (kept, person_id))
        connection.execute("DELETE FROM session WHERE person = ?", (person_id,))
    return get(connection, person_id)


def remove(connection: sqlite3.Connection, person_id: int) -> None:
    """Raises LastOne or NotFound. What the person changed keeps the name."""
    with transaction(connection):
        _keep_one(connection, get(connection, person_id))
        connection.execute("DELETE FROM person WHERE id = ?", (person_id,))


def _keep_one(connection: sqlite3.Connection, person: Person) -> None:
    others = "SELECT 1 FROM person WHERE role = 'workshop' AND id <> ?"
    if person.role == "workshop" and connection.execute(others, (person.id,)).fetchone() is None:
        raise LastOne(
            f"{person.name} is the last one of the role workshop", mend="give that role to somebody else first"
        )


def _name(text: str) -> str:
    name = " ".join(plain_line(text).split())
    if not 1 <= len(name) <= 80:
        raise BadOption("a name has 1 to 80 characters", at="name", mend="type one")
    return name


def _hashed(password: str, name: str) -> str:
    if not LEAST_PASSWORD <= len(password) <= MOST_PASSWORD:
        raise BadOption(
            f"a password has {LEAST_PASSWORD} to {MOST_PASSWORD} characters", at="password", mend="a few words will do"
        )
    if name.casefold() in password.casefold() or len(set(password)) < 4:
        raise BadOption("this password is guessed too easily", at="password", mend="take a few words, not the name")
    return generate_password_hash(password)


# --- signed-in browsers ----------------------------------------------------------------------------------------------

# Checked where there is no such name, so that the time does not tell which names there are.
_NOBODY = generate_password_hash(secrets.token_urlsafe(12))


def sign_in(connection: sqlite3.Connection, name: str, password: str) -> tuple[str, Session] | None:
    """A new session and the secret for its cookie; None where name or password is wrong."""
    row = connection.execute("SELECT id, password FROM person WHERE name = ?", (name.strip(),)).fetchone()
    right = check_password_hash(row["password"] if row else _NOBODY, password[: MOST_PASSWORD + 1])
    if row is None or not right:
        return None
    secret, token, at = secrets.token_urlsafe(32), secrets.token_urlsafe(24), int(time.time())
    idle, oldest = _valid_since()
    with transaction(connection):
        connection.execute("DELETE FROM session WHERE seen_at <= ? OR begun_at <= ?", (idle, oldest))
        connection.execute("INSERT INTO session VALUES (?, ?, ?, ?, ?)", (_digest(secret), row["id"], token, at, at))
    return secret, Session(get(connection, row["id"]), token, _digest(secret))


def session_of(connection: sqlite3.Connection, secret: str) -> Session | None:
    """Whose browser this is; None where the session ended."""
    idle, oldest = _valid_since()
    row = connection.execute(
        "SELECT * FROM session WHERE digest = ? AND seen_at > ? AND begun_at > ?", (_digest(secret), idle, oldest)
    ).fetchone()
    if row is None:
        return None
    at = int(time.time())
    if at - row["seen_at"] > SEEN_EVERY:
        connection.execute("UPDATE session SET seen_at = ? WHERE digest = ?", (at, row["digest"]))
    return Session(get(connection, row["person"]), row["token"], row["digest"])


def sign_out(connection: sqlite3.Connection, session: Session, *, everywhere: bool = False) -> None:
    column, value = ("person", session.person.id) if everywhere else ("digest", session.digest)
    connection.execute(f"DELETE FROM session WHERE {column} = ?", (value,))  # noqa: S608  # one of two words


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
