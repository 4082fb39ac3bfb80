"""The finished disk against the plan, and the closing of a job."""

from collections.abc import Mapping
from typing import NamedTuple

from ..core.carry.carrying import Carrying
from ..core.carry.times import duration
from ..core.carry.ways import Way
from ..core.checkback.compare import Checked, check_back
from ..core.checkback.planned import Planned, planned_of
from ..core.disk.model import Survey
from ..core.errors import BadOption, YlemorphError
from ..core.fit.plan import make_plan
from ..core.job.state import JobState
from ..core.sizes import Units
from ..formats.own.steps import kept_steps
from ..store import closings, jobs, runs
from ..store.closings import Closing, Finished, Result, reopen
from ..store.database import transaction
from .carrying import Run, carrying_of, type_times
from .workshop import Work

__all__ = ["Closing", "Finished", "Look", "Result", "StepTook", "close", "keep_check", "look", "reopen"]


class StepTook(NamedTuple):
    """A step with what it took by the record, in words; empty where nothing is recorded."""

    number: int
    say: str
    took: str


class Look(NamedTuple):
    """All that there is to see of a job's end. ``planned`` is None where there is no plan, and ``trouble`` says why;
    ``shown``: the check that was asked for, or the newest; ``finish``: the way from what the newest found to the plan.
    """

    closing: Closing | None
    took: str
    trouble: YlemorphError | None
    planned: Planned | None
    steps: tuple[StepTook, ...]
    checks: tuple[tuple[Finished, Checked], ...]
    shown: tuple[Finished, Checked] | None
    finish: Way | None = None


def look(work: Work, job: int, number: int | None, units: Units = "binary") -> Look:
    """What the finished disk has otherwise, by the check ``number`` or the newest. Raises NotFound or Broken."""
    state = jobs.get(work.connection, job).state
    closing, run = closings.closing(work.connection, job), runs.current(work.connection, job)
    took = _took(run, closing)
    try:
        planned = _planned(state)
    except YlemorphError as error:
        return Look(closing, took, error, None, (), (), None)
    checks = tuple((one, check_back(planned, one.survey.disk)) for one in closings.checks(work.connection, job))
    shown = next((pair for pair in checks if pair[0].id == number), checks[0] if checks else None)
    made = carrying_of(work.connection, job, state, work.shop.bench, units)
    finish = next((way for way in made.ways if way.key == "finish"), None)
    newest = shown is not None and shown is checks[0] and not shown[1].as_planned
    return Look(closing, took, None, planned, _steps(run, made, units), checks, shown, finish if newest else None)


def _planned(state: JobState) -> Planned:
    """What the job's finished disk is compared with. Raises BadOption where there is no plan that fits."""
    return planned_of(make_plan(*state.pair, state.options))


def _took(run: Run | None, closing: Closing | None) -> str:
    """As typed where somebody typed it, else as the record says."""
    if closing is not None and closing.minutes is not None:
        return f"{closing.minutes} min"
    recorded = sum(event.seconds for event in run.events) if run else 0
    return duration(recorded) if recorded and (closing or (run and run.events)) else ""


def _steps(run: Run | None, made: Carrying, units: Units) -> tuple[StepTook, ...]:
    """The record's steps where all of them were done, else those that the job has now, for times to be typed."""
    if run is not None and run.ended_at is not None and run.step is None:
        took = {event.step: duration(event.seconds) for event in run.events if event.what == "done"}
        return tuple(StepTook(s["number"], s["say"], took.get(s["number"], "")) for s in run.steps)
    steps = kept_steps(made, units) if made.way is not None else []
    return tuple(StepTook(step["number"], step["say"], "") for step in steps)


def keep_check(work: Work, job: int, survey: Survey, *, sure: bool) -> None:
    """Keep a reading of the finished disk. Raises BadOption for the source, or without ``sure`` for another disk."""
    checked = check_back(_planned(jobs.get(work.connection, job).state), survey.disk)
    if any(difference.kind.code == "source-again" for difference in checked.differences):
        raise BadOption(checked.differences[0].text().rstrip("."), at="survey", mend="read the finished target instead")
    wrong = next((d.text() for d in checked.differences if d.kind.code == "wrong-size-disk"), "")
    doubt = checked.another or wrong
    if doubt and not sure:
        raise BadOption(doubt.rstrip("."), at="sure", mend="compare it all the same, or read the right disk")
    closings.add_check(work.connection, job, survey)


def close(
    work: Work,
    job: int,
    result: Result,
    note: str,
    keep_until: str | None,
    minutes: int | None,
    step_seconds: Mapping[int, int],
    units: Units = "binary",
    *,
    sure: bool = False,
) -> None:
    """Close a job with what its steps took, where that was typed: both or nothing.

    Raises BadOption where it would be called done while a grave difference stands, unless ``sure``.
    """
    with transaction(work.connection):
        if result == "done" and not sure:
            _check_done(work, job)
        if step_seconds:
            type_times(work, job, dict(step_seconds), units)
        closings.close(work.connection, job, result, note, keep_until, minutes)


def _check_done(work: Work, job: int) -> None:
    shown = look(work, job, None).shown
    grave = [one.text() for one in shown[1].differences if one.kind.level == "stop"] if shown is not None else []
    if grave:
        more = f", and {len(grave) - 1} more" if len(grave) > 1 else ""
        problem = f"the finished disk is not as planned: {grave[0].rstrip('.')}{more}"
        raise BadOption(problem, at="sure", mend="finish it first, or call it done all the same")
