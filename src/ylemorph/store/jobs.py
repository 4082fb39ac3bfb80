"""Jobs: what a job is at its head revision, and every change to it as a numbered revision."""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from ..core.disk.model import Disk, Survey
from ..core.errors import YlemorphError
from ..formats.options import target_from_text
from . import surveys
from .database import NotFound, now, transaction


@dataclass(frozen=True, slots=True)
class JobState:
    """All that a user can change. The target is a survey, or a size as typed with its sector size, or nothing yet."""

    name: str = ""
    code: str = ""
    machine: str = ""
    note: str = ""
    source: Survey | None = None
    target: Survey | None = None
    target_size: str | None = None
    target_sector: int = 512
    options: dict[str, Any] | None = None

    @property
    def target_disk(self) -> Disk | None:
        if self.target is not None:
            return self.target.disk
        return target_from_text(self.target_size, self.target_sector) if self.target_size else None


@dataclass(frozen=True, slots=True)
class Job:
    """A job at its head. ``version`` counts all writes; ``revision`` is the head's number."""

    id: int
    version: int
    revision: int
    created_at: str
    changed_at: str
    can_undo: bool
    can_redo: bool
    state: JobState


@dataclass(frozen=True, slots=True)
class Revision:
    """One entry of a job's history; ``made_by`` is the window that made it."""

    number: int
    sentence: str
    made_at: str
    made_by: str
    parent: int | None
    is_head: bool


class Conflict(YlemorphError):
    """The job was changed meanwhile; ``job`` is how it stands now."""

    def __init__(self, job: Job, last: Revision) -> None:
        self.job = job
        self.last = last
        by = last.made_by or "another program"
        super().__init__(
            f"the job was changed meanwhile: “{last.sentence}” by {by} at {last.made_at}",
            mend="look at the change and make yours again",
        )


_HEAD = """
SELECT job.id, job.version, job.created_at, job.changed_at, job.head, revision.number AS revision, revision.parent,
       revision.name, revision.code, revision.machine, revision.note, revision.source, revision.target,
       revision.target_size, revision.target_sector, revision.options,
       EXISTS (SELECT 1 FROM revision AS child WHERE child.parent = job.head) AS has_child
FROM job JOIN revision ON revision.id = job.head
"""


def listed(connection: sqlite3.Connection) -> list[Job]:
    """All jobs, the last changed first."""
    rows = connection.execute(_HEAD + "ORDER BY job.changed_at DESC, job.id DESC").fetchall()
    return [_job(connection, row) for row in rows]


