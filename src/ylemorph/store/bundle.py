"""Jobs as one file, ``ylemorph.jobs/1``: surveys, every change, checks, records. Read back, they are equal.

Rows stand as they are kept; only the numbers by which tables name each other are given anew. A survey stands once, by
its digest.
"""

import json
import sqlite3
from collections.abc import Iterable, Mapping
from typing import Any, Final, Literal, TypedDict

from ..core.errors import BadSurvey, YlemorphError
from ..formats.own.survey import survey_from_kept
from . import jobs, surveys
from .database import snapshot, transaction

FORMAT: Final = "ylemorph.jobs/1"
Columns = dict[str, object]  # of a row, by the names in the tables below
MOST_JOBS, MOST_ROWS = 5_000, 20_000  # of a file; rows of one job
MOST_TEXT = {
    "name": 200, "code": 200, "machine": 200, "note": 10_000, "sentence": 2_000, "made_by": 200, "item": 60,
    "target_size": 200, "options": 200_000, "bench": 20_000, "change": 16_000_000, "steps": 2_000_000, "way": 40,
    "kind": 200, "reason": 60, "result": 40, "made_at": 40, "at": 40, "begun_at": 40, "ended_at": 40, "closed_at": 40,
}  # fmt: skip
UNREADABLE = (KeyError, TypeError, AttributeError, ValueError, OverflowError, sqlite3.Error)  # ours are ValueErrors
LATER = ("thin",)  # columns that files of earlier versions do not have
# Tables that hang on a job, with the columns that travel; ``survey`` columns are named by digest.
SURVEYS = ("source", "target", "survey")
REVISION = (
    "number", "sentence", "made_at", "made_by", "code", "name", "machine", "note", "source", "target", "target_size",
    "target_sector", "options", "bench", "change", "thin",
)  # fmt: skip
PARTS: dict[str, tuple[str, ...]] = {
    "tick": ("item", "at"),
    "finished": ("survey", "made_at"),
    "closing": ("closed_at", "result", "note", "minutes", "keep_until"),
}
RUN = ("way", "kind", "steps", "begun_at", "ended_at")
EVENT = ("step", "what", "reason", "note", "at", "seconds")


class Bundle(TypedDict):
    """Jobs as one file. ``surveys`` by their digests, each once; the rows of ``jobs`` name them by these."""

    format: Literal["ylemorph.jobs/1"]
    surveys: Columns
    jobs: list[Columns]


def take_out(connection: sqlite3.Connection, wanted: Iterable[int] | None = None) -> Bundle:
    """The jobs with these numbers, or all that can be read, as JSON data."""
    with snapshot(connection):
        numbers = [line.id for line in jobs.lines(connection)] if wanted is None else list(wanted)
        bodies: Columns = {}
        made = []
        for number in sorted(numbers):
            try:
                jobs.get(connection, number)
                made.append(_job(connection, number, bodies))
            except (YlemorphError, sqlite3.Error, ValueError):
                if wanted is not None:
                    raise
    return {"format": FORMAT, "surveys": bodies, "jobs": made}


def _job(connection: sqlite3.Connection, number: int, bodies: Columns) -> Columns:
    job = connection.execute("SELECT * FROM job WHERE id = ?", (number,)).fetchone()
    revisions = connection.execute("SELECT * FROM revision WHERE job = ? ORDER BY number", (number,)).fetchall()
    numbers = {row["id"]: row["number"] for row in revisions}
    data: Columns = {
        "version": job["version"],
        "created_at": job["created_at"],
        "changed_at": job["changed_at"],
        "head": numbers[job["head"]],
        "revisions": [
            {**_row(connection, row, REVISION, bodies), "parent": numbers.get(row["parent"])} for row in revisions
        ],
    }
    for table, columns in PARTS.items():
        rows = connection.execute(f"SELECT * FROM {table} WHERE job = ? ORDER BY rowid", (number,))  # noqa: S608  # our own names
        data[table] = [_row(connection, row, columns, bodies) for row in rows]
    data["run"] = [
        {
            **_row(connection, row, RUN, bodies),
            "events": [
                _row(connection, event, EVENT, bodies)
                for event in connection.execute("SELECT * FROM run_event WHERE run = ? ORDER BY id", (row["id"],))
            ],
        }
        for row in connection.execute("SELECT * FROM run WHERE job = ? ORDER BY id", (number,))
    ]
    return data


def _row(connection: sqlite3.Connection, row: sqlite3.Row, columns: tuple[str, ...], bodies: Columns) -> Columns:
    made = {}
    for column in columns:
        value = row[column]
        if column in SURVEYS and value is not None:
            kept = connection.execute("SELECT digest, body FROM survey WHERE id = ?", (value,)).fetchone()
            bodies[kept["digest"]] = json.loads(kept["body"])
            value = kept["digest"]
        made[column] = value
    return made


