"""Surveys, kept once each by their content."""

import hashlib
import sqlite3
from functools import lru_cache

from ..core.disk.model import Survey
from ..formats.survey import read_survey
from ..formats.survey_data import write_survey


def keep(connection: sqlite3.Connection, survey: Survey) -> int:
    """Id of ``survey`` in the store. Call it inside a transaction."""
    body = write_survey(survey)
    digest = hashlib.sha256(body.encode()).hexdigest()
    connection.execute("INSERT INTO survey (digest, body) VALUES (?, ?) ON CONFLICT DO NOTHING", (digest, body))
    row = connection.execute("SELECT id FROM survey WHERE digest = ?", (digest,)).fetchone()
    return int(row["id"])


def get(connection: sqlite3.Connection, survey_id: int) -> Survey:
    row = connection.execute("SELECT body FROM survey WHERE id = ?", (survey_id,)).fetchone()
    return _read(row["body"])


@lru_cache(maxsize=64)
def _read(body: str) -> Survey:
    """A kept survey never changes, and every step of a drag asks for the same two."""
    return read_survey(body)


def drop_unused(connection: sqlite3.Connection) -> None:
    """Forget surveys that no revision names any more. Call it inside a transaction."""
    connection.execute(
        "DELETE FROM survey WHERE id NOT IN (SELECT source FROM revision WHERE source IS NOT NULL"
        " UNION SELECT target FROM revision WHERE target IS NOT NULL)"
    )
