"""How a job is carried out: its way and steps, the running record, practice on the bench."""

import sqlite3
from dataclasses import dataclass
from typing import Literal

from ..core.carry.carrying import Carrying
from ..core.carry.facts import Facts
from ..core.carry.ground import Ground
from ..core.carry.times import learned_from
from ..core.carry.ways import Way
from ..core.errors import BadOption
from ..core.fit.plan import make_plan
from ..core.job.aftermath import Reason
from ..core.job.state import JobState
from ..core.sizes import Units
from ..formats.own.steps import kept_steps
from ..stand_ins.attached import Bench, NotAttached
from ..stand_ins.practice import FAULT_WORDS, Fault, Practice
from ..store import closings, jobs, runs
from ..store.runs import Event, Run, What, current, tick, ticks
from .practices import PracticeRun
from .workshop import Work

__all__ = [
    "FAULT_WORDS",
    "Event",
    "Fault",
    "Happening",
    "RecordEntry",
    "Run",
    "What",
    "begin_practice",
    "carrying_of",
    "current",
    "record",
    "tick",
    "ticks",
    "type_times",
    "why_no_practice",
]

Happening = Literal["begin", "done", "failed", "again", "back", "end"]


def carrying_of(
    connection: sqlite3.Connection, job: int, state: JobState, bench: Bench, units: Units = "binary"
) -> Carrying:
    """How a job is carried out: by the chosen way where it is possible, else by the proposed one.

    The times are those of finished jobs between such disks, where there are enough (rule 11.3). What the target holds
    is what it was checked back with last, else what it was read with.
    """
    bare = Ground(make_plan(*state.pair, state.options), _known(state, bench))
    learned = learned_from(runs.ratios(connection, bare.bench_kind))
    checked = closings.checks(connection, job)
    there = checked[0].survey.disk if checked else None
    made = Carrying(Ground(bare.plan, bare.facts, learned, there), None, units)
    chosen = next((way for way in made.ways if way.key == state.way), None)
    return Carrying(made.ground, chosen.key, units) if chosen is not None and chosen.possible else made


def _known(state: JobState, bench: Bench) -> Facts:
    """What was said, and what the bench says where nobody did."""
    facts = state.facts
    if facts.both_attached == "unknown" and _both_on_bench(state, bench):
        return facts.but(both_attached="yes")
    return facts


def _both_on_bench(state: JobState, bench: Bench) -> bool:
    wanted = {disk.serial for disk in state.pair if disk.serial}
    attached = {item.stand_in.serial for item in bench.disks() if item.survey is not None}
    return len(wanted) == 2 and wanted <= attached


@dataclass(frozen=True, slots=True)
class RecordEntry:
    """What happened to a step, or to the record: ``back`` takes the last entry back, ``end`` ends before the end."""

    told: Happening
    step: int | None = None
    reason: Reason | None = None
    note: str = ""


def record(work: Work, job: int, entry: RecordEntry, units: Units = "binary") -> None:
    """Begin the running record, or say what happened. Raises BadOption where that is not what can happen now."""
    match entry.told:
        case "begin":
            made = _carrying(work, job, units)
            way = _way(made)
            runs.begin(work.connection, job, way.key, kept_steps(made, units), made.ground.bench_kind)
        case "back":
            runs.take_back(work.connection, job)
        case "end":
            runs.end(work.connection, job)
        case "done" | "failed" | "again":
            _add(work, job, entry, entry.told)


def _add(work: Work, job: int, entry: RecordEntry, what: What) -> None:
    if entry.step is None:
        raise BadOption("the step is missing", at="step", mend="say which step it is")
    if what == "failed" and entry.reason is None:
        raise BadOption("the reason is missing", at="reason", mend="say why it failed")
    reason = entry.reason if what == "failed" else None
    runs.add(work.connection, job, entry.step, what, reason, entry.note)


def _carrying(work: Work, job: int, units: Units) -> Carrying:
    return carrying_of(work.connection, job, jobs.get(work.connection, job).state, work.shop.bench, units)


def _way(made: Carrying, at: str = "", mend: str = "go back to Fit") -> Way:
    if made.way is None or made.sequence is None:
        raise BadOption("there is no way to carry this plan out", at=at, mend=mend)
    return made.way


def type_times(work: Work, job: int, seconds: dict[int, int], units: Units) -> None:
    """What single steps took, as somebody typed it, where no record was kept."""
    made = _carrying(work, job, units)
    way = _way(made, "step_minutes", "type the time of the whole job")
    runs.type_times(work.connection, job, seconds, way.key, kept_steps(made, units), made.ground.bench_kind)


def begin_practice(work: Work, job: int, fault: Fault, pace: float) -> None:
    """Carry a job out on the stand-in that is its target; its record begins anew and goes along.

    ``pace``: seconds that all steps take together. Raises BadOption or NotAttached, with the record as it was.
    """
    state = jobs.get(work.connection, job).state
    made = carrying_of(work.connection, job, state, work.shop.bench)
    way = _way(made)
    assert made.sequence is not None
    image = work.shop.bench.image_of(state.pair.target.serial)
    source = work.shop.bench.image_if_there(state.pair.source.serial)
    run = PracticeRun(job, Practice(made.ground.plan, made.sequence, image, fault, source), work.shop.store, pace)
    steps = kept_steps(made, "binary")
    work.shop.practices.begin(run, lambda: runs.begin(work.connection, job, way.key, steps, instead=True))


def why_no_practice(work: Work, job: int) -> str:
    """Why the bench cannot begin with a job, as a sentence; empty where it can."""
    try:
        work.shop.bench.image_of(jobs.get(work.connection, job).state.pair.target.serial)
    except (BadOption, NotAttached) as error:
        text = error.sentence()
        return text[:1].upper() + text[1:]
    return ""
