"""People of the workshop and their signed-in browsers, for a Ylemorph that serves a network.

Passwords are kept by werkzeug's scrypt, at parameters that OWASP names (Password Storage Cheat Sheet, from memory);
a cookie's secret only as its SHA-256, so that a copy of the data file lets nobody in.
"""

import hashlib
import secrets
import sqlite3
import threading
import time
from contextlib import suppress
from functools import cache
from typing import Literal, NamedTuple, get_args

from werkzeug.security import check_password_hash, generate_password_hash

from ..core.errors import BadOption, YlemorphError
from .database import NotFound, freeing, now, transaction
from .names import check_name, key_of
from .passwords import MOST_PASSWORD, check_password

# From the least to the most: reads; works on jobs, shelf and fleets; settings, people and backups too.
PersonRole = Literal["look", "bench", "workshop"]
ROLES: tuple[PersonRole, ...] = get_args(PersonRole)
METHOD = "scrypt:32768:8:3"  # N, r, p: 32 MiB a hash
_HASHING = threading.BoundedSemaphore(2)  # hashes at a time: whoever is not known takes no more memory than these
MOST_DEVICES = 20  # browsers of one person that are remembered
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
    row = _found(connection, name)
    if row is None:
        raise NotFound(f"there is no “{name[:80]}”", mend="see ylemorph people list")
    return get(connection, row["id"])


def _found(connection: sqlite3.Connection, name: str) -> sqlite3.Row | None:
    """Whoever goes by that name: people are few, and the form that counts is none that the database knows."""
    wanted = key_of(name)
    rows = connection.execute("SELECT id, name, password FROM person ORDER BY name <> ?, id", (name,))
    return next((row for row in rows if key_of(row["name"]) == wanted), None)


def add(connection: sqlite3.Connection, name: str, role: PersonRole, password: str) -> Person:
    """Raises BadOption for a name that is taken or a password that is too short."""
    kept = _hashed(password, check_name(name, _names(connection)))
    with transaction(connection):
        names = _names(connection)
        name = check_name(name, names)
        if len(names) >= MOST_PEOPLE:
            raise BadOption(f"there are {MOST_PEOPLE} people already", at="name", mend="remove some first")
        sql = "INSERT INTO person (name, role, password, created_at) VALUES (?, ?, ?, ?)"
        person_id = connection.execute(sql, (name, role, kept, now())).lastrowid
    assert person_id is not None
    return get(connection, person_id)


def _names(connection: sqlite3.Connection) -> list[str]:
    return [row["name"] for row in connection.execute("SELECT name FROM person")]


def change(
    connection: sqlite3.Connection, person_id: int, role: PersonRole | None = None, password: str | None = None
) -> Person:
    """Another role, a new password (whoever is signed in under the old one is signed out), or both, or nothing.

    Raises LastOne, BadOption or NotFound.
    """
    person = get(connection, person_id)
    kept = None if password is None else _hashed(password, person.name)
    with transaction(connection):
        if role is not None:
            if role != "workshop":
                _keep_one(connection, get(connection, person_id))
            connection.execute("UPDATE person SET role = ? WHERE id = ?", (role, person_id))
        if kept is not None:
            connection.execute("UPDATE person SET password = ? WHERE id = ?", (kept, person_id))
            connection.execute("DELETE FROM session WHERE person = ?", (person_id,))
    return get(connection, person_id)


def is_password(connection: sqlite3.Connection, person: Person, password: str) -> bool:
    """Whether somebody who is signed in knows the password too."""
    row = connection.execute("SELECT password FROM person WHERE id = ?", (person.id,)).fetchone()
    return row is not None and _is_right(row["password"], password)


def remove(connection: sqlite3.Connection, person_id: int) -> None:
    """Raises LastOne or NotFound. What the person changed keeps the name."""
    with transaction(connection, frees=True):
        _keep_one(connection, get(connection, person_id))
        connection.execute("DELETE FROM person WHERE id = ?", (person_id,))


def _keep_one(connection: sqlite3.Connection, person: Person) -> None:
    others = "SELECT 1 FROM person WHERE role = 'workshop' AND id <> ?"
    if person.role == "workshop" and connection.execute(others, (person.id,)).fetchone() is None:
        raise LastOne(
            f"{person.name} is the last one of the role workshop", mend="give that role to somebody else first"
        )


def _hashed(password: str, name: str) -> str:
    check_password(password, name)
    return _hash(password)


