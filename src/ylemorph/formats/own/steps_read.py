"""``ylemorph.steps/1`` read back for a rehearsal: every field that it looks at is checked, further ones are let be."""

import json
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ...core.carry.sequence import (
    DiskName,
    FoundContent,
    FoundTarget,
    Goal,
    Hold,
    Sequence,
    Shape,
    StartGoal,
    Step,
    StepKind,
    WayKey,
)
from ...core.carry.step_kinds import record_of
from ...core.errors import BadSteps
from ...core.sizes import Extent
from .steps import FORMAT
from .survey import first_problem
from .survey_data import MAX_FILE_BYTES
from .wire import Number, Positive

_FIELD_NAMES = {"source": "from"}


class _In(BaseModel):
    model_config = ConfigDict(strict=True, extra="ignore", frozen=True)


class _Extent(_In):
    first_lba: Number
    sectors: Positive

    def to_core(self) -> Extent:
        return Extent(self.first_lba, self.first_lba + self.sectors)


class _Shape(_In):
    sectors: Positive
    logical_sector_bytes: Annotated[int, Field(ge=1, le=65_536)]


class _FoundRow(_Extent):
    row: Number
    whole: bool
    named: Number | None = None


class _FoundTable(_In):
    as_planned: bool = False
    backup: bool = False
    code: bool = False


class _FoundDisk(_Shape):
    found: Annotated[list[_FoundRow], Field(max_length=4096)] = []
    found_table: _FoundTable = _FoundTable()

    def to_core(self) -> FoundTarget:
        rows = [
            FoundContent(one.row, one.to_core(), one.whole, one.first_lba if one.named is None else one.named)
            for one in self.found
        ]
        return FoundTarget(tuple(rows), self.found_table.as_planned, self.found_table.backup, self.found_table.code)


class _Disks(_In):
    source: _Shape
    image: _Shape | None = None
    target: _FoundDisk


class _Hold(_Extent):
    row: Number
    bytes: Number
    fixed: bool


class _Start(_In):
    """What steps of before did not name is not asked for."""

    code: bool = False
    named: Annotated[list[Number], Field(max_length=4096)] = []


class _Step(_In):
    kind: StepKind
    disk: DiskName
    row: Number | None = None
    from_disk: DiskName | None = None
    source: _Extent | None = Field(default=None, alias="from")
    to: _Extent | None = None


class _Row(_In):
    number: Number
    carried: bool
    source_bytes: Number
    first_lba: Number | None
    sectors: Number | None
    logical: bool = False


class _Target(_In):
    table: Literal["gpt", "mbr"]
    first_usable_lba: Number
    last_usable_lba: Number


class _Plan(_In):
    target: _Target
    rows: Annotated[list[_Row], Field(max_length=4096)]


class _Steps(_In):
    way: WayKey
    disks: _Disks
    grain_bytes: Positive
    holds: Annotated[list[_Hold], Field(max_length=4096)]
    start: _Start = _Start()
    steps: Annotated[list[_Step], Field(max_length=10_000)]
    plan: _Plan


def read_steps(text: bytes) -> Sequence:
    """A sequence from JSON text. Raises BadSteps with the field's path, what is wrong and the mend."""
    if len(text) > MAX_FILE_BYTES:
        raise BadSteps("the file is too large for steps", mend="check that it is the right file")
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        raise BadSteps("this is not JSON", mend="write it with ylemorph steps --format json") from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise BadSteps(
            "these are not steps", at="format", mend=f"write them with ylemorph steps --format json ({FORMAT})"
        )
    try:
        model = _Steps.model_validate(data)
    except ValidationError as error:
        problem = first_problem(error)
        raise BadSteps(problem.problem, at=problem.at, mend=problem.mend) from None
    return _sequence(model)


