"""The stage Carry out as the data that goes out."""

import sqlite3
from typing import Any

from ...core.carry.aftermath import REASON_WORDS, REASONS, aftermath
from ...core.carry.carrying import Carrying, Question, questions_of
from ...core.carry.facts import Facts
from ...core.carry.ground import Ground
from ...core.carry.times import duration, learned_from, time_range
from ...core.carry.ways import WAY_KINDS
from ...core.errors import YlemorphError
from ...core.fit.plan import make_plan
from ...core.job.state import JobState
from ...core.sizes import Units, format_size
from ...formats.documents.steps_text import headline
from ...formats.own.steps import film_to_data, steps_to_data
from ...stand_ins.attached import Bench
from ...store import runs
from ...store.runs import Run
from ..edge.problems import problem_data


def carrying_of(connection: sqlite3.Connection, state: JobState, bench: Bench, units: Units = "binary") -> Carrying:
    """How a job is carried out: by the chosen way where it is possible, else by the proposed one.

    The times are those of finished jobs between such disks, where there are enough (rule 11.3).
    """
    bare = Ground(make_plan(*state.pair, state.options), _known(state, bench))
    learned = learned_from(runs.ratios(connection, bare.bench_kind))
    made = Carrying(Ground(bare.plan, bare.facts, learned), None, units)
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


def carry_data(connection: sqlite3.Connection, job: int, state: JobState, bench: Bench, units: Units) -> dict[str, Any]:
    """Everything that the stage shows."""
    data: dict[str, Any] = {
        "headline": "", "steps": None, "film": [], "questions": [], "trouble": None, "seconds": None,
        "ticks": runs.ticks(connection, job),
        "reasons": [{"key": key, "text": REASON_WORDS[key]} for key in REASONS],
    }  # fmt: skip
    made = None
    try:
        made = carrying_of(connection, state, bench, units)
    except YlemorphError as error:
        data["trouble"] = problem_data(error)
    if made is not None:
        data |= {
            "headline": headline(made),
            "steps": steps_to_data(made, units),
            "film": film_to_data(made.film),
            "questions": [_question(q, state, units) for q in questions_of(made.ground.plan, made.ground.facts)],
            "seconds": made.way.seconds if made.way else None,
        }
    run = runs.current(connection, job)
    data["run"] = None if run is None else _run_data(run, made, units)
    return data


def _question(question: Question, state: JobState, units: Units) -> dict[str, Any]:
    kind = question.kind
    own, known = kind.of(state.facts), question.answer
    said = own != kind.default
    is_size = kind.kind == "size"
    said_by = "" if said or known == kind.default else "the bench"
    return {
        "fact": kind.key,
        "text": kind.help,
        "kind": "size" if is_size else "choice",
        "choices": list(kind.choices),
        "answer": "" if known == kind.default else format_size(known, units) if isinstance(known, int) else str(known),
        "bytes": known if isinstance(known, int) else None,
        "said_by": said_by,
        "decides": question.decides,
    }


def run_steps(made: Carrying, units: Units) -> list[dict[str, Any]]:
    """The steps as a record keeps them."""
    rate = made.ground.paths["source", "target"].high
    wanted = ("number", "kind", "row", "disk", "from_disk", "from", "to", "say", "time", "seconds", "read_bytes")
    return [
        {**{key: step[key] for key in wanted}, "nominal": _nominal(step, rate)}
        for step in steps_to_data(made, units)["steps"]
    ]


def _nominal(step: dict[str, Any], rate: int) -> int:
    """Seconds of a copy to the target at the quickest rate of both disks and links; 0 of any other step."""
    copies = step["kind"] == "copy" and step["from_disk"] == "source" and step["disk"] == "target"
    return (step["read_bytes"] or 0) // rate if copies else 0


def _run_data(run: Run, made: Carrying | None, units: Units) -> dict[str, Any]:
    same = made is not None and made.way is not None and _same_steps(run, made)
    took = sum(event.seconds for event in run.events)
    return {
        "way": run.way,
        "way_name": WAY_KINDS[run.way].name,  # type: ignore[index]  # the store keeps what this table named
        "begun_at": run.begun_at,
        "ended_at": run.ended_at,
        "step": run.step if run.ended_at is None else None,
        "steps": [{key: step[key] for key in ("number", "kind", "say", "time")} for step in run.steps],
        "events": [_event(event) for event in run.events],
        "took": duration(took) if run.events else "",
        "plan_changed": not same,
        "failure": _failure(run, made, units) if same and made is not None else _bare_failure(run),
    }


def _event(event: runs.Event) -> dict[str, Any]:
    took = duration(event.seconds)
    return {
        "step": event.step, "what": event.what, "reason": event.reason, "note": event.note, "at": event.at,
        "seconds": event.seconds, "took": took,
    }  # fmt: skip


def _same_steps(run: Run, made: Carrying) -> bool:
    """Whether the plan still gives the steps that the record began with."""
    keys = ("kind", "row", "disk", "from_disk", "from", "to")
    now = run_steps(made, "binary")
    return [[step[key] for key in keys] for step in run.steps] == [[step[key] for key in keys] for step in now]


def _bare_failure(run: Run) -> dict[str, Any] | None:
    """What can be said where the plan was changed since."""
    failure = run.failure
    if failure is None or run.ended_at is not None:
        return None
    reason = failure.reason if failure.reason in REASONS else "stopped"
    return {
        "step": failure.step, "reason": reason, "words": REASON_WORDS[reason], "note": failure.note, "states": [],
        "again_from": None, "again": "The plan was changed since this began: end this record, then begin anew.",
        "ways_out": [],
    }  # fmt: skip


def _failure(run: Run, made: Carrying, units: Units) -> dict[str, Any] | None:
    bare = _bare_failure(run)
    if bare is None or made.sequence is None:
        return bare
    after = aftermath(made.ground, made.sequence, bare["step"], bare["reason"], units)
    return {
        **bare,
        "states": list(after.states),
        "again_from": after.again_from,
        "again": after.again,
        "ways_out": [
            {
                "text": out.text,
                "change": out.change,
                "verdict": out.verdict,
                "time": time_range(out.seconds) if out.seconds else "",
            }
            for out in after.ways_out
        ],
    }