def _hash(password: str) -> str:
    with _HASHING:
        return generate_password_hash(password, METHOD)


def _is_right(kept: str, password: str) -> bool:
    with _HASHING:
        return check_password_hash(kept, password[: MOST_PASSWORD + 1])


# --- signed-in browsers ----------------------------------------------------------------------------------------------


class SignedIn(NamedTuple):
    """A new session, with the secrets for the cookies of this session and of this browser."""

    secret: str
    device: str
    session: Session


@cache
def _nobody() -> str:
    """Checked where there is no such name, so that the time does not tell which names there are."""
    return generate_password_hash(secrets.token_urlsafe(12), METHOD)


def sign_in(
    connection: sqlite3.Connection, name: str, password: str, *, before: str = "", device: str = ""
) -> SignedIn | None:
    """A new session; None where name or password is wrong.

    ``before``: the secret of the session that this browser has, which ends; ``device``: what tells this browser.
    """
    row = _found(connection, name)
    right = _is_right(row["password"] if row else _nobody(), password)
    if row is None or not right:
        return None
    renewed = None if row["password"].startswith(f"{METHOD}$") else _hash(password)
    secret, token, at = secrets.token_urlsafe(32), secrets.token_urlsafe(24), int(time.time())
    device = device if knows_device(connection, name, device) else secrets.token_urlsafe(24)
    session = Session(get(connection, row["id"]), token, _digest(secret))

    def keep() -> None:
        with transaction(connection, frees=True):
            idle, oldest = _valid_since()
            connection.execute("DELETE FROM session WHERE seen_at <= ? OR begun_at <= ?", (idle, oldest))
            connection.execute("DELETE FROM session WHERE digest = ?", (_digest(before),))
            connection.execute("INSERT INTO session VALUES (?, ?, ?, ?, ?)", (session.digest, row["id"], token, at, at))
            connection.execute(_DEVICE, (_digest(device), row["id"], at))
            connection.execute(_OLD_DEVICES, (row["id"], MOST_DEVICES))
            if renewed is not None:
                connection.execute("UPDATE person SET password = ? WHERE id = ?", (renewed, row["id"]))

    freeing(connection, keep)
    return SignedIn(secret, device, session)


_DEVICE = """
INSERT INTO device VALUES (?, ?, ?)
ON CONFLICT (digest) DO UPDATE SET used_at = excluded.used_at, person = excluded.person
"""
_OLD_DEVICES = """
DELETE FROM device WHERE person = ?1 AND digest NOT IN
  (SELECT digest FROM device WHERE person = ?1 ORDER BY used_at DESC, digest LIMIT ?2)
"""


def knows_device(connection: sqlite3.Connection, name: str, device: str) -> bool:
    """Whether this browser signed in under that name before, so that wrong tries from elsewhere do not count for it."""
    row = connection.execute(
        "SELECT person.name FROM device JOIN person ON person.id = device.person WHERE device.digest = ?",
        (_digest(device),),
    ).fetchone()
    return row is not None and key_of(row["name"]) == key_of(name)


def session_of(connection: sqlite3.Connection, secret: str) -> Session | None:
    """Whose browser this is; None where the session ended."""
    return session_by_digest(connection, _digest(secret))


def session_by_digest(connection: sqlite3.Connection, digest: str) -> Session | None:
    """A session that has not ended. A clock that was set back does not make it longer: then it ends at once."""
    idle, oldest = _valid_since()
    row = connection.execute(
        "SELECT * FROM session WHERE digest = ? AND seen_at > ? AND begun_at > ?", (digest, idle, oldest)
    ).fetchone()
    at = int(time.time())
    if row is None or row["seen_at"] > at + SEEN_EVERY:
        return None
    if at - row["seen_at"] > SEEN_EVERY:
        with suppress(sqlite3.OperationalError), transaction(connection, frees=True):  # reading goes on all the same
            connection.execute("UPDATE session SET seen_at = ? WHERE digest = ?", (at, digest))
    return Session(get(connection, row["person"]), row["token"], row["digest"])


def sign_out(connection: sqlite3.Connection, session: Session, *, everywhere: bool = False) -> None:
    column, value = ("person", session.person.id) if everywhere else ("digest", session.digest)

    def end() -> None:
        with transaction(connection, frees=True):
            connection.execute(f"DELETE FROM session WHERE {column} = ?", (value,))  # noqa: S608  # one of two words

    freeing(connection, end)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
