"""The running record of a job, and the lines of its check lists that were ticked off; undo leaves both alone."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from typing import TYPE_CHECKING, Literal

from ..core.carry.sequence import WayKey
from ..core.errors import BadOption
from .closings import must_be_open
from .database import now, transaction

if TYPE_CHECKING:
    from ..formats.own.steps_schema import KeptStep

What = Literal["done", "failed", "again"]


@dataclass(frozen=True, slots=True)
class Event:
    """A step that was done, failed, or is done again from there.

    ``seconds`` since the event before it, or as somebody typed them.
    """

    step: int
    what: What
    reason: str
    note: str
    at: str
    seconds: int


@dataclass(frozen=True, slots=True)
class Run:
    """A job as it is carried out; ``steps`` as they stood when it began."""

    id: int
    way: WayKey
    steps: "list[KeptStep]"
    begun_at: str
    ended_at: str | None
    events: tuple[Event, ...]

    @property
    def step(self) -> int | None:
        """The one to do now; None at the end."""
        at = 1
        for event in self.events:
            at = event.step + 1 if event.what == "done" else event.step
        return at if at <= len(self.steps) else None

    @property
    def waits_since(self) -> str:
        """When the step to do now was come to."""
        return self.events[-1].at if self.events else self.begun_at

    def waited(self) -> int:
        """Seconds since then."""
        return _seconds(self.waits_since, now())

    @property
    def failure(self) -> Event | None:
        """The failure that stands, until the step is done again."""
        last = self.events[-1] if self.events else None
        return last if last is not None and last.what == "failed" else None


def ticks(connection: sqlite3.Connection, job: int) -> dict[str, str]:
    """Lines that are ticked off, with when."""
    rows = connection.execute("SELECT item, at FROM tick WHERE job = ? ORDER BY at, item", (job,))
    return {row["item"]: row["at"] for row in rows}


def tick(connection: sqlite3.Connection, job: int, item: str, *, on: bool) -> None:
    """Tick a line off, or take that back. Raises NotFound."""
    with transaction(connection):
        must_be_open(connection, job)
        if on:
            connection.execute("INSERT INTO tick VALUES (?, ?, ?) ON CONFLICT DO NOTHING", (job, item, now()))
        else:
            connection.execute("DELETE FROM tick WHERE job = ? AND item = ?", (job, item))


def current(connection: sqlite3.Connection, job: int) -> Run | None:
    """The job's last record, ended or not."""
    row = connection.execute("SELECT * FROM run WHERE job = ? ORDER BY id DESC LIMIT 1", (job,)).fetchone()
    return None if row is None else _run(connection, row)


def begin(
    connection: sqlite3.Connection,
    job: int,
    way: str,
    steps: "list[KeptStep]",
    kind: str = "",
    at: str = "",
    *,
    instead: bool = False,
) -> None:
    """Begin a record, now or ``at`` another time; ``instead`` of one that is under way, which ends.

    Raises BadOption where one is under way.
    """
    with transaction(connection):
        must_be_open(connection, job)
        before = current(connection, job)
        if before is not None and before.ended_at is None and instead:
            connection.execute("UPDATE run SET ended_at = ? WHERE id = ?", (now(), before.id))
        elif before is not None and before.ended_at is None:
            raise BadOption("this job is under way already", mend="go on with it, or end it first")
        connection.execute(
            "INSERT INTO run (job, way, kind, steps, begun_at) VALUES (?, ?, ?, ?, ?)",
            (job, way, kind, json.dumps(steps, ensure_ascii=False), at or now()),
        )


def add(
    connection: sqlite3.Connection,
    job: int,
    step: int,
    what: What,
    reason: str | None = None,
    note: str = "",
    at: str = "",
) -> None:
    """Record what happened to a step, which the caller names so that a second click or window changes nothing twice.

    Raises BadOption where that is not what can happen now.
    """
    with transaction(connection):
        run = _open(connection, job)
        if what == "again":
            if run.failure is None or not 1 <= step <= run.failure.step:
                raise BadOption("no step has failed", at="step", mend="load the page again")
        elif run.failure is not None and what == "done":
            raise BadOption(f"step {run.failure.step} has failed", at="step", mend="say from where it is done again")
        elif run.step != step:
            shown = f"step {run.step} is the one to do now" if run.step else "every step is done"
            raise BadOption(f"step {step} is not under way: {shown}", at="step", mend="load the page again")
        connection.execute(
            "INSERT INTO run_event (run, step, what, reason, note, at) VALUES (?, ?, ?, ?, ?, ?)",
            (run.id, step, what, reason, note, at or now()),
        )
        if what == "done" and step == len(run.steps):
            connection.execute("UPDATE run SET ended_at = ? WHERE id = ?", (at or now(), run.id))


