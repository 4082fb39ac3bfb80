"""After a step that failed: what stands on the disks now, from which step it can be done again, what gets past it.

Each answer is worked out: the steps from which one can go on are rehearsed with what the failure may have damaged, and
each other way or plan is planned before it is offered.
"""

from collections.abc import Callable, Iterator
from typing import Literal, NamedTuple, get_args

from ..carry.carrying import carry_out
from ..carry.ground import Ground
from ..carry.rehearse import stopped_at
from ..carry.sequence import Sequence, Step, WayKey
from ..carry.ways import WAY_KINDS, way_of, ways_of
from ..errors import YlemorphError
from ..fit.layout import Verdict as Fits
from ..fit.options import Options
from ..fit.plan import PlanRow, make_plan
from ..sizes import Bytes, Units, format_size
from .bench_changes import ChooseWay, SetFact
from .change import Change
from .row_changes import HoldRow, Leave
from .size_changes import Pin

Reason = Literal["would-not-shrink", "read-error", "no-room", "program-error", "stopped"]
REASONS: tuple[Reason, ...] = get_args(Reason)
REASON_WORDS: dict[Reason, str] = {
    "would-not-shrink": "It would not become smaller",
    "read-error": "A read error",
    "no-room": "There was no room",
    "program-error": "The program failed",
    "stopped": "It was stopped",
}


class WayOut(NamedTuple):
    """Something that would get past the failure: the change of a job that makes it, and what follows."""

    text: str
    change: Change
    verdict: Fits | None
    seconds: tuple[int, int] | None


class Aftermath(NamedTuple):
    """``states``: one sentence for each disk. ``again_from``: the step from which it can simply be done again; None
    where nothing leads on but a backup."""

    states: tuple[str, ...]
    again_from: int | None
    again: str
    ways_out: tuple[WayOut, ...]


def aftermath(ground: Ground, sequence: Sequence, failed: int, reason: Reason, units: Units = "binary") -> Aftermath:
    """What follows from the failure of step ``failed``, counted from 1."""
    again_from = _again_from(sequence, failed)
    failure = _Failure(ground, sequence.way, sequence.steps[failed - 1], units)
    return Aftermath(
        tuple(_states(ground, sequence, failed)),
        again_from,
        _again(failed, again_from),
        tuple(offer for offers in _OFFERS[reason] for offer in offers(failure)),
    )


def _again_from(sequence: Sequence, failed: int) -> int | None:
    """The latest step from which the rest of the sequence still ends well, whatever the failed step damaged."""
    for start in range(failed, 0, -1):
        if stopped_at(sequence, failed, start).safe:
            return start
    return None


def _again(failed: int, start: int | None) -> str:
    if start is None:
        return "What this step was changing may be lost: go back to the backup of the source."
    if start == failed:
        return f"Step {failed} can simply be done again."
    return f"Do it again from step {start}: what step {failed} was changing may be damaged, and is made anew there."


def _states(ground: Ground, sequence: Sequence, failed: int) -> Iterator[str]:
    step, done = sequence.steps[failed - 1], sequence.steps[: failed - 1]
    source = ground.plan.source.model or "The source"
    shrunk = [s for s in done if s.disk == "source" and s.kind == "shrink"]
    if step.disk == "source" and step.kind == "shrink":
        yield f"{source}: {_name(ground, step.row)} may be damaged; check its file system before anything else."
    elif shrunk:
        names = " and ".join(_name(ground, s.row) for s in shrunk)
        yield f"{source}: {names} made smaller, everything else as it was."
    else:
        yield f"{source}: as it was."
    if "image" in sequence.disks:
        yield _image_state(ground, step, done)
    yield _target_state(ground, step, done)


def _image_state(ground: Ground, step: Step, done: tuple[Step, ...]) -> str:
    if any(s.kind == "read" for s in done):
        held = "holds the whole source"
    else:
        names = [_name(ground, s.row) for s in done if s.kind == "copy" and s.disk == "image"]
        held = f"holds {' and '.join(names)}" if names else "holds nothing yet"
    doubt = f"; {_name(ground, step.row)} in it is in doubt" if step.disk == "image" and step.row else ""
    return f"The image: {held}{doubt}."


def _target_state(ground: Ground, step: Step, done: tuple[Step, ...]) -> str:
    target = ground.plan.target.model or "The target"
    touched = [s for s in (*done, step) if s.disk == "target" and s.kind not in ("check",)]
    if not touched:
        return f"{target}: as it was."
    names = list(dict.fromkeys(_name(ground, s.row) for s in done if s.kind == "copy" and s.disk == "target"))
    parts = ["what it held is gone"]
    parts += [f"{' and '.join(names)} {'stands' if len(names) == 1 else 'stand'} whole"] if names else []
    parts += [f"{_name(ground, step.row)} is in doubt"] if step.disk == "target" and step.row else []
    return f"{target}: {', '.join(parts)}."


