"""Jobs: what a job is at its head revision, and every change to it as a numbered revision.

What was written is read back whatever today's limits for imports are. A job whose content cannot be read any more is
``Broken``: it is listed with its reason, and its survey can still be got out.
"""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple, TypeVar

from ..core.carry.facts import Facts
from ..core.carry.sequence import WAYS, WayKey
from ..core.disk.model import Survey
from ..core.errors import YlemorphError
from ..core.fit.options import Options
from ..core.job.change import Change
from ..core.job.state import JobState, SizedTarget
from ..formats.own.change_data import change_to_kept
from ..formats.own.options import facts_from, facts_to_data, options_from, options_to_data
from ..formats.own.targets import target_from_text
from . import surveys
from .closings import must_be_open
from .database import NotFound, freeing, now, snapshot, transaction
from .history import Revision, head_entry, must_be_whole, thin_out

Part = TypeVar("Part")


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
    closed: bool
    state: JobState


class Broken(YlemorphError):
    """A job whose content cannot be read; the sentence says which part and why."""


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
SELECT job.id, job.version, job.created_at, job.changed_at, job.head, revision.number AS revision,
       (SELECT id FROM revision AS before WHERE before.id = revision.parent AND NOT before.thin) AS parent,
       revision.name, revision.code, revision.machine, revision.note, revision.source, revision.target,
       revision.target_size, revision.target_sector, revision.options, revision.bench,
       EXISTS (SELECT 1 FROM revision AS child WHERE child.parent = job.head) AS has_child,
       EXISTS (SELECT 1 FROM closing WHERE closing.job = job.id) AS closed
FROM job JOIN revision ON revision.id = job.head
"""


class JobHead(NamedTuple):
    """A job for the list, without its surveys: their digests and the options tell whether two are alike."""

    id: int
    code: str
    name: str
    machine: str
    changed_at: str
    content: tuple[Any, ...]
    closed: bool

    @property
    def place(self) -> "ListPlace":
        return ListPlace(self.closed, self.changed_at, self.id)


class ListPlace(NamedTuple):
    """Where a job stands in the list: the open ones first, of both the last changed first."""

    closed: bool
    changed_at: str
    id: int


class JobSearch(NamedTuple):
    """Which jobs: all of the words, folded, in what names a job or its disks; open or closed or both;
    one alone."""

    words: tuple[str, ...] = ()
    closed: bool | None = None
    id: int | None = None


_LINES = """
SELECT job.id, job.changed_at, revision.code, revision.name, revision.machine, revision.target_size,
       revision.target_sector, revision.options, source.digest AS source_digest, target.digest AS target_digest,
       EXISTS (SELECT 1 FROM closing WHERE closing.job = job.id) AS closed
FROM job JOIN revision ON revision.id = job.head
     LEFT JOIN survey AS source ON source.id = revision.source
     LEFT JOIN survey AS target ON target.id = revision.target