def take_back(connection: sqlite3.Connection, job: int) -> None:
    """A step was ticked by mistake: the last event goes; without one, the record itself. Raises BadOption."""
    with transaction(connection):
        must_be_open(connection, job)
        run = current(connection, job)
        if run is None:
            raise BadOption("this job is not under way", mend="begin it first")
        last = connection.execute("SELECT max(id) FROM run_event WHERE run = ?", (run.id,)).fetchone()[0]
        if last is None:
            connection.execute("DELETE FROM run WHERE id = ?", (run.id,))
        else:
            connection.execute("DELETE FROM run_event WHERE id = ?", (last,))
            connection.execute("UPDATE run SET ended_at = NULL WHERE id = ?", (run.id,))


def type_times(
    connection: sqlite3.Connection,
    job: int,
    seconds: Mapping[int, int],
    way: str,
    steps: "list[KeptStep]",
    kind: str,
) -> None:
    """What steps really took, as typed: into the record where all was done, else into a record of its own.

    Raises BadOption for a step that is not there.
    """
    with transaction(connection):
        must_be_open(connection, job)
        run = current(connection, job)
        if run is None or run.ended_at is None or run.step is not None:
            connection.execute("UPDATE run SET ended_at = ? WHERE job = ? AND ended_at IS NULL", (now(), job))
            connection.execute(
                "INSERT INTO run (job, way, kind, steps, begun_at, ended_at) VALUES (?1, ?2, ?3, ?4, ?5, ?5)",
                (job, way, kind, json.dumps(steps, ensure_ascii=False), now()),
            )
            run = current(connection, job)
        assert run is not None
        for step, took in seconds.items():
            if not 1 <= step <= len(run.steps):
                raise BadOption(f"there is no step {step}", at="step_minutes", mend="load the page again")
            _type_time(connection, run, step, took)


def _type_time(connection: sqlite3.Connection, run: Run, step: int, seconds: int) -> None:
    changed = connection.execute(
        "UPDATE run_event SET seconds = ? WHERE run = ? AND step = ? AND what = 'done'", (seconds, run.id, step)
    )
    if changed.rowcount == 0:
        connection.execute(
            "INSERT INTO run_event (run, step, what, at, seconds) VALUES (?, ?, 'done', ?, ?)",
            (run.id, step, now(), seconds),
        )


def end(connection: sqlite3.Connection, job: int) -> None:
    """End the record before its last step, to go another way. Raises BadOption."""
    with transaction(connection):
        run = _open(connection, job)
        connection.execute("UPDATE run SET ended_at = ? WHERE id = ?", (now(), run.id))


UNDER_WAY = """
SELECT run.job, run.id, json_array_length(run.steps) AS steps,
       (SELECT CASE what WHEN 'done' THEN step + 1 ELSE step END FROM run_event
        WHERE run_event.run = run.id ORDER BY id DESC LIMIT 1) AS step
FROM run WHERE run.ended_at IS NULL
"""


def under_way(connection: sqlite3.Connection) -> dict[int, tuple[int, int]]:
    """For the list: the step and the number of steps of each job that is being carried out."""
    return {row["job"]: (row["step"] or 1, row["steps"]) for row in connection.execute(UNDER_WAY)}


FINISHED = """
SELECT run.* FROM run JOIN closing ON closing.job = run.job AND closing.result = 'done'
WHERE run.kind = ? AND run.ended_at IS NOT NULL ORDER BY run.id DESC LIMIT 200
"""


def ratios(connection: sqlite3.Connection, kind: str) -> list[Fraction]:
    """Real by nominal time of each finished job between such disks (rule 11.3), over the steps that copy to the target.

    A job whose copies were not all done, or done in no time at all, tells nothing.
    """
    found = []
    for row in connection.execute(FINISHED, (kind,)):
        run = _run(connection, row)
        nominal = {step["number"]: step.get("nominal") or 0 for step in run.steps}
        took = {event.step: event.seconds for event in run.events if event.what == "done"}
        moved = [number for number, seconds in nominal.items() if seconds]
        real = sum(took.get(number, 0) for number in moved)
        if moved and real and all(number in took for number in moved):
            found.append(Fraction(real, sum(nominal[number] for number in moved)))
    return found


def _open(connection: sqlite3.Connection, job: int) -> Run:
    must_be_open(connection, job)
    run = current(connection, job)
    if run is None or run.ended_at is not None:
        raise BadOption("this job is not under way", mend="begin it first")
    return run


def _run(connection: sqlite3.Connection, row: sqlite3.Row) -> Run:
    events, before = [], row["begun_at"]
    for event in connection.execute("SELECT * FROM run_event WHERE run = ? ORDER BY id", (row["id"],)):
        seconds = _seconds(before, event["at"]) if event["seconds"] is None else event["seconds"]
        events.append(Event(event["step"], event["what"], event["reason"] or "", event["note"], event["at"], seconds))
        before = event["at"]
    return Run(row["id"], row["way"], json.loads(row["steps"]), row["begun_at"], row["ended_at"], tuple(events))


def _seconds(first: str, second: str) -> int:
    """Between two times as they are kept."""
    return max(0, int((datetime.fromisoformat(second) - datetime.fromisoformat(first)).total_seconds()))