def take_in(connection: sqlite3.Connection, data: Any, by: str = "", *, own: bool = False) -> list[int]:
    """Jobs from such a file, beside those that are there; all or none. Their entries say that ``by`` brought them.

    What was taken out of this very store (``own``) is put back whatever its size: limits guard what comes from
    elsewhere. Raises YlemorphError with the place.
    """
    if not isinstance(data, Mapping) or data.get("format") != FORMAT:
        raise BadSurvey(f"this is no file of jobs ({FORMAT})", at="format", mend="give one that Ylemorph took out")
    made: list[int] = []
    with transaction(connection):
        digests = _surveys(connection, data.get("surveys"))
        entries = data.get("jobs")
        if not isinstance(entries, list):
            raise BadSurvey("the jobs are missing", at="jobs", mend="take the file out again")
        if len(entries) > MOST_JOBS:
            raise BadSurvey(f"there are more than {MOST_JOBS} jobs in it", at="jobs", mend="bring them in parts")
        for place, job in enumerate(entries):
            try:
                if not own:
                    _check_lengths(job)
                made.append(_put(connection, job, digests, by))
                jobs.get(connection, made[-1])
            except UNREADABLE as error:
                reason = error.problem if isinstance(error, YlemorphError) else _said(error)
                raise BadSurvey(
                    f"it cannot be read ({reason[:160]})", at=f"jobs[{place}]", mend="take the file out again"
                ) from None
    return made


def _said(error: Exception) -> str:
    """What is wrong with a row, in words of ours: the database's own name columns and rules of the inside."""
    if isinstance(error, KeyError):
        return f"“{str(error.args[0])[:40]}” is missing"
    return (
        "a value is none that belongs there" if isinstance(error, sqlite3.Error | OverflowError) else "its form is off"
    )


def _check_lengths(job: Mapping[str, Any]) -> None:
    """The limits under which jobs are written here too. Raises BadSurvey."""
    rows = [("revisions", row) for row in job["revisions"]]
    rows += [(name, row) for name in (*PARTS, "run") for row in job[name]]
    rows += [("events", event) for run in job["run"] for event in run["events"]]
    if len(rows) > MOST_ROWS:
        raise BadSurvey(f"it has more than {MOST_ROWS} entries", mend="take the file out again")
    for name, row in rows:
        for column, most in MOST_TEXT.items():
            if len(str(row.get(column) or "")) > most:
                raise BadSurvey(f"“{column}” of its {name} has more than {most} characters", mend="shorten it")


def _surveys(connection: sqlite3.Connection, bodies: Any) -> dict[str, int]:
    """Ids in this store by the digests of the file."""
    if not isinstance(bodies, Mapping):
        raise BadSurvey("the surveys are missing", at="surveys", mend="take the file out again")
    found = {}
    for digest, body in bodies.items():
        try:
            found[str(digest)] = surveys.keep(connection, survey_from_kept(body))
        except (YlemorphError, ValueError, TypeError, KeyError, AttributeError) as error:
            reason = error.problem if isinstance(error, YlemorphError) else str(error)
            raise BadSurvey(
                f"it cannot be read ({reason[:160]})", at=f"surveys.{str(digest)[:12]}", mend="take the file out again"
            ) from None
    return found


def _imported(made_by: str, by: str) -> str:
    """Who made an entry elsewhere, as far as the file says, and who brought it here."""
    return f"{made_by} (imported by {by})".strip() if by and "(imported by" not in made_by else made_by


def _put(connection: sqlite3.Connection, job: Mapping[str, Any], digests: Mapping[str, int], by: str) -> int:
    number = connection.execute(
        "INSERT INTO job (version, created_at, changed_at) VALUES (?, ?, ?)",
        (job["version"], job["created_at"], job["changed_at"]),
    ).lastrowid
    assert number is not None
    ids: dict[int, int] = {}
    for revision in job["revisions"]:
        parent = revision["parent"]
        values = {
            **_values(revision, REVISION, digests),
            "job": number,
            "parent": None if parent is None else ids[parent],
            "made_by": _imported(str(revision["made_by"]), by),
        }
        ids[revision["number"]] = _insert(connection, "revision", values)
    connection.execute("UPDATE job SET head = ? WHERE id = ?", (ids[job["head"]], number))
    for table, columns in PARTS.items():
        for row in job[table]:
            _insert(connection, table, {**_values(row, columns, digests), "job": number})
    for run in job["run"]:
        own = _insert(connection, "run", {**_values(run, RUN, digests), "job": number})
        for event in run["events"]:
            _insert(connection, "run_event", {**_values(event, EVENT, digests), "run": own})
    return number


def _values(row: Mapping[str, Any], columns: tuple[str, ...], digests: Mapping[str, int]) -> Columns:
    return {
        column: digests[row[column]] if column in SURVEYS and row[column] is not None else row[column]
        for column in columns
        if column in row or column not in LATER
    }


def _insert(connection: sqlite3.Connection, table: str, values: Mapping[str, Any]) -> int:
    names, places = ", ".join(values), ", ".join(f":{name}" for name in values)
    made = connection.execute(f"INSERT INTO {table} ({names}) VALUES ({places})", dict(values))  # noqa: S608  # our own names
    return int(made.lastrowid or 0)
