"""A job's history: numbered revisions, of which the newest thousand are whole."""

import json
import sqlite3
from dataclasses import dataclass

from ..formats.own.change_data import ChangeData
from . import surveys
from .database import NotFound

MOST_ENTRIES = 100  # of a history at once
MOST_WHOLE = 1000  # changes of a job to which one can go back; older ones keep who, when and what


@dataclass(frozen=True, slots=True)
class Revision:
    """One entry of a job's history; ``made_by`` is the person or window that made it. What the job was at a ``thin``
    one is not kept any more."""

    number: int
    sentence: str
    made_at: str
    made_by: str
    parent: int | None
    is_head: bool
    thin: bool
    change: ChangeData | None = None


def entries(connection: sqlite3.Connection, job_id: int, before: int | None = None) -> list[Revision]:
    """Revisions of a job, the newest first, at most a hundred of those with numbers under ``before``."""
    rows = connection.execute(
        "SELECT revision.*, parent.number AS parent_number, revision.id = job.head AS is_head FROM revision"
        " JOIN job ON job.id = revision.job LEFT JOIN revision AS parent ON parent.id = revision.parent"
        " WHERE revision.job = ?1 AND revision.number < ?2"
        " ORDER BY revision.number DESC LIMIT ?3",
        (job_id, 2**62 if before is None else before, MOST_ENTRIES),
    ).fetchall()
    if not rows and connection.execute("SELECT 1 FROM job WHERE id = ?", (job_id,)).fetchone() is None:
        raise NotFound(f"there is no job {job_id}", mend="go back to the list of jobs")
    return [_revision(row) for row in rows]


def head_entry(connection: sqlite3.Connection, job_id: int) -> Revision:
    row = connection.execute(
        "SELECT revision.*, NULL AS parent_number, 1 AS is_head FROM job JOIN revision ON revision.id = job.head"
        " WHERE job.id = ?",
        (job_id,),
    ).fetchone()
    return _revision(row)


def _revision(row: sqlite3.Row) -> Revision:
    made = json.loads(row["change"]) if row["change"] else None
    return Revision(
        row["number"],
        row["sentence"],
        row["made_at"],
        row["made_by"],
        row["parent_number"],
        bool(row["is_head"]),
        bool(row["thin"]),
        made,
    )


def must_be_whole(connection: sqlite3.Connection, job_id: int, number: int) -> None:
    """Raises NotFound where there is no such change, or what the job was then is not kept any more."""
    row = connection.execute("SELECT thin FROM revision WHERE job = ? AND number = ?", (job_id, number)).fetchone()
    if row is None:
        raise NotFound(f"there is no change {number} in this job", mend="choose one of the list")
    if row["thin"]:
        raise NotFound(
            f"what the job was at change {number} is not kept any more", mend=f"choose one of the last {MOST_WHOLE}"
        )


def thin_out(connection: sqlite3.Connection, job_id: int, newest: int | None) -> None:
    """A history of any length holds a bounded number of whole states; the first one and the head stay."""
    number = connection.execute("SELECT number FROM revision WHERE id = ?", (newest,)).fetchone()["number"]
    which = "job = ?1 AND number = ?2 AND number > 1 AND id <> (SELECT head FROM job WHERE id = ?1)"
    held = connection.execute(f"SELECT source, target FROM revision WHERE {which}", (job_id, number - MOST_WHOLE))  # noqa: S608  # words of ours
    named = [survey for row in held for survey in row if survey is not None]
    thin = "thin = 1, source = NULL, target = NULL, target_size = NULL, options = '{}', bench = '{}'"
    connection.execute(f"UPDATE revision SET {thin} WHERE {which}", (job_id, number - MOST_WHOLE))  # noqa: S608  # words of ours
    surveys.drop_unused(connection, named)