def _name(ground: Ground, row: int | None) -> str:
    return next((r.row.name_and_number for r in ground.plan.rows if r.number == row), "")


# --- what gets past it ------------------------------------------------------------------------------------------------


class _Failure(NamedTuple):
    ground: Ground
    way: WayKey
    step: Step
    units: Units

    @property
    def row(self) -> PlanRow | None:
        """The elastic row that the step is about."""
        rows = self.ground.plan.rows
        return next((row for row in rows if row.number == self.step.row and row.elastic), None)


def _other_ways(failure: _Failure) -> Iterator[WayOut]:
    """Other possible ways, the quickest first."""
    ground = failure.ground
    others = [o for o in ways_of(ground, failure.units) if o.possible and o.key != failure.way and o.seconds]
    for other in sorted(others, key=lambda other: sum(other.seconds or ())):
        text = f"{WAY_KINDS[other.key].name}: {_lower(other.why)}."
        yield WayOut(text, ChooseWay(other.key), ground.plan.verdict, other.seconds)


def _image_first(failure: _Failure) -> Iterator[WayOut]:
    """A disk with a read error is failing: it is read once, into an image, past the errors."""
    ground = failure.ground
    if ground.health == "failing":
        return
    again = Ground(ground.plan, ground.facts.but(health="failing"))
    image = way_of(again, "through-image", failure.units)
    if image.possible:
        room = format_size(image.workspace_bytes, failure.units)
        text = f"Take the source as failing: it is read once, whole, past its errors, into an image of {room}."
        yield WayOut(text, SetFact("health", "failing", "failing"), ground.plan.verdict, image.seconds)


def _held(failure: _Failure) -> Iterator[WayOut]:
    """The row that would not become smaller keeps its size, where the others can make room."""
    row, options = failure.row, failure.ground.plan.options
    if row is None:
        return
    held = options.but(
        hold=options.hold | {row.number},
        elastic=options.elastic - {row.number},
        pins=tuple(pin for pin in options.pins if pin[0] != row.number),
        grow=None if options.grow == row.number else options.grow,
    )
    yield from _planned(failure, f"Hold {row.row.name} at its size", HoldRow(row.number), held)


def _less_smaller(failure: _Failure) -> Iterator[WayOut]:
    """Halfway between the planned size and the present one: less to pack."""
    row, plan = failure.row, failure.ground.plan
    if row is None or row.size_bytes is None or row.change != "shrinks":
        return
    grain, options = plan.frame.grain_bytes, plan.options
    size = Bytes((row.size_bytes + row.source_bytes) // 2 // grain * grain)
    pins = {**dict(options.pins), row.number: size}
    pinned = options.but(pins=tuple(sorted(pins.items())), hold=options.hold - {row.number})
    text = f"Make {row.row.name} only as small as {format_size(size, failure.units)}"
    yield from _planned(failure, text, Pin(row.number, size), pinned)


def _lighter(failure: _Failure) -> Iterator[WayOut]:
    """Rows that could stay behind, the largest first; what must start stays."""
    options = failure.ground.plan.options
    loads = sorted(failure.ground.loads, key=lambda load: -load.copied)
    for load in [load for load in loads if load.row.role in ("data", "tools")][:2]:
        left = options.but(leave=options.leave | {load.number}, grow=None, free_after=None)
        text = f"Leave {load.row.row.name} behind ({format_size(load.copied, failure.units)} less)"
        yield from _planned(failure, text, Leave((load.number,)), left)


def _planned(failure: _Failure, text: str, change: Change, options: Options) -> Iterator[WayOut]:
    """The offer, where its plan fits."""
    plan = failure.ground.plan
    try:
        made = make_plan(plan.source, plan.target, options)
        if made.layout.sizes is None:
            return
        way = carry_out(made, failure.ground.facts).way
    except YlemorphError:
        return
    yield WayOut(f"{text}: the plan is {made.verdict} then.", change, made.verdict, way.seconds if way else None)


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]


_OFFERS: dict[Reason, tuple[Callable[[_Failure], Iterator[WayOut]], ...]] = {
    "would-not-shrink": (_less_smaller, _held, _other_ways),
    "read-error": (_image_first, _other_ways),
    "no-room": (_other_ways, _lighter),
    "program-error": (_other_ways,),
    "stopped": (),
}
