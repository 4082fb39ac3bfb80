"""Jobs of the demo that are further on: one finished and closed, one with a difference, one under way."""

import sqlite3
from dataclasses import replace
from datetime import datetime, timedelta

from ..core.carry.carrying import carry_out
from ..core.carry.facts import Facts
from ..core.checkback.planned import Planned, PlannedRow, planned_of
from ..core.disk.check import checked
from ..core.disk.model import Disk, FileSystem, Partition, Survey
from ..core.fit.plan import Plan, make_plan
from ..core.job.state import JobState
from ..core.sizes import Bytes
from ..formats.own.steps import kept_steps
from ..store import closings, jobs, runs
from .scenario import SECTOR, map_room, quillon, story_corner

NEW_IDENTITY = "7C1D5B32-90E4-4F6A-8B1D-2A6E4C90B7F3"
KNOWN = Facts(both_attached="yes", change_source="no", encryption="none")


def load_history(connection: sqlite3.Connection) -> int:
    """How many jobs were made."""
    for make in MADE:
        make(connection)
    return len(MADE)


def _finished(connection: sqlite3.Connection) -> None:
    """Carried out as planned, closed, the old disk kept until a day that has come."""
    state = _state("Story corner PC", "YM-0098", "Story corner", story_corner(), quillon(480, "QS2-4398"))
    job, plan = _begun(connection, state, "2026-10-12T08:30:00Z", minutes=(6, 5, 1, 1, 61, 34, 2, 1))
    closings.add_check(connection, job, Survey(finished(plan)), "2026-10-12T10:40:00Z")
    closings.close(connection, job, "done", "Starts, the catalogue opens.", "2026-11-09", at="2026-10-12T11:00:00Z")


def _with_a_difference(connection: sqlite3.Connection) -> None:
    """Carried out; the end row was left out and the row in front of it not extended."""
    state = _state("Map room PC", "YM-0099", "Map room", map_room(), quillon(960, "QS2-5521"))
    job, plan = _begun(connection, state, "2026-11-24T13:05:00Z", minutes=(4, 4, 1, 1, 38, 2, 22, 2, 1, 1))
    found = finished(plan)
    last = found.partitions[-1]
    kept = [p for p in found.partitions if p is not last]
    short = kept[-1]
    size = plan.row(short.number).source_bytes
    assert short.filesystem is not None
    kept[-1] = replace(short, sectors=size // SECTOR, filesystem=short.filesystem.but(size_bytes=Bytes(size)))
    left_out = found.but(partitions=tuple(kept))
    closings.add_check(connection, job, Survey(left_out), "2026-11-24T14:30:00Z")


def _under_way(connection: sqlite3.Connection) -> None:
    state = _state(
        "Story corner laptop", "YM-0100", "Story corner", story_corner("BK4-00812"), quillon(480, "QS2-4402")
    )
    _begun(connection, state, "2026-11-25T07:50:00Z", minutes=(7, 6, 1))


MADE = (_finished, _with_a_difference, _under_way)


def _state(name: str, code: str, machine: str, source: Survey, target: Survey) -> JobState:
    return JobState(name, code, machine, "", source, target, facts=KNOWN)


def _begun(connection: sqlite3.Connection, state: JobState, at: str, *, minutes: tuple[int, ...]) -> tuple[int, Plan]:
    """A job with its record: as many steps as there are minutes are done."""
    job = jobs.create(connection, state, "Job begun").id
    plan = make_plan(*state.pair, state.options)
    made = carry_out(plan, state.facts)
    assert made.way is not None
    runs.begin(connection, job, made.way.key, kept_steps(made), made.ground.bench_kind, at)
    time = datetime.fromisoformat(at)
    for step, took in enumerate(minutes[: len(made.way.steps or ())], 1):
        time += timedelta(minutes=took)
        runs.add(connection, job, step, "done", at=time.isoformat().replace("+00:00", "Z"))
    return job, plan


def finished(plan: Plan) -> Disk:
    """The target as it stands when everything went as planned."""
    planned = planned_of(plan)
    return checked(
        Disk(
            planned.sectors,
            model=planned.target.model,
            serial=planned.target.serial,
            link=plan.target.link,
            rotational=False,
            table=planned.table,
            table_id=plan.source.table_id if plan.identity == "keep" else NEW_IDENTITY,
            partitions=tuple(_partition(plan, planned, row) for row in planned.rows),
        )
    )


def _partition(plan: Plan, planned: Planned, row: PlannedRow) -> Partition:
    size, fs = row.extent.length * planned.sector_bytes, plan.row(row.number).row.fs
    held: FileSystem | None = None
    if fs is not None:
        own = min(size, row.source_fs_bytes or size) if row.change == "holds" else size
        held = FileSystem(
            fs.kind,
            fs.label,
            cluster_bytes=fs.cluster_bytes,
            size_bytes=Bytes(own),
            state="clean",
            used_bytes=None if row.held_bytes is None else Bytes(row.held_bytes),
        )
    return Partition(
        row.entry,
        row.extent.start,
        row.extent.length,
        row.type,
        plan.row(row.number).logical,
        "",
        row.flags,
        None,
        held,
    )
