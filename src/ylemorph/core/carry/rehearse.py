"""The rehearsal (rule 10): a model of live extents, run through the steps.

Each disk is a list of contents: whose, where, and whether whole. A write over a content damages it; that is only wrong
where the content is needed afterwards, so the failure names the step that wrote, found when somebody needs it. A row is
used only where it stands whole, with exactly the length that the step says.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

from ..sizes import Extent, div_up
from .sequence import DiskName, Goal, Hold, Sequence, Shape, Step, StepKind

PACKING_WAYS = frozenset(("straight", "files"))  # where a copy may make a row smaller on its way


class Verdict(NamedTuple):
    """``step`` and ``row`` say where it fails, as far as they can be told; ``reason`` is empty where it is safe."""

    safe: bool
    step: int | None = None
    row: int | None = None
    reason: str = ""


class Content(NamedTuple):
    """A row's content on a disk. ``damaged_by``: number of the step that wrote over it, 0 while it is whole."""

    row: int
    extent: Extent
    damaged_by: int = 0


class Frame(NamedTuple):
    """What stands where after a step; one picture of the film."""

    step: int
    contents: dict[DiskName, tuple[Content, ...]]


@dataclass(slots=True)
class _Table:
    """The table on a disk: which rows it names, whether it is the plan's own, whether its backup stands at the end."""

    rows: frozenset[int] = frozenset()
    planned: bool = False
    backup: bool = False


@dataclass(slots=True)
class _Disk:
    shape: Shape
    sectors: int
    contents: list[Content] = field(default_factory=list)
    table: _Table | None = None


class _Unsafe(Exception):
    def __init__(self, reason: str, row: int | None = None, step: int | None = None) -> None:
        self.reason, self.row, self.step = reason, row, step
        super().__init__(reason)


def rehearse(sequence: Sequence, film: list[Frame] | None = None) -> Verdict:
    """Run the steps. ``film`` takes a frame before the first step and one after each that went well."""
    run = _Run(sequence)
    if film is not None:
        film.append(run.frame(0))
    for number, step in enumerate(sequence.steps, 1):
        try:
            run.make(number, step)
        except _Unsafe as failure:
            return Verdict(False, failure.step or number, failure.row or step.row, failure.reason)
        if film is not None:
            film.append(run.frame(number))
    return run.ending()


def stopped_at(sequence: Sequence, failed: int, start: int) -> Verdict:
    """The steps up to ``failed``, which breaks off and may damage what it changes, then those from ``start`` on."""
    run = _Run(sequence)
    steps = sequence.steps
    order = [*enumerate(steps[: failed - 1], 1), (0, steps[failed - 1]), *enumerate(steps[start - 1 :], start)]
    for number, step in order:
        if number == 0:
            run.break_off(failed, step)
            continue
        try:
            run.make(number, step)
        except _Unsafe as failure:
            return Verdict(False, failure.step or number, failure.row or step.row, failure.reason)
    return run.ending()