def _sequence(model: _Steps) -> Sequence:
    goals = {row.number: _goal(row) for row in model.plan.rows}
    if len(goals) < len(model.plan.rows):
        raise BadSteps("a row stands twice in the plan", at="plan.rows", mend="name each once")
    holds = [Hold(h.row, h.to_core(), h.bytes, h.fixed) for h in model.holds]
    _check_holds(holds, goals, model)
    shapes: dict[DiskName, Shape] = {
        name: Shape(shape.sectors, shape.logical_sector_bytes)
        for name in ("source", "image", "target")
        for shape in (getattr(model.disks, name),)
        if shape is not None
    }
    steps = tuple(_step(i, step, shapes, {hold.row for hold in holds}, goals) for i, step in enumerate(model.steps))
    target = model.plan.target
    usable = Extent(target.first_usable_lba, target.last_usable_lba + 1)
    return Sequence(
        model.way, shapes, model.grain_bytes, tuple(holds), steps, tuple(goals.values()), target.table == "gpt", usable,
        StartGoal(model.start.code, frozenset(model.start.named)), _found(model, goals),
    )  # fmt: skip


def _found(model: _Steps, goals: dict[int, Goal]) -> FoundTarget:
    """Raises BadSteps for a row that stands nowhere in the plan, or past the end of the target."""
    found = model.disks.target.to_core()
    for place, one in enumerate(found.rows):
        at = f"disks.target.found[{place}]"
        if one.row not in goals:
            raise BadSteps(f"there is no row {one.row} in the plan", at=at, mend="name a row of the plan")
        if one.extent.stop > model.disks.target.sectors:
            raise BadSteps(f"row {one.row} ends past the target", at=at, mend="check its place")
    return found


def _goal(row: _Row) -> Goal:
    extent = None
    if row.carried and row.first_lba is not None and row.sectors:
        extent = Extent(row.first_lba, row.first_lba + row.sectors)
    return Goal(row.number, extent, row.source_bytes == 0, row.logical)


def _check_holds(holds: list[Hold], goals: dict[int, Goal], model: _Steps) -> None:
    seen: set[int] = set()
    for place, hold in enumerate(holds):
        at = f"holds[{place}]"
        goal = goals.get(hold.row)
        if goal is None or goal.extent is None:
            raise BadSteps(f"row {hold.row} has no place in the plan", at=at, mend="name only carried rows")
        if hold.row in seen:
            raise BadSteps(f"row {hold.row} is named twice", at=at, mend="name it once")
        if hold.extent.stop > model.disks.source.sectors:
            raise BadSteps(
                f"row {hold.row} stands past the end of the source", at=at, mend="check first_lba and sectors"
            )
        seen.add(hold.row)
    ordered = sorted(hold.extent for hold in holds)
    if any(one.stop > two.start for one, two in pairwise(ordered)):
        raise BadSteps("two rows overlap on the source", at="holds", mend="check first_lba and sectors")


def _step(place: int, step: _Step, shapes: dict[DiskName, Shape], held: set[int], goals: dict[int, Goal]) -> Step:
    at = f"steps[{place}]"
    record = record_of(step.kind)
    for name in record.needs:
        if getattr(step, name) is None:
            shown = _FIELD_NAMES.get(name, name)
            raise BadSteps(f"a {step.kind} needs “{shown}”", at=f"{at}.{shown}", mend="add the field")
    for name, disk in (("disk", step.disk), ("from_disk", step.from_disk)):
        if disk is not None and disk not in shapes:
            raise BadSteps(f"there is no disk “{disk}”", at=f"{at}.{name}", mend="describe it under disks")
    if step.row is not None and step.row not in (held if record.held else goals):
        raise BadSteps(f"there is no row {step.row} for a {step.kind}", at=f"{at}.row", mend="use a row of the plan")
    if record.two_disks and step.from_disk == step.disk:
        raise BadSteps("a disk cannot be read onto itself", at=f"{at}.from_disk", mend="name another disk")
    to = step.to.to_core() if step.to else None
    source = step.source.to_core() if step.source else None
    return record.settled(Step(step.kind, step.disk, step.row, step.from_disk, source, to))


def verdict_text(verdict: Any, sequence: Sequence) -> str:
    """One line for the terminal."""
    if verdict.safe:
        return f"Rehearsed: {len(sequence.steps)} steps, nothing lost."
    step = "" if verdict.step is None else f"step {verdict.step}"
    row = "" if verdict.row is None else f"row {verdict.row}"
    where = ", ".join(part for part in (step, row) if part)
    return f"Not safe: {where + ': ' if where else ''}{verdict.reason}."
