"""What the script tells of its run (``ylemorph.log/1``): codes under which it tells, the lines, and its record."""

import json
import sqlite3
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from .closings import must_be_open
from .collecting import digest_of, use_up
from .database import now, transaction
from .runs import What

if TYPE_CHECKING:
    from ..formats.own.steps_schema import KeptStep


class KeptLog(NamedTuple):
    """``lines``: that were told, among them those of progress, of which only the last is kept; ``made_by``: who took
    the code."""

    id: int
    job: int
    run: int | None
    made_by: str
    lines: int
    text: str
    progress: str


class LoggedStep(NamedTuple):
    """What a log says of a step; ``seconds`` that it took."""

    step: int
    what: What
    reason: str | None
    note: str
    at: str
    seconds: int


class LoggedRun(NamedTuple):
    way: str
    kind: str
    steps: "list[KeptStep]"
    begun_at: str
    ended_at: str | None
    events: Sequence[LoggedStep]


def told_under(connection: sqlite3.Connection, code: str) -> KeptLog | None:
    """The log that is told under a code; None before its first line."""
    row = connection.execute("SELECT * FROM script_log WHERE digest = ?", (digest_of(code),)).fetchone()
    return None if row is None else _kept(row)


def of_run(connection: sqlite3.Connection, run: int) -> KeptLog | None:
    row = connection.execute("SELECT * FROM script_log WHERE run = ? ORDER BY id DESC LIMIT 1", (run,)).fetchone()
    return None if row is None else _kept(row)


def begin(connection: sqlite3.Connection, job: int, code: str, made_by: str) -> KeptLog:
    """The first line came: the code is used up, and what follows under it belongs to this log. Raises WrongCode."""
    with transaction(connection):
        must_be_open(connection, job)
        use_up(connection, code, "log")
        sql = "INSERT INTO script_log (job, digest, made_by, told_at) VALUES (?, ?, ?, ?) RETURNING *"
        row = connection.execute(sql, (job, digest_of(code), made_by, now())).fetchone()
    return _kept(row)


def keep(connection: sqlite3.Connection, log: KeptLog) -> None:
    """More lines, and the run that they filled."""
    with transaction(connection):
        connection.execute(
            "UPDATE script_log SET lines = ?, text = ?, progress = ?, run = ?, told_at = ? WHERE id = ?",
            (log.lines, log.text, log.progress, log.run, now(), log.id),
        )


def over(connection: sqlite3.Connection, log: KeptLog) -> None:
    """The script has ended: nothing more is taken under its code."""
    with transaction(connection):
        connection.execute("UPDATE script_log SET digest = NULL, progress = '' WHERE id = ?", (log.id,))


def fill(connection: sqlite3.Connection, job: int, run: LoggedRun, instead_of: int | None) -> int:
    """The record as a log tells it, in the place of what the same log told before; its number.

    A record that is under way otherwise ends, since the script is what is at work. Raises NotFound.
    """
    with transaction(connection):
        must_be_open(connection, job)
        if instead_of is not None:
            connection.execute("DELETE FROM run_event WHERE run = ?", (instead_of,))
            connection.execute("UPDATE run SET ended_at = ? WHERE id = ?", (run.ended_at, instead_of))
        else:
            connection.execute("UPDATE run SET ended_at = ? WHERE job = ? AND ended_at IS NULL", (now(), job))
            instead_of = connection.execute(
                "INSERT INTO run (job, way, kind, steps, begun_at, ended_at) VALUES (?, ?, ?, ?, ?, ?)",
                (job, run.way, run.kind, json.dumps(run.steps, ensure_ascii=False), run.begun_at, run.ended_at),
            ).lastrowid
        assert instead_of is not None
        for event in run.events:
            connection.execute(
                "INSERT INTO run_event (run, step, what, reason, note, at, seconds) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (instead_of, event.step, event.what, event.reason, event.note, event.at, event.seconds),
            )
    return instead_of


def _kept(row: sqlite3.Row) -> KeptLog:
    return KeptLog(row["id"], row["job"], row["run"], row["made_by"], row["lines"], row["text"], row["progress"])
