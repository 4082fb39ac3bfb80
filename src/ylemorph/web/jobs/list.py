"""The list of jobs: one query, and what a line shows of a job worked out once for each content."""

import contextlib
import sqlite3
from collections import OrderedDict
from typing import Any

from ...core.errors import YlemorphError
from ...core.fit.plan import Plan, make_plan
from ...core.job.state import JobState
from ...store import closings, jobs, runs, surveys
from ...store.closings import Closing
from ...store.database import snapshot
from ...store.jobs import Broken, Line
from .shapes import head

MOST_KEPT = 5000
Lines = OrderedDict[tuple[Any, ...], dict[str, Any]]
_EMPTY: dict[str, Any] = {
    "source": None,
    "target": None,
    "verdict": None,
    "fit": None,
    "strip": [],
    "open_bytes": 0,
    "headroom_short_bytes": 0,
    "broken": "",
}


def job_lines(connection: sqlite3.Connection, kept: Lines) -> list[dict[str, Any]]:
    """All jobs, the last changed first; one that cannot be read says why and does not hide the others.

    ``kept`` holds what was worked out before.
    """
    with snapshot(connection):
        going, closed = runs.under_way(connection), closings.all_closings(connection)
        back = closings.checked(connection)
        return [
            {
                **_line(connection, line, kept),
                **({"stage": "check"} if line.id in back else {}),
                **_going(going.get(line.id)),
                **_closed(closed.get(line.id)),
            }
            for line in jobs.lines(connection)
        ]


def _closed(closing: Closing | None) -> dict[str, Any]:
    if closing is None:
        return {"closed": "", "keep_until": None}
    return {"closed": closing.result, "keep_until": closing.keep_until, "stage": "check", "at_step": None}


def _going(at: tuple[int, int] | None) -> dict[str, Any]:
    """The step that a job under way is at; its stage is where it is carried out."""
    if at is None:
        return {"at_step": None, "of_steps": None}
    return {"at_step": at[0], "of_steps": at[1], "stage": "carry"}


def _line(connection: sqlite3.Connection, line: Line, kept: Lines) -> dict[str, Any]:
    return {
        "id": line.id,
        "code": line.code,
        "name": line.name,
        "machine": line.machine,
        "changed_at": line.changed_at,
        **_shown(connection, line, kept),
    }


def _shown(connection: sqlite3.Connection, line: Line, kept: Lines) -> dict[str, Any]:
    """What follows from the content alone. The same content gives the same, whichever job it is."""
    shown = kept.get(line.content)
    if shown is None:
        shown = kept[line.content] = _worked_out(connection, line)
        if len(kept) > MOST_KEPT:
            with contextlib.suppress(KeyError):  # another request may have been quicker
                kept.popitem(last=False)
    return shown


def _worked_out(connection: sqlite3.Connection, line: Line) -> dict[str, Any]:
    try:
        state = _state(connection, line)
    except (YlemorphError, ValueError, RecursionError) as error:
        reason = error.problem if isinstance(error, Broken) else f"a survey of this job cannot be read ({error})"
        return {**_EMPTY, "stage": "source", "broken": reason[:400]}
    return _state_data(state)


def _state(connection: sqlite3.Connection, line: Line) -> JobState:
    source, target, size, sector, options = line.content
    return JobState(
        source=surveys.by_digest(connection, source) if source else None,
        target=surveys.by_digest(connection, target) if target else jobs.sized_target(size, sector),
        options=jobs.kept_options(options),
    )


def _state_data(state: JobState) -> dict[str, Any]:
    source, target = state.source_disk, state.target_disk
    plan = _plan(state)
    sector = target.logical_sector_bytes if target else 0
    return {
        "source": head(source),
        "target": head(target, source),
        "verdict": plan.verdict if plan else None,
        "fit": plan.fit if plan else None,
        "stage": state.stage,
        "strip": [
            {
                "number": r.number,
                "change": r.change,
                "source_bytes": r.source_bytes,
                "size_bytes": r.size_bytes,
                "least_bytes": r.least_bytes,
            }
            for r in (plan.rows if plan else ())
        ],
        "open_bytes": sum(extent.length for extent in plan.unallocated) * sector if plan else 0,
        "headroom_short_bytes": max(0, plan.comfort_bytes - target.size_bytes) if plan and target else 0,
        "broken": "",
    }


def _plan(state: JobState) -> Plan | None:
    if state.source_disk is None or state.target_disk is None:
        return None
    try:
        return make_plan(state.source_disk, state.target_disk, state.options)
    except YlemorphError:
        return None