class _Run:
    def __init__(self, sequence: Sequence) -> None:
        self.sequence = sequence
        self.grain_sectors = {
            name: div_up(sequence.grain_bytes, shape.sector_bytes) for name, shape in sequence.disks.items()
        }
        self.disks: dict[DiskName, _Disk] = {
            name: _Disk(shape, shape.sectors) for name, shape in sequence.disks.items()
        }
        self.holds: dict[int, Hold] = {hold.row: hold for hold in sequence.holds}
        self.goals: dict[int, Goal] = {goal.row: goal for goal in sequence.goals}
        source = self.disks["source"]
        source.contents = [Content(hold.row, hold.extent) for hold in sequence.holds]
        source.table = _Table(frozenset(goal.row for goal in sequence.goals if not goal.added), backup=True)

    def frame(self, number: int) -> Frame:
        return Frame(number, {name: tuple(disk.contents) for name, disk in self.disks.items()})

    def make(self, number: int, step: Step) -> None:
        _KINDS[step.kind](self, number, step)

    def break_off(self, number: int, step: Step) -> None:
        """A step that stops half-way: whatever it reads in place or writes to is in doubt."""
        if step.kind in ("check", "identity"):
            return
        for extent in (step.to, step.source if step.from_disk is None else None):
            if extent is not None:
                self.write(step.disk, extent, number)
        if step.kind in ("table", "read"):
            self.disks[step.disk].table = None

    # --- what steps are made of --------------------------------------------------------------------------------------

    def write(self, name: DiskName, extent: Extent, number: int) -> None:
        """Whatever stands in ``extent`` is written over."""
        contents = self.disks[name].contents
        for place, content in enumerate(contents):
            own = content.extent
            if not content.damaged_by and own.start < extent.stop and extent.start < own.stop:
                contents[place] = content._replace(damaged_by=number)

    def reach(self, name: DiskName, extent: Extent, *, rows: bool = True) -> None:
        """Raises where ``extent`` leaves the disk, or for a row the part of the target that may hold rows."""
        low, high = 0, self.disks[name].sectors
        if rows and name == "target":
            low, high = max(low, self.sequence.usable.start), min(high, self.sequence.usable.stop)
        if not low <= extent.start < extent.stop <= high:
            raise _Unsafe(f"sectors {extent.start} to {extent.stop - 1} leave what of the {name} can be used")

    def found(self, name: DiskName, row: int | None, extent: Extent | None) -> int:
        """The place in the list of the row's whole content that stands exactly there."""
        for place, content in enumerate(self.disks[name].contents):
            if content.row == row and content.extent == extent:
                if content.damaged_by:
                    raise _Unsafe(f"row {row} on the {name} is needed and was written over", row, content.damaged_by)
                return place
        raise _Unsafe(f"row {row} does not stand there on the {name}")

    def take(self, name: DiskName, row: int | None, extent: Extent | None) -> Content:
        return self.disks[name].contents.pop(self.found(name, row, extent))

    def put(self, name: DiskName, row: int, extent: Extent, number: int) -> None:
        """The row stands there, whole; whatever stood in its way is written over."""
        start, stop = extent
        disk = self.disks[name]
        for content in disk.contents:
            if content.extent.start < stop and start < content.extent.stop:
                self.write(name, extent, number)
                disk.contents = [c for c in disk.contents if c.row != row or c.extent != extent]
                break
        disk.contents.append(Content(row, extent))

    def resized(self, step: Step, number: int) -> None:
        """Another length at the same place."""
        content = self.take(step.disk, step.row, step.source)
        assert step.to is not None
        hold = self.holds[content.row]
        if hold.fixed:
            raise _Unsafe(f"row {hold.row} may not change its length")
        if step.to.start != content.extent.start:
            raise _Unsafe("making smaller or larger keeps the start")
        self.roomy(hold, step.to.length * self.disks[step.disk].shape.sector_bytes)
        self.reach(step.disk, step.to)
        self.put(step.disk, content.row, step.to, number)

    @staticmethod
    def roomy(hold: Hold, size: int) -> None:
        if size < hold.bytes:
            raise _Unsafe(f"row {hold.row} holds {hold.bytes} bytes and would get {size}", hold.row)

    # --- the end -----------------------------------------------------------------------------------------------------

    def ending(self) -> Verdict:
        """Whether every carried row stands whole at its place, under the planned table."""
        target = self.disks["target"]
        last = len(self.sequence.steps) or None
        for hold in self.sequence.holds:
            goal = self.goals[hold.row].extent
            if goal is None:
                continue
            length = self._length(hold) if hold.fixed else goal.length
            place = Extent(goal.start, goal.start + length)
            found = [content for content in target.contents if (content.row, content.extent) == (hold.row, place)]
            if not found:
                return Verdict(False, last, hold.row, f"row {hold.row} does not stand at its place on the target")
            if found[0].damaged_by:
                return Verdict(False, found[0].damaged_by, hold.row, f"row {hold.row} was written over")
        table = target.table
        if table is None or not (table.planned or self._as_planned(table)):
            return Verdict(False, last, None, "the table of the target is not the planned one")
        if not table.backup:
            return Verdict(False, last, None, "the table of the target has no backup copy")
        return Verdict(True)

    def _length(self, hold: Hold) -> int:
        """A fixed row's length in sectors of the target."""
        shapes = self.sequence.disks
        return hold.extent.length * shapes["source"].sector_bytes // shapes["target"].sector_bytes

    def _as_planned(self, table: _Table) -> bool:
        """A table that came along names where its rows stand, so it is the plan's when it names just those."""
        return table.rows == {goal.row for goal in self.sequence.goals if goal.extent is not None}


def _read(run: _Run, number: int, step: Step) -> None:
    name, onto, extent = _other(step), step.disk, step.to
    assert extent is not None
    if step.source != extent or extent.start:
        raise _Unsafe("a disk is read from its first sector on, and in place")
    run.reach(name, extent, rows=False)
    run.reach(onto, extent, rows=False)
    giver, taker = run.disks[name], run.disks[onto]
    brought = []
    for content in giver.contents:
        if content.extent.stop <= extent.stop:
            brought.append(content)
        elif content.extent.start < extent.stop:
            brought.append(content._replace(damaged_by=content.damaged_by or number))
    run.write(onto, extent, number)
    taker.contents = [c for c in taker.contents if c.extent.stop > extent.stop] + brought
    taker.table = None
    if giver.table is not None:
        whole = giver.sectors == taker.sectors == extent.stop
        taker.table = _Table(giver.table.rows, giver.table.planned, giver.table.backup and (whole or not _gpt(run)))


