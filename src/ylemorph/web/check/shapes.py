"""The stage Check back as the data that goes out."""

import sqlite3
from typing import Any

from ...core.carry.times import duration
from ...core.checkback.compare import Checked, check_back
from ...core.checkback.mending import figures_for
from ...core.checkback.planned import Planned, planned_of
from ...core.disk.model import Disk, Partition
from ...core.errors import YlemorphError
from ...core.fit.plan import make_plan
from ...core.job.state import JobState
from ...core.sizes import Units
from ...formats.own.check import difference_to_data
from ...formats.own.steps import extent_to_data
from ...stand_ins.attached import Bench
from ...store import closings, runs
from ...store.closings import Closing, Finished
from ...store.runs import Run
from ..carry.shapes import carrying_of, run_steps
from ..edge.problems import problem_data
from ..jobs.shapes import head


def planned_job(state: JobState) -> Planned:
    """What the job's finished disk is compared with. Raises BadOption where there is no plan that fits."""
    return planned_of(make_plan(*state.pair, state.options))


def check_data(
    connection: sqlite3.Connection, job: int, state: JobState, number: int | None, units: Units, bench: Bench
) -> dict[str, Any]:
    """Everything that the stage shows of one check, the newest unless ``number`` says which."""
    closing, run = closings.closing(connection, job), runs.current(connection, job)
    took = sum(event.seconds for event in run.events) if run else 0
    data: dict[str, Any] = {
        "checks": [], "number": None, "made_at": "", "as_planned": None, "found": None, "another": "",
        "differences": [], "unknown": [], "rows": [], "sectors": 0, "sector_bytes": 512, "steps": [],
        "trouble": None,
        "closing": None if closing is None else {
            "closed_at": closing.closed_at, "result": closing.result, "note": closing.note,
            "keep_until": closing.keep_until,
            "minutes": closing.minutes,
        },
        "took": _took(took, closing) if closing or (run and run.events) else "",
    }  # fmt: skip
    try:
        planned = planned_job(state)
    except YlemorphError as error:
        return {**data, "trouble": problem_data(error)}
    data["steps"] = _steps(run, connection, state, units, bench)
    kept = closings.checks(connection, job)
    made = {one.id: check_back(planned, one.survey.disk) for one in kept}
    data["checks"] = [_line(one, made[one.id]) for one in kept]
    shown = next((one for one in kept if one.id == number), kept[0] if kept else None)
    data |= {"rows": _rows(planned, None, None), "sectors": planned.sectors, "sector_bytes": planned.sector_bytes}
    if shown is not None:
        data |= _shown(planned, shown, made[shown.id], units)
    return data


def _steps(
    run: Run | None, connection: sqlite3.Connection, state: JobState, units: Units, bench: Bench
) -> list[dict[str, Any]]:
    """The record's steps where all of them were done, else those that the job has now, for times to be typed."""
    if run is not None and run.ended_at is not None and run.step is None:
        took = {event.step: duration(event.seconds) for event in run.events if event.what == "done"}
        return [{"number": s["number"], "say": s["say"], "took": took.get(s["number"], "")} for s in run.steps]
    made = carrying_of(connection, state, bench, units)
    steps = run_steps(made, units) if made.way is not None else []
    return [{"number": step["number"], "say": step["say"], "took": ""} for step in steps]


def _took(recorded: int, closing: Closing | None) -> str:
    """As typed where somebody typed it, else as the record says."""
    if closing is not None and closing.minutes is not None:
        return f"{closing.minutes} min"
    return duration(recorded) if recorded else ""


def _line(one: Finished, checked: Checked) -> dict[str, Any]:
    return {
        "number": one.id, "made_at": one.made_at, "as_planned": checked.as_planned,
        "differences": len(checked.differences),
    }  # fmt: skip


def _shown(planned: Planned, one: Finished, checked: Checked, units: Units) -> dict[str, Any]:
    return {
        "number": one.id,
        "made_at": one.made_at,
        "as_planned": checked.as_planned,
        "found": head(one.survey.disk),
        "another": checked.another,
        "differences": [
            {
                **difference_to_data(difference, units),
                "figures": [figure._asdict() for figure in figures_for(difference, planned)],
            }
            for difference in checked.differences
        ],
        "unknown": list(checked.unknown),
        "rows": _rows(planned, one.survey.disk, checked),
        "sectors": max(planned.sectors, one.survey.disk.sectors),
    }


def _rows(planned: Planned, found: Disk | None, checked: Checked | None) -> list[dict[str, Any]]:
    pairs = checked.pairs if checked else {}
    rows = [
        {
            "number": row.number, "label": row.label, "change": row.change,
            "planned": extent_to_data(row.extent), "found": _place(pairs.get(row.number)),
            "codes": [d.kind.code for d in checked.differences if d.row == row.number] if checked else [],
        }
        for row in planned.rows
    ]  # fmt: skip
    known = {id(partition) for partition in pairs.values()}
    for partition in found.rows if found else ():
        if id(partition) not in known:
            rows.append({
                "number": None, "label": f"{partition.number} {partition.label or 'partition'}", "change": "left",
                "planned": None, "found": _place(partition), "codes": ["row-unexpected"],
            })  # fmt: skip
    return rows


def _place(partition: Partition | None) -> dict[str, int] | None:
    return None if partition is None else extent_to_data(partition.extent)