def get(connection: sqlite3.Connection, job_id: int) -> Job:
    row = connection.execute(_HEAD + "WHERE job.id = ?", (job_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no job {job_id}", mend="go back to the list of jobs")
    return _job(connection, row)


def create(connection: sqlite3.Connection, state: JobState, sentence: str = "Job begun", made_by: str = "") -> Job:
    """A new job. Without a code it gets the next of its own, ``YM-0001`` and so on."""
    with transaction(connection):
        at = now()
        job_id = connection.execute("INSERT INTO job (created_at, changed_at) VALUES (?, ?)", (at, at)).lastrowid
        assert job_id is not None
        named = replace(state, code=state.code or f"YM-{job_id:04d}")
        _add_revision(connection, job_id, None, named, sentence, made_by)
    return get(connection, job_id)


def change(
    connection: sqlite3.Connection,
    job_id: int,
    version: int | None,
    make: Callable[[JobState], tuple[JobState, str]],
    made_by: str = "",
) -> Job:
    """Make one change under the version that the caller saw (None: whichever). Raises Conflict or NotFound."""
    with transaction(connection):
        job = _expected(connection, job_id, version)
        state, sentence = make(job.state)
        if state != job.state:
            head = connection.execute("SELECT head FROM job WHERE id = ?", (job_id,)).fetchone()["head"]
            _add_revision(connection, job_id, head, state, sentence, made_by)
    return get(connection, job_id)


def undo(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    """Go back to the parent of the head; nothing happens at the first revision."""
    sql = "SELECT parent FROM revision WHERE id = (SELECT head FROM job WHERE id = ?)"
    return _move(connection, job_id, version, sql)


def redo(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    """Go on to the newest child of the head; nothing happens where there is none."""
    sql = "SELECT max(id) FROM revision WHERE parent = (SELECT head FROM job WHERE id = ?)"
    return _move(connection, job_id, version, sql)


def go_to(connection: sqlite3.Connection, job_id: int, version: int | None, number: int) -> Job:
    """Make the revision with ``number`` the head."""
    sql = "SELECT id FROM revision WHERE job = ? AND number = ?"
    if connection.execute(sql, (job_id, number)).fetchone() is None:
        raise NotFound(f"there is no change {number} in this job", mend="choose one of the list")
    return _move(connection, job_id, version, sql, number)


def _move(connection: sqlite3.Connection, job_id: int, version: int | None, sql: str, *more: int) -> Job:
    with transaction(connection):
        _expected(connection, job_id, version)
        head = connection.execute(sql, (job_id, *more)).fetchone()[0]
        if head is not None:
            connection.execute(
                "UPDATE job SET head = ?, version = version + 1, changed_at = ? WHERE id = ?", (head, now(), job_id)
            )
    return get(connection, job_id)


def state_at(connection: sqlite3.Connection, job_id: int, number: int) -> JobState:
    """The job as it was at the change ``number``. Raises NotFound."""
    row = connection.execute("SELECT * FROM revision WHERE job = ? AND number = ?", (job_id, number)).fetchone()
    if row is None:
        raise NotFound(f"there is no change {number} in this job", mend="choose one of the list")
    return _state(connection, row)


def history(connection: sqlite3.Connection, job_id: int) -> list[Revision]:
    """All revisions of a job, the newest first."""
    rows = connection.execute(
        "SELECT revision.*, parent.number AS parent_number, revision.id = job.head AS is_head FROM revision"
        " JOIN job ON job.id = revision.job LEFT JOIN revision AS parent ON parent.id = revision.parent"
        " WHERE revision.job = ? ORDER BY revision.number DESC",
        (job_id,),
    ).fetchall()
    return [
        Revision(r["number"], r["sentence"], r["made_at"], r["made_by"], r["parent_number"], bool(r["is_head"]))
        for r in rows
    ]


def delete(connection: sqlite3.Connection, job_id: int) -> None:
    """Forget a job with all its revisions, and the surveys that only it used."""
    with transaction(connection):
        get(connection, job_id)
        connection.execute("UPDATE revision SET parent = NULL WHERE job = ?", (job_id,))
        connection.execute("UPDATE job SET head = NULL WHERE id = ?", (job_id,))
        connection.execute("DELETE FROM job WHERE id = ?", (job_id,))
        surveys.drop_unused(connection)


def _expected(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    job = get(connection, job_id)
    if version is not None and version != job.version:
        raise Conflict(job, next(r for r in history(connection, job_id) if r.is_head))
    return job


def _add_revision(
    connection: sqlite3.Connection, job_id: int, parent: int | None, state: JobState, sentence: str, made_by: str
) -> None:
    source = surveys.keep(connection, state.source) if state.source else None
    target = surveys.keep(connection, state.target) if state.target else None
    at = now()
    options = json.dumps(state.options or {}, sort_keys=True)
    cursor = connection.execute(
        "INSERT INTO revision (job, number, parent, sentence, made_at, made_by, code, name, machine, note, source,"
        " target, target_size, target_sector, options)"
        " SELECT ?1, coalesce(max(number), 0) + 1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14"
        " FROM revision WHERE job = ?1",
        (
            job_id, parent, sentence, at, made_by, state.code, state.name, state.machine, state.note, source, target,
            state.target_size, state.target_sector, options,
        ),
    )  # fmt: skip
    connection.execute(
        "UPDATE job SET head = ?, changed_at = ?, version = version + (? IS NOT NULL) WHERE id = ?",
        (cursor.lastrowid, at, parent, job_id),
    )


def _job(connection: sqlite3.Connection, row: sqlite3.Row) -> Job:
    return Job(
        id=row["id"],
        version=row["version"],
        revision=row["revision"],
        created_at=row["created_at"],
        changed_at=row["changed_at"],
        can_undo=row["parent"] is not None,
        can_redo=bool(row["has_child"]),
        state=_state(connection, row),
    )


def _state(connection: sqlite3.Connection, row: sqlite3.Row) -> JobState:
    return JobState(
        name=row["name"],
        code=row["code"],
        machine=row["machine"],
        note=row["note"],
        source=surveys.get(connection, row["source"]) if row["source"] else None,
        target=surveys.get(connection, row["target"]) if row["target"] else None,
        target_size=row["target_size"],
        target_sector=row["target_sector"],
        options=json.loads(row["options"]),
    )
