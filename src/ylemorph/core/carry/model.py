"""The model of live extents that a rehearsal runs its steps on (rule 10).

Each disk is a list of contents: whose, where, and whether whole. What this is for, and why a write is never wrong by
itself, stands in `rehearse`.
"""

from dataclasses import dataclass, field
from typing import NamedTuple

from ..sizes import Extent, div_up
from .sequence import DiskName, FoundTarget, Goal, Hold, Sequence, Shape, Step

GPT_ARRAY_BYTES = 16384  # rule 2.1


class Content(NamedTuple):
    """A row's content on a disk. ``damaged_by``: number of the step that wrote over it, 0 while it is whole.

    ``named``: where it starts as its own boot sector says; that goes along unchanged wherever the row goes.
    """

    row: int
    extent: Extent
    damaged_by: int = 0
    named: int = 0


@dataclass(slots=True)
class TableNow:
    """The table on a disk: which rows it names, whether it is the plan's own, whether its backup stands at the end."""

    rows: frozenset[int] = frozenset()
    planned: bool = False
    backup: bool = False


@dataclass(slots=True)
class DiskNow:
    shape: Shape
    sectors: int
    contents: list[Content] = field(default_factory=list)
    code: bool = False
    table: TableNow | None = None


class Unsafe(Exception):
    def __init__(self, reason: str, row: int | None = None, step: int | None = None) -> None:
        self.reason, self.row, self.step = reason, row, step
        super().__init__(reason)


class Model:
    """All disks of a sequence while its steps are run."""

    def __init__(self, sequence: Sequence) -> None:
        self.sequence = sequence
        self.grain_sectors = {
            name: div_up(sequence.grain_bytes, shape.sector_bytes) for name, shape in sequence.disks.items()
        }
        self.disks: dict[DiskName, DiskNow] = {
            name: DiskNow(shape, shape.sectors) for name, shape in sequence.disks.items()
        }
        self.holds: dict[int, Hold] = {hold.row: hold for hold in sequence.holds}
        self.goals: dict[int, Goal] = {goal.row: goal for goal in sequence.goals}
        source = self.disks["source"]
        source.contents = [Content(hold.row, hold.extent, named=hold.extent.start) for hold in sequence.holds]
        source.code = sequence.start.code
        source.table = TableNow(frozenset(goal.row for goal in sequence.goals if not goal.added), backup=True)
        self._find(sequence.found)

    def _find(self, found: FoundTarget) -> None:
        """What stands on the target already; what is not whole is nothing that a step could use."""
        target = self.disks["target"]
        target.contents = [Content(one.row, one.extent, named=one.named) for one in found.rows if one.whole]
        target.code = found.code
        if found.rows:
            rows = frozenset(one.row for one in found.rows)
            target.table = TableNow(rows, planned=found.as_table, backup=found.backup)

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
            raise Unsafe(f"sectors {extent.start} to {extent.stop - 1} leave what of the {name} can be used")

    def found(self, name: DiskName, row: int | None, extent: Extent | None) -> int:
        """The place in the list of the row's whole content that stands exactly there."""
        for place, content in enumerate(self.disks[name].contents):
            if content.row == row and content.extent == extent:
                if content.damaged_by:
                    raise Unsafe(f"row {row} on the {name} is needed and was written over", row, content.damaged_by)
                return place
        raise Unsafe(f"row {row} does not stand there on the {name}")

    def take(self, name: DiskName, row: int | None, extent: Extent | None) -> Content:
        return self.disks[name].contents.pop(self.found(name, row, extent))

    def put(self, name: DiskName, row: int, extent: Extent, number: int, named: int) -> None:
        """The row stands there, whole, and names ``named``; whatever stood in its way is written over."""
        self.write(name, extent, number)
        disk = self.disks[name]
        disk.contents = [content for content in disk.contents if (content.row, content.extent) != (row, extent)]
        disk.contents.append(Content(row, extent, named=named))

    def resized(self, step: Step, number: int) -> None:
        """Another length at the same place."""
        content = self.take(step.disk, step.row, step.source)
        assert step.to is not None
        hold = self.holds[content.row]
        if hold.fixed:
            raise Unsafe(f"row {hold.row} may not change its length")
        if step.to.start != content.extent.start:
            raise Unsafe("making smaller or larger keeps the start")
        self.roomy(hold, step.to.length * self.disks[step.disk].shape.sector_bytes)
        self.reach(step.disk, step.to)
        self.put(step.disk, content.row, step.to, number, content.named)

    @staticmethod
    def roomy(hold: Hold, size: int) -> None:
        if size < hold.bytes:
            raise Unsafe(f"row {hold.row} holds {hold.bytes} bytes and would get {size}", hold.row)

    @property
    def gpt(self) -> bool:
        return self.sequence.gpt

    def write_ends(self, name: DiskName, number: int, *, only_backup: bool = False) -> None:
        """The sectors that a table takes at both ends of a disk."""
        disk = self.disks[name]
        ends = div_up(GPT_ARRAY_BYTES, disk.shape.sector_bytes) if self.gpt else 0
        if not only_backup:
            self.write(name, Extent(0, ends + 2 if ends else 1), number)
        if ends:
            self.write(name, Extent(max(0, disk.sectors - ends - 1), disk.sectors), number)


def other_disk(step: Step) -> DiskName:
    assert step.from_disk is not None
    return step.from_disk