def _copy(run: _Run, number: int, step: Step) -> None:
    name, extent = _other(step), step.to
    assert extent is not None
    content = run.disks[name].contents[run.found(name, step.row, step.source)]
    hold = run.holds[content.row]
    before = content.extent.length * run.disks[name].shape.sector_bytes
    after = extent.length * run.disks[step.disk].shape.sector_bytes
    if after > before:
        raise _Unsafe("a copy is not longer than what is copied")
    if after < before and (hold.fixed or run.sequence.way not in PACKING_WAYS):
        raise _Unsafe(f"row {hold.row} may not be made shorter on its way")
    run.roomy(hold, after)
    run.reach(step.disk, extent)
    run.put(step.disk, content.row, extent, number)


def _shrink(run: _Run, number: int, step: Step) -> None:
    if step.source and step.to and step.to.length > step.source.length:
        raise _Unsafe("this makes the row larger")
    run.resized(step, number)


def _grow(run: _Run, number: int, step: Step) -> None:
    if step.source and step.to and step.to.length < step.source.length:
        raise _Unsafe("this makes the row smaller")
    run.resized(step, number)


def _move(run: _Run, number: int, step: Step) -> None:
    content = run.take(step.disk, step.row, step.source)
    assert step.to is not None
    if step.to.length != content.extent.length:
        raise _Unsafe("a move keeps the length")
    run.reach(step.disk, step.to)
    run.put(step.disk, content.row, step.to, number)


def _table(run: _Run, number: int, step: Step) -> None:
    """Both copies of a GPT, or the record of an MBR and one before each logical."""
    disk = run.disks[step.disk]
    _write_ends(run, step.disk, number)
    if not _gpt(run):
        before = run.grain_sectors[step.disk]
        for goal in run.sequence.goals:
            if goal.logical and goal.extent is not None and goal.extent.start >= before:
                start = goal.extent.start - before
                run.write(step.disk, Extent(start, start + 1), number)
    rows = frozenset(goal.row for goal in run.sequence.goals if goal.extent is not None)
    disk.table = _Table(rows, planned=step.disk == "target", backup=True)


def _cut(run: _Run, number: int, step: Step) -> None:
    disk, extent = run.disks[step.disk], step.to
    assert extent is not None
    run.reach(step.disk, extent, rows=False)
    run.write(step.disk, Extent(extent.stop, disk.sectors), number)
    disk.contents = [content for content in disk.contents if content.extent.start < extent.stop]
    if extent.stop < disk.sectors and disk.table is not None and _gpt(run):
        disk.table.backup = False
    disk.sectors = extent.stop


def _mend_table(run: _Run, number: int, step: Step) -> None:
    disk = run.disks[step.disk]
    if disk.table is None:
        raise _Unsafe(f"the {step.disk} has no table that could be mended")
    _write_ends(run, step.disk, number, only_backup=True)
    disk.table.backup = True


def _make(run: _Run, number: int, step: Step) -> None:
    assert step.to is not None
    assert step.row is not None
    run.reach(step.disk, step.to)
    run.write(step.disk, step.to, number)
    table = run.disks[step.disk].table
    if table is not None:
        table.rows |= {step.row}


def _nothing(run: _Run, number: int, step: Step) -> None:
    """Neither a check nor a new identity changes where anything stands."""


_KINDS: dict[StepKind, Callable[[_Run, int, Step], None]] = {
    "read": _read, "copy": _copy, "shrink": _shrink, "grow": _grow, "move": _move, "table": _table, "cut": _cut,
    "mend-table": _mend_table, "make": _make, "check": _nothing, "identity": _nothing,
}  # fmt: skip


def _gpt(run: _Run) -> bool:
    return run.sequence.gpt


def _write_ends(run: _Run, name: DiskName, number: int, *, only_backup: bool = False) -> None:
    """The sectors that a table takes at both ends of a disk."""
    disk = run.disks[name]
    ends = div_up(GPT_ARRAY_BYTES, disk.shape.sector_bytes) if _gpt(run) else 0
    if not only_backup:
        run.write(name, Extent(0, ends + 2 if ends else 1), number)
    if ends:
        run.write(name, Extent(max(0, disk.sectors - ends - 1), disk.sectors), number)


GPT_ARRAY_BYTES = 16384  # rule 2.1


def _other(step: Step) -> DiskName:
    assert step.from_disk is not None
    return step.from_disk
