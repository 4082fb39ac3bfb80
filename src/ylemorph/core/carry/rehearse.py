"""The rehearsal (rule 10): steps run through a model of live extents, before anything is really written.

The model (`model`) holds for each disk which row's content stands where, and whether it is whole. Each kind of step
says what it does to it (`step_kinds`). Two thoughts carry the whole:

- *A write is never wrong by itself.* It damages whatever stood there, and the content remembers which step did it.
  Only somebody who needs the content afterwards fails, and the failure then names the step that wrote, not the one
  that noticed. So what nobody needs any more may be written over freely, as a clone does all the time.
- *A row is used only as it stands.* A step that reads a row must find it whole, on that disk, in exactly the extent
  that the step names; one sector off is another row. So steps that were made for another disk or another order fail
  at the first of them that does not find what it expects.

At the end every row that goes over must stand whole in exactly its planned extent on the target, under the planned
table, with the table's backup copy at the end of the disk. Nothing that a step claims is believed: its place must lie
within what of the disk can hold rows, its length must hold what the row holds, rows that are ``fixed`` keep theirs.

`stopped_at` asks the same after a step broke off: whatever it reads in place or writes is in doubt then, and the steps
from some point on are run on that. The latest point from which the end is still reached is where one can go on.

Example: source A at 0 to 10, wanted at 2 to 8. Steps: shrink A to 0 to 6, table, copy 0 to 6 to 2 to 8. Run: A is taken
at 0 to 10 and stands at 0 to 6; the table is written; the copy finds A whole at 0 to 6. Safe. With shrink and copy
swapped the copy asks for 0 to 6, where A does not stand yet: that step fails, with A.
"""

from typing import NamedTuple, assert_never

from ..sizes import Extent
from .model import Content, Model, TableNow, Unsafe
from .sequence import DiskName, Hold, Sequence, Step
from .step_kinds import record_of


class Rehearsal(NamedTuple):
    """``step`` and ``row`` say where it fails, as far as they can be told; ``reason`` is empty where it is safe."""

    safe: bool
    step: int | None = None
    row: int | None = None
    reason: str = ""


class FilmFrame(NamedTuple):
    """What stands where after a step; one picture of the film."""

    step: int
    contents: dict[DiskName, tuple[Content, ...]]


def rehearse(sequence: Sequence, film: list[FilmFrame] | None = None) -> Rehearsal:
    """Run the steps. ``film`` takes a frame before the first step and one after each that went well."""
    run = Model(sequence)
    if film is not None:
        film.append(_frame(run, 0))
    for number, step in enumerate(sequence.steps, 1):
        try:
            record_of(step.kind).effect(run, number, step)
        except Unsafe as failure:
            return Rehearsal(False, failure.step or number, failure.row or step.row, failure.reason)
        if film is not None:
            film.append(_frame(run, number))
    return _ending(run)


def stopped_at(sequence: Sequence, failed: int, start: int) -> Rehearsal:
    """The steps up to ``failed``, which breaks off and may damage what it changes, then those from ``start`` on."""
    run = Model(sequence)
    steps = sequence.steps
    order = [*enumerate(steps[: failed - 1], 1), (0, steps[failed - 1]), *enumerate(steps[start - 1 :], start)]
    for number, step in order:
        if number == 0:
            _break_off(run, failed, step)
            continue
        try:
            record_of(step.kind).effect(run, number, step)
        except Unsafe as failure:
            return Rehearsal(False, failure.step or number, failure.row or step.row, failure.reason)
    return _ending(run)


def _frame(model: Model, number: int) -> FilmFrame:
    return FilmFrame(number, {name: tuple(disk.contents) for name, disk in model.disks.items()})


def _break_off(model: Model, number: int, step: Step) -> None:
    """A step that stops half-way: whatever it reads in place or writes to is in doubt."""
    doubt = record_of(step.kind).doubt
    match doubt:
        case "nothing":
            return
        case "places" | "places and table":
            for extent in (step.to, step.source if step.from_disk is None else None):
                if extent is not None:
                    model.write(step.disk, extent, number)
            if doubt == "places and table":
                model.disks[step.disk].table = None
        case _:
            assert_never(doubt)


def _ending(model: Model) -> Rehearsal:
    """Whether every carried row stands whole at its place, under the planned table."""
    target = model.disks["target"]
    last = len(model.sequence.steps) or None
    for hold in model.sequence.holds:
        goal = model.goals[hold.row].extent
        if goal is None:
            continue
        length = _length(model, hold) if hold.fixed else goal.length
        place = Extent(goal.start, goal.start + length)
        found = [content for content in target.contents if (content.row, content.extent) == (hold.row, place)]
        if not found:
            return Rehearsal(False, last, hold.row, f"row {hold.row} does not stand at its place on the target")
        if found[0].damaged_by:
            return Rehearsal(False, found[0].damaged_by, hold.row, f"row {hold.row} was written over")
    table = target.table
    if table is None or not (table.planned or _as_planned(model, table)):
        return Rehearsal(False, last, None, "the table of the target is not the planned one")
    if not table.backup:
        return Rehearsal(False, last, None, "the table of the target has no backup copy")
    return _starts(model, last)


def _starts(model: Model, last: int | None) -> Rehearsal:
    """Rule 14.1: the code stands before the first row, and every row that names its start names where it stands."""
    target, start = model.disks["target"], model.sequence.start
    if start.code and not target.code:
        return Rehearsal(False, last, None, "the code that starts the machine does not stand on the target")
    for content in target.contents:
        goal = model.goals[content.row].extent
        if content.row in start.named and goal and goal.start == content.extent.start != content.named:
            reason = f"row {content.row} names sector {content.named} as its start and stands at {goal.start}"
            return Rehearsal(False, last, content.row, reason)
    return Rehearsal(True)


def _length(model: Model, hold: Hold) -> int:
    """A fixed row's length in sectors of the target."""
    shapes = model.sequence.disks
    return hold.extent.length * shapes["source"].sector_bytes // shapes["target"].sector_bytes


def _as_planned(model: Model, table: TableNow) -> bool:
    """A table that came along names where its rows stand, so it is the plan's when it names just those."""
    return table.rows == {goal.row for goal in model.sequence.goals if goal.extent is not None}
