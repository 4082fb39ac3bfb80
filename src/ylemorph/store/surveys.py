"""Surveys, kept once each by their content, compact; read back without the limits that guard imports."""

import contextlib
import hashlib
import json
import sqlite3
from collections.abc import Iterable
from functools import lru_cache

from ..core.disk.model import Survey
from ..core.errors import YlemorphError
from ..formats.own.survey import survey_from_kept
from ..formats.own.survey_data import write_survey
from .database import NotFound


def keep(connection: sqlite3.Connection, survey: Survey) -> int:
    """Id of ``survey`` in the store. Call it inside a transaction."""
    body = write_survey(survey, indent=None)
    digest = hashlib.sha256(body.encode("utf-8", "surrogatepass")).hexdigest()
    connection.execute(
        "INSERT INTO survey (digest, body, serial, words) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING",
        (digest, body, survey.disk.serial, f"{survey.disk.model} {survey.disk.serial}".strip()),
    )
    row = connection.execute("SELECT id FROM survey WHERE digest = ?", (digest,)).fetchone()
    return int(row["id"])


def get(connection: sqlite3.Connection, survey_id: int) -> Survey:
    """Raises YlemorphError or ValueError where it cannot be read."""
    row = connection.execute("SELECT body FROM survey WHERE id = ?", (survey_id,)).fetchone()
    return _read(_found(row))


def by_digest(connection: sqlite3.Connection, digest: str) -> Survey:
    row = connection.execute("SELECT body FROM survey WHERE digest = ?", (digest,)).fetchone()
    return _read(_found(row))


def _found(row: sqlite3.Row | None) -> str:
    if row is None:
        raise NotFound("this survey is not in the store any more", mend="load the page again")
    return str(row["body"])


@lru_cache(maxsize=64)
def _read(body: str) -> Survey:
    """A kept survey never changes, and every step of a drag asks for the same two."""
    return survey_from_kept(json.loads(body))


def of_disk(connection: sqlite3.Connection, serial: str) -> list[Survey]:
    """All surveys of the disk with a serial, whatever they came with; one that cannot be read is passed over."""
    found = []
    for row in connection.execute(OF_DISK, (serial,)):
        with contextlib.suppress(YlemorphError, ValueError):
            found.append(_read(row["body"]))
    return found


OF_DISK = "SELECT body FROM survey WHERE serial = ?1 AND ?1 <> '' ORDER BY id LIMIT 400"


_UNUSED = """
DELETE FROM survey WHERE id = ?1
  AND NOT EXISTS (SELECT 1 FROM revision WHERE source = ?1) AND NOT EXISTS (SELECT 1 FROM revision WHERE target = ?1)
  AND NOT EXISTS (SELECT 1 FROM finished WHERE survey = ?1)
  AND NOT EXISTS (SELECT 1 FROM fleet_machine WHERE survey = ?1)
"""


def drop_unused(connection: sqlite3.Connection, some: Iterable[int]) -> None:
    """Of these surveys forget those that no revision, check or machine names any more. Call it inside a transaction."""
    connection.executemany(_UNUSED, [(survey,) for survey in set(some)])
