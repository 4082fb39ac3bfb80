"""The stage Carry out as the data that goes out."""

from ...core.carry.carrying import Carrying, Question, questions_of
from ...core.carry.times import duration, time_left, time_range
from ...core.carry.ways import WAY_KINDS
from ...core.errors import YlemorphError
from ...core.job.aftermath import REASON_WORDS, REASONS, Reason, WayOut, aftermath
from ...core.job.state import JobState
from ...core.sizes import Units, format_size
from ...formats.documents.steps_text import headline
from ...formats.own.change_data import change_to_data
from ...formats.own.steps import film_to_data, kept_steps, steps_to_data
from ...formats.own.steps_schema import KeptStep
from ...usecases import carrying, jobs, script_logs
from ...usecases.carrying import FAULT_WORDS, Event, Run
from ...usecases.workshop import Work
from ..edge.problems import problem_data
from ..models import Problem
from .models import (
    CarryModel,
    EventModel,
    FailureModel,
    PracticeModel,
    PresentModel,
    QuestionModel,
    RunModel,
    StepProgressModel,
    WayOutModel,
)


def carry_data(work: Work, job: int, units: Units) -> CarryModel:
    """Everything that the stage shows."""
    state = jobs.get(work.connection, job).state
    made, trouble = _made(work, job, state, units)
    run = carrying.current(work.connection, job)
    return {
        "headline": headline(made) if made else "",
        "steps": steps_to_data(made, units) if made else None,
        "film": film_to_data(made.film) if made else [],
        "questions": _questions(made, state, units) if made else [],
        "ticks": carrying.ticks(work.connection, job),
        "run": None if run is None else _run_data(work, run, made, units),
        "reasons": [{"key": key, "text": REASON_WORDS[key]} for key in REASONS],
        "trouble": trouble,
        "seconds": list(made.way.seconds) if made and made.way and made.way.seconds else None,
    }


def _made(work: Work, job: int, state: JobState, units: Units) -> tuple[Carrying | None, Problem | None]:
    try:
        return carrying.carrying_of(work.connection, job, state, work.shop.bench, units), None
    except YlemorphError as error:
        return None, problem_data(error)


def _questions(made: Carrying, state: JobState, units: Units) -> list[QuestionModel]:
    return [
        _question(question, state, units)
        for question in questions_of(made.ground.plan, made.ground.facts, made.ground.there)
    ]


def _question(question: Question, state: JobState, units: Units) -> QuestionModel:
    kind = question.kind
    own, known = kind.of(state.facts), question.answer
    said = own != kind.default
    return {
        "fact": kind.key,
        "text": kind.help,
        "kind": "rows" if kind.kind == "rows" else "size" if kind.kind == "size" else "choice",
        "choices": list(kind.choices),
        "answer": "" if known == kind.default else _answer(known, units),
        "bytes": known if isinstance(known, int) else None,
        "said_by": "" if said or known == kind.default else "the bench",
        "decides": question.decides,
    }


def _answer(known: object, units: Units) -> str:
    if isinstance(known, frozenset):
        return ", ".join(map(str, sorted(known)))
    return format_size(known, units) if isinstance(known, int) else str(known)


def _run_data(work: Work, run: Run, made: Carrying | None, units: Units) -> RunModel:
    same = made is not None and made.way is not None and _same_steps(run, made)
    took = sum(event.seconds for event in run.events)
    return {
        "way": run.way,
        "way_name": WAY_KINDS[run.way].name,
        "begun_at": run.begun_at,
        "ended_at": run.ended_at,
        "step": run.step if run.ended_at is None else None,
        "steps": [
            {"number": step["number"], "kind": step["kind"], "say": step["say"], "time": step["time"]}
            for step in run.steps
        ],
        "events": [_event(event) for event in run.events],
        "took": duration(took) if run.events else "",
        "plan_changed": not same,
        "failure": _failure(run, made, units) if same and made is not None else _bare_failure(run),
        "present": _present(run) if same else None,
        "progress": _progress(work, run) if run.ended_at is None else None,
    }


def _present(run: Run) -> PresentModel | None:
    if run.ended_at is not None or run.failure is not None or run.step is None:
        return None
    step, passed = run.steps[run.step - 1], run.waited()
    low, high = step["seconds"]
    return {
        "step": run.step,
        "say": step["say"],
        "time": step["time"],
        "so_far": duration(passed),
        "left": time_left((low, high), passed),
        "failed_before": sum(event.what == "failed" and event.step == run.step for event in run.events),
    }


def _progress(work: Work, run: Run) -> StepProgressModel | None:
    told = script_logs.progress_of(work, run.id)
    if told is None or told.step != run.step:
        return None
    return {
        "step": told.step,
        "word": told.word,
        "percent": told.bytes * 100 // max(1, told.of),
        "bytes": told.bytes,
        "of": told.of,
        "so_far": duration(told.seconds),
        "left": duration(told.seconds * (told.of - told.bytes) // max(1, told.bytes)),
    }


def _event(event: Event) -> EventModel:
    return {
        "step": event.step,
        "what": event.what,
        "reason": event.reason,
        "note": event.note,
        "at": event.at,
        "seconds": event.seconds,
        "took": duration(event.seconds),
    }


def _same_steps(run: Run, made: Carrying) -> bool:
    """Whether the plan still gives the steps that the record began with."""
    return [_doing(step) for step in run.steps] == [_doing(step) for step in kept_steps(made)]


def _doing(step: KeptStep) -> list[object]:
    """What a step does, whatever it is called and however long it takes."""
    return [step["kind"], step["row"], step["disk"], step["from_disk"], step["from"], step["to"]]


def _bare_failure(run: Run) -> FailureModel | None:
    """What can be said where the plan was changed since."""
    failure = run.failure
    if failure is None or run.ended_at is not None:
        return None
    reason: Reason = next((reason for reason in REASONS if reason == failure.reason), "stopped")
    return {
        "step": failure.step,
        "reason": reason,
        "words": REASON_WORDS[reason],
        "note": failure.note,
        "states": [],
        "again_from": None,
        "again": "The plan was changed since this began: end this record, then begin anew.",
        "ways_out": [],
    }


def _failure(run: Run, made: Carrying, units: Units) -> FailureModel | None:
    bare = _bare_failure(run)
    if bare is None or made.sequence is None:
        return bare
    after = aftermath(made.ground, made.sequence, bare["step"], bare["reason"], units)
    return {
        **bare,
        "states": list(after.states),
        "again_from": after.again_from,
        "again": after.again,
        "ways_out": [_way_out(out) for out in after.ways_out],
    }


def _way_out(out: WayOut) -> WayOutModel:
    return {
        "text": out.text,
        "change": change_to_data(out.change),
        "verdict": out.verdict,
        "time": time_range(out.seconds) if out.seconds else "",
    }


def practice_data(work: Work, job: int) -> PracticeModel:
    """How far the bench is with a job, and the faults that it can make."""
    run = work.shop.practices.get(job)
    return {
        "state": run.state if run else None,
        "step": run.step if run else 0,
        "of": run.of if run else 0,
        "trouble": run.trouble if run else "",
        "fault": run.practice.fault if run else "none",
        "faults": [{"key": key, "text": text} for key, text in FAULT_WORDS.items()],
        "why_not": carrying.why_no_practice(work, job),
    }