"""
_LAST_FIRST = "ORDER BY job.changed_at DESC, job.id DESC"
_NAMES = """folded(revision.code || ' ' || revision.name || ' ' || revision.machine || ' '
 || coalesce(revision.target_size, '') || ' ' || coalesce(source.words, '') || ' ' || coalesce(target.words, ''))"""
_ALL = ListPlace(False, "~", 2**62)  # before the first one


def lines(connection: sqlite3.Connection) -> list[JobHead]:
    """All jobs, the last changed first, by one query and without their surveys."""
    return [_job_head(row) for row in connection.execute(_LINES + _LAST_FIRST)]


def page(connection: sqlite3.Connection, wanted: JobSearch, after: ListPlace | None, most: int) -> list[JobHead]:
    """At most so many of the jobs that are wanted, in the order of the list, those that come after a place."""
    found: list[JobHead] = []
    for closed in (False, True):
        if wanted.closed in (None, closed) and (after is None or closed >= after.closed):
            begin = after if after is not None and after.closed == closed else _ALL
            found += _of_side(connection, wanted, begin._replace(closed=closed), most - len(found))
    return found


def _of_side(connection: sqlite3.Connection, wanted: JobSearch, after: ListPlace, most: int) -> list[JobHead]:
    """Of the open or of the closed jobs; the index gives them in their order, so that only what is shown is read."""
    asked = ["closed = ?", "(job.changed_at, job.id) < (?, ?)", *[f"instr({_NAMES}, ?) > 0" for _ in wanted.words]]
    values: list[Any] = [after.closed, after.changed_at, after.id, *wanted.words]
    if wanted.id is not None:
        asked, values = [*asked, "job.id = ?"], [*values, wanted.id]
    rows = connection.execute(f"{_LINES} WHERE {' AND '.join(asked)} {_LAST_FIRST} LIMIT ?", (*values, max(0, most)))
    return [_job_head(row) for row in rows]


def _job_head(row: sqlite3.Row) -> JobHead:
    content = tuple(row[key] for key in ("source_digest", "target_digest", "target_size", "target_sector", "options"))
    return JobHead(row["id"], row["code"], row["name"], row["machine"], row["changed_at"], content, bool(row["closed"]))


def count(connection: sqlite3.Connection) -> int:
    return int(connection.execute("SELECT count(*) FROM job").fetchone()[0])


def get(connection: sqlite3.Connection, job_id: int) -> Job:
    """A job at its head. Raises NotFound or Broken."""
    with snapshot(connection):
        row = connection.execute(_HEAD + "WHERE job.id = ?", (job_id,)).fetchone()
        if row is None:
            raise NotFound(f"there is no job {job_id}", mend="go back to the list of jobs")
        return _job(connection, row)


def survey_text(connection: sqlite3.Connection, job_id: int, which: str) -> str:
    """The ``source`` or ``target`` of a job as JSON, as it is kept, even where it cannot be read."""
    column = {"source": "source", "target": "target"}[which]
    row = connection.execute(
        f"SELECT survey.body FROM job JOIN revision ON revision.id = job.head"  # noqa: S608  # one of two words
        f" JOIN survey ON survey.id = revision.{column} WHERE job.id = ?",
        (job_id,),
    ).fetchone()
    if row is None:
        raise NotFound(f"job {job_id} has no survey of its {which}", mend="go back to the list of jobs")
    return str(row["body"])


def create(connection: sqlite3.Connection, state: JobState, sentence: str = "Job begun", made_by: str = "") -> Job:
    """A new job. Without a code it gets the next of its own that no job has, ``YM-0001`` and so on."""
    with transaction(connection):
        at = now()
        job_id = connection.execute("INSERT INTO job (created_at, changed_at) VALUES (?, ?)", (at, at)).lastrowid
        assert job_id is not None
        named = state.but(code=state.code or _own_code(connection, job_id))
        _add_revision(connection, job_id, None, named, sentence, made_by, None)
    return get(connection, job_id)


def _own_code(connection: sqlite3.Connection, number: int) -> str:
    sql = "SELECT 1 FROM job JOIN revision ON revision.id = job.head WHERE revision.code = ?"
    while connection.execute(sql, (f"YM-{number:04d}",)).fetchone():
        number += 1
    return f"YM-{number:04d}"


def must_be_at(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    """The job, where it still is as the caller saw it (None: however it is). Call it inside a transaction.

    Raises NotFound, BadOption where it is closed, Conflict or Broken.
    """
    _check_version(connection, job_id, version)
    return get(connection, job_id)


def add_revision(
    connection: sqlite3.Connection, job_id: int, state: JobState, sentence: str, made_by: str, made: Change
) -> None:
    """What a change made of a job, behind its head. Call it inside a transaction."""
    head = connection.execute("SELECT head FROM job WHERE id = ?", (job_id,)).fetchone()["head"]
    _add_revision(connection, job_id, head, state, sentence, made_by, made)


def undo(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    """Go back to the parent of the head; nothing happens at the first revision, or at the last one that is whole."""
    sql = (
        "SELECT (SELECT id FROM revision AS before WHERE before.id = revision.parent AND NOT before.thin)"
        " FROM revision WHERE id = (SELECT head FROM job WHERE id = ?)"
    )
    return _move(connection, job_id, version, sql)


def redo(connection: sqlite3.Connection, job_id: int, version: int | None) -> Job:
    """Go on to the newest child of the head; nothing happens where there is none."""
    sql = "SELECT max(id) FROM revision WHERE parent = (SELECT head FROM job WHERE id = ?)"
    return _move(connection, job_id, version, sql)


def go_to(connection: sqlite3.Connection, job_id: int, version: int | None, number: int) -> Job:
    """Make the revision with ``number`` the head."""
    must_be_whole(connection, job_id, number)
    return _move(connection, job_id, version, "SELECT id FROM revision WHERE job = ? AND number = ?", number)


def _move(connection: sqlite3.Connection, job_id: int, version: int | None, sql: str, *more: int) -> Job:
    with transaction(connection):
        _check_version(connection, job_id, version)
        head = connection.execute(sql, (job_id, *more)).fetchone()[0]
        if head is not None:
            connection.execute(
                "UPDATE job SET head = ?, version = version + 1, changed_at = ? WHERE id = ?", (head, now(), job_id)
            )
    return get(connection, job_id)


def state_at(connection: sqlite3.Connection, job_id: int, number: int) -> JobState:
    """The job as it was at the change ``number``. Raises NotFound."""
    with snapshot(connection):
        must_be_whole(connection, job_id, number)
        row = connection.execute("SELECT * FROM revision WHERE job = ? AND number = ?", (job_id, number)).fetchone()
        return _state(connection, row)


def delete(connection: sqlite3.Connection, job_id: int) -> None:
    """Forget a job with all its revisions, and the surveys that only it used; possible even on a full disk."""
    freeing(connection, lambda: _delete(connection, job_id))


_NAMED = """
SELECT source FROM revision WHERE job = ?1 AND source IS NOT NULL
UNION SELECT target FROM revision WHERE job = ?1 AND target IS NOT NULL UNION SELECT survey FROM finished WHERE job = ?1
"""


def _delete(connection: sqlite3.Connection, job_id: int) -> None:
    with transaction(connection, frees=True):
        _must_be(connection, job_id)
        named = [row[0] for row in connection.execute(_NAMED, (job_id,))]
        connection.execute("UPDATE revision SET parent = NULL WHERE job = ?", (job_id,))
        connection.execute("UPDATE job SET head = NULL WHERE id = ?", (job_id,))
        connection.execute("DELETE FROM job WHERE id = ?", (job_id,))
        surveys.drop_unused(connection, named)


def _check_version(connection: sqlite3.Connection, job_id: int, version: int | None) -> None:
    """Raises Conflict where the job is not as the caller saw it. The content is not looked at: it may be broken."""
    row = connection.execute("SELECT version FROM job WHERE id = ?", (job_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no job {job_id}", mend="go back to the list of jobs")
    must_be_open(connection, job_id)
    if version is not None and version != row["version"]:
        raise Conflict(get(connection, job_id), head_entry(connection, job_id))


def _must_be(connection: sqlite3.Connection, job_id: int) -> None:
    if connection.execute("SELECT 1 FROM job WHERE id = ?", (job_id,)).fetchone() is None:
        raise NotFound(f"there is no job {job_id}", mend="go back to the list of jobs")


def _add_revision(
    connection: sqlite3.Connection,
    job_id: int,
    parent: int | None,
    state: JobState,
    sentence: str,
    made_by: str,
    change: Change | None,
) -> None:
    at, target = now(), state.target
    sized = target if isinstance(target, SizedTarget) else None
    values = {
        "parent": parent,
        "sentence": sentence,
        "made_at": at,
        "made_by": made_by,
        "code": state.code,
        "name": state.name,
        "machine": state.machine,
        "note": state.note,
        "source": surveys.keep(connection, state.source) if state.source else None,
        "target": surveys.keep(connection, target)
        if target is not None and not isinstance(target, SizedTarget)
        else None,
        "target_size": sized.text if sized else None,
        "target_sector": sized.disk.logical_sector_bytes if sized else 512,
        "options": _compact(options_to_data(state.options)),
        "bench": _compact({"facts": facts_to_data(state.facts), "way": state.way}),
        "change": _compact(change_to_kept(change)) if change else None,
    }
    columns = ", ".join(values)
    places = ", ".join(f":{key}" for key in values)
    cursor = connection.execute(
        f"INSERT INTO revision (job, number, {columns})"  # noqa: S608  # the names stand above, the values are bound
        f" SELECT :job, coalesce(max(number), 0) + 1, {places} FROM revision WHERE job = :job",
        {"job": job_id, **values},
    )
    connection.execute(
        "UPDATE job SET head = ?, changed_at = ?, version = version + (? IS NOT NULL) WHERE id = ?",
        (cursor.lastrowid, at, parent, job_id),
    )
    thin_out(connection, job_id, cursor.lastrowid)


def _compact(data: Any) -> str:
    return json.dumps(data, ensure_ascii=False, sort_keys=True, separators=(",", ":"))


def _job(connection: sqlite3.Connection, row: sqlite3.Row) -> Job:
    return Job(
        id=row["id"],
        version=row["version"],
        revision=row["revision"],
        created_at=row["created_at"],
        changed_at=row["changed_at"],
        can_undo=row["parent"] is not None and not row["closed"],
        can_redo=bool(row["has_child"]) and not row["closed"],
        closed=bool(row["closed"]),
        state=_state(connection, row),
    )


def _state(connection: sqlite3.Connection, row: sqlite3.Row) -> JobState:
    facts, way = _kept_bench(row["bench"])
    return JobState(
        name=row["name"],
        code=row["code"],
        machine=row["machine"],
        note=row["note"],
        source=_survey(connection, row["source"]),
        target=_survey(connection, row["target"]) or sized_target(row["target_size"], row["target_sector"]),
        options=kept_options(row["options"]),
        facts=facts,
        way=way,
    )


def _kept_bench(text: str) -> tuple[Facts, WayKey | None]:
    """Facts of the bench and the chosen way. Raises Broken."""
    kept = _read_part("bench", lambda: json.loads(text))
    facts = _read_part("bench", lambda: facts_from(kept.get("facts", {})))
    return facts, next((way for way in WAYS if way == kept.get("way")), None)


def _survey(connection: sqlite3.Connection, survey_id: int | None) -> Survey | None:
    return _read_part("survey", lambda: surveys.get(connection, survey_id)) if survey_id else None


def sized_target(text: str | None, sector: int) -> SizedTarget | None:
    """A target as it was typed. Raises Broken."""
    return _read_part("target", lambda: SizedTarget(text, target_from_text(text, sector))) if text else None


def kept_options(text: str) -> Options:
    """Options as they are kept. Raises Broken."""
    return _read_part("options", lambda: options_from(json.loads(text)))


def _read_part(part: str, read: Callable[[], Part]) -> Part:
    """A part of a kept job. Raises Broken where it cannot be read."""
    try:
        return read()
    except (YlemorphError, ValueError, TypeError, AttributeError, KeyError, RecursionError) as error:
        reason = error.problem if isinstance(error, YlemorphError) else str(error)
        raise Broken(
            f"the {part} of this job cannot be read ({reason[:200]})",
            mend="go back to an earlier change, take its surveys out as files, or delete the job",
        ) from None
