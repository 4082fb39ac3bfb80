"""The list of jobs as it goes out."""

import sqlite3

from ...core.errors import YlemorphError
from ...core.fit.plan import Plan, make_plan
from ...core.job.state import JobState
from ...usecases import jobs
from ...usecases.jobs import Broken, JobHead, ListedJob
from ..models import JobLine, LineContent, StripRow
from .lines import Lines
from .shapes import head


def job_lines(connection: sqlite3.Connection, kept: Lines) -> list[JobLine]:
    """All jobs, the last changed first; one that cannot be read says why and does not hide the others.

    ``kept`` holds what was worked out before.
    """
    return [_line(connection, item, kept) for item in jobs.listed(connection)]


def _line(connection: sqlite3.Connection, item: ListedJob, kept: Lines) -> JobLine:
    line, closing = item.line, item.closing
    shown = kept.of(line.content, lambda: _worked_out(connection, line))
    at = item.at_step if closing is None else None
    going = item.at_step is not None
    return {
        "id": line.id,
        "code": line.code,
        "name": line.name,
        "machine": line.machine,
        "changed_at": line.changed_at,
        **shown,
        "stage": "check" if closing or (item.checked and not going) else "carry" if going else shown["stage"],
        "at_step": at[0] if at else None,
        "of_steps": item.at_step[1] if item.at_step else None,
        "closed": closing.result if closing else "",
        "keep_until": closing.keep_until if closing else None,
    }


def _worked_out(connection: sqlite3.Connection, line: JobHead) -> LineContent:
    try:
        state = jobs.state_of(connection, line)
    except (YlemorphError, ValueError, RecursionError) as error:
        reason = error.problem if isinstance(error, Broken) else f"a survey of this job cannot be read ({error})"
        return _content(JobState(), None, reason[:400])
    return _content(state, _plan(state))


def _content(state: JobState, plan: Plan | None, broken: str = "") -> LineContent:
    source, target = state.source_disk, state.target_disk
    sector = target.logical_sector_bytes if target else 0
    return {
        "source": head(source),
        "target": head(target, source),
        "verdict": plan.verdict if plan else None,
        "fit": plan.fit if plan else None,
        "stage": state.stage,
        "strip": _strip(plan) if plan else [],
        "open_bytes": sum(extent.length for extent in plan.unallocated) * sector if plan else 0,
        "headroom_short_bytes": max(0, plan.comfort_bytes - target.size_bytes) if plan and target else 0,
        "broken": broken,
    }


def _strip(plan: Plan) -> list[StripRow]:
    return [
        {
            "number": row.number,
            "change": row.change,
            "source_bytes": row.source_bytes,
            "size_bytes": row.size_bytes,
            "least_bytes": row.least_bytes,
        }
        for row in plan.rows
    ]


def _plan(state: JobState) -> Plan | None:
    if state.source_disk is None or state.target_disk is None:
        return None
    try:
        return make_plan(state.source_disk, state.target_disk, state.options)
    except YlemorphError:
        return None
