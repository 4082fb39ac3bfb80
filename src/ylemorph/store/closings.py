"""Checks of the finished disk, and the closing of a job."""

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Literal

from ..core.disk.model import Survey
from ..core.errors import BadOption
from . import surveys
from .database import NotFound, now, transaction

Result = Literal["done", "given-up"]
MOST_CHECKS = 50  # kept of one job


@dataclass(frozen=True, slots=True)
class Finished:
    """The finished disk as it was read once."""

    id: int
    made_at: str
    survey: Survey


@dataclass(frozen=True, slots=True)
class Closing:
    """How a job ended; ``keep_until``: a date until when the old disk is kept; ``minutes`` that it took, as typed."""

    closed_at: str
    result: Result
    note: str
    keep_until: str | None
    minutes: int | None = None


def checks(connection: sqlite3.Connection, job: int) -> list[Finished]:
    """All readings of the finished disk, the newest first."""
    rows = connection.execute("SELECT * FROM finished WHERE job = ? ORDER BY id DESC", (job,)).fetchall()
    return [Finished(row["id"], row["made_at"], surveys.get(connection, row["survey"])) for row in rows]


def checked(connection: sqlite3.Connection, jobs: Iterable[int]) -> set[int]:
    """For the list: those of these jobs whose finished disk was read."""
    asked = json.dumps(list(jobs))
    rows = connection.execute(
        "SELECT DISTINCT job FROM finished WHERE job IN (SELECT value FROM json_each(?))", (asked,)
    )
    return {row["job"] for row in rows}


def add_check(connection: sqlite3.Connection, job: int, survey: Survey, at: str = "") -> None:
    """Keep a reading of the finished disk; the oldest gives way to very many. Raises BadOption or NotFound."""
    with transaction(connection):
        must_be_open(connection, job)
        survey_id = surveys.keep(connection, survey)
        connection.execute(
            "INSERT INTO finished (job, survey, made_at) VALUES (?, ?, ?)", (job, survey_id, at or now())
        )
        connection.execute(
            "DELETE FROM finished WHERE job = ?1 AND id NOT IN"
            " (SELECT id FROM finished WHERE job = ?1 ORDER BY id DESC LIMIT ?2)",
            (job, MOST_CHECKS),
        )


def closing(connection: sqlite3.Connection, job: int) -> Closing | None:
    row = connection.execute("SELECT * FROM closing WHERE job = ?", (job,)).fetchone()
    return None if row is None else _closing(row)


def close(
    connection: sqlite3.Connection,
    job: int,
    result: Result,
    note: str,
    keep_until: str | None,
    minutes: int | None = None,
    at: str = "",
) -> None:
    """Close a job. Raises BadOption where it is closed already or the date is none."""
    if keep_until is not None:
        try:
            date.fromisoformat(keep_until)
        except ValueError:
            raise BadOption(f"“{keep_until[:20]}” is no date", at="keep_until", mend="write 2026-12-24") from None
    with transaction(connection):
        must_be_open(connection, job)
        connection.execute(
            "INSERT INTO closing (job, closed_at, result, note, keep_until, minutes) VALUES (?, ?, ?, ?, ?, ?)",
            (job, at or now(), result, note, keep_until, minutes),
        )


def reopen(connection: sqlite3.Connection, job: int) -> None:
    """Open a closed job again. Raises BadOption where it is open."""
    with transaction(connection):
        if connection.execute("DELETE FROM closing WHERE job = ?", (job,)).rowcount == 0:
            raise BadOption("this job is open", mend="load the page again")


def closings_of(connection: sqlite3.Connection, jobs: Iterable[int]) -> dict[int, Closing]:
    """For the list: those of these jobs that are closed."""
    asked = json.dumps(list(jobs))
    rows = connection.execute("SELECT * FROM closing WHERE job IN (SELECT value FROM json_each(?))", (asked,))
    return {row["job"]: _closing(row) for row in rows}


def _closing(row: sqlite3.Row) -> Closing:
    return Closing(row["closed_at"], row["result"], row["note"], row["keep_until"], row["minutes"])


def must_be_open(connection: sqlite3.Connection, job: int) -> None:
    """Raises NotFound for a job that is not there, BadOption for one that is closed."""
    if connection.execute("SELECT 1 FROM job WHERE id = ?", (job,)).fetchone() is None:
        raise NotFound(f"there is no job {job}", mend="go back to the list of jobs")
    if connection.execute("SELECT 1 FROM closing WHERE job = ?", (job,)).fetchone() is not None:
        raise BadOption("this job is closed", mend="open it again on Check back")
