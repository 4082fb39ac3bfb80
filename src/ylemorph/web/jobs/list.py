"""The list of jobs as it goes out, page by page."""

import re
import sqlite3

from ...core.errors import BadOption, YlemorphError
from ...core.fit.plan import Plan, make_plan
from ...core.job.state import JobState
from ...usecases import jobs
from ...usecases.jobs import Broken, JobHead, JobSearch, ListedJob, ListPlace
from ..models import JobLine, JobLines, JobListQuery, LineContent, StripRow
from .lines import Lines
from .shapes import head

MOST_LOOKED = 1000  # lines that are worked out for one page, however few of them are wanted


def job_page(connection: sqlite3.Connection, kept: Lines, asked: JobListQuery) -> JobLines:
    """The jobs that are asked for; one that cannot be read says why and does not hide the others.

    ``kept`` holds what was worked out before. A page of few lines may be followed by more: ``next`` says so.
    """
    wanted = JobSearch(tuple(dict.fromkeys(asked.text.casefold().split())), _closed(asked), asked.id)
    after = _place_from(asked.after) if asked.after else None
    found: list[JobLine] = []
    looked = 0
    while len(found) < asked.count and looked < MOST_LOOKED:
        items = jobs.listed(connection, wanted, after, asked.count)
        if not items:
            return {"jobs": found, "next": None}
        for item in items:
            looked, after = looked + 1, item.line.place
            line = _line(connection, item, kept)
            if _is_asked(line, asked):
                found.append(line)
            if len(found) == asked.count:
                break
    more = after is not None and jobs.listed(connection, wanted, after, 1)
    return {"jobs": found, "next": _place_text(after) if after is not None and more else None}


def _closed(asked: JobListQuery) -> bool | None:
    """A stage is that of an open job."""
    if asked.stage == "closed":
        return True
    return False if asked.stage else None


def _is_asked(line: JobLine, asked: JobListQuery) -> bool:
    stage = asked.stage in ("", "closed", line["stage"])
    return stage and (not asked.verdict or line["verdict"] == asked.verdict)


def _place_text(place: ListPlace) -> str:
    return f"{place.closed:d}~{place.changed_at}~{place.id}"


def _place_from(text: str) -> ListPlace:
    match = re.fullmatch(r"([01])~([0-9TZ:.+-]{1,40})~([0-9]{1,18})", text, re.ASCII)
    if match is None:
        raise BadOption("this is no place in the list", at="after", mend="load the page again")
    return ListPlace(match[1] == "1", match[2], int(match[3]))


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
