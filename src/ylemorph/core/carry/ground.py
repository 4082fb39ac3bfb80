"""What the ways look at: the plan, the facts of the bench, and what follows from both."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from ..disk.filesystems import is_sealed
from ..disk.model import Disk, Encryption, HealthState
from ..disk.tables import usable_range
from ..fit.compare import carried_bytes_of, packed_bytes_of
from ..fit.plan import Plan, PlanRow
from ..found.matching import FoundDisk, found_of
from ..sizes import Extent
from .facts import Facts
from .sequence import DiskName, Goal, Hold, Shape
from .times import (
    SHARES,
    Cause,
    Learned,
    Path,
    Rate,
    Span,
    added,
    granted,
    rate_of,
    rate_of_room,
    reached,
    spent,
    turns,
)


class Load(NamedTuple):
    """A row whose content goes over: where it stands, where it must be, and what is moved for it."""

    row: PlanRow
    hold: Hold
    goal: Extent
    short: Extent  # where it stands, at its planned length where that is smaller
    placed: Extent  # at its place on the target, not yet larger
    copied: int  # bytes that a copy carries (rule 9.1)
    by_file: bool  # whether a copier may know its file system
    packed: int | None  # bytes to pack in place before it is as small as planned (rule 9.2)

    @property
    def number(self) -> int:
        return self.hold.row

    @property
    def name(self) -> str:
        return self.row.row.name_and_number

    @property
    def gets_smaller(self) -> bool:
        return self.goal.length < self.hold.extent.length

    @property
    def files(self) -> int | None:
        """None where nobody counted them."""
        fs = self.row.row.fs
        return fs.files if fs is not None else None


@dataclass(frozen=True)
class Ground:
    """One plan under the facts of one bench. Everything else is worked out when it is first asked for."""

    plan: Plan
    facts: Facts
    learned: Learned | None = None  # from finished jobs of the same kind of disks and links
    there: Disk | None = None  # the target as it was read last, where that is not what the plan was made with

    @cached_property
    def sector(self) -> int:
        return self.plan.source.logical_sector_bytes

    @cached_property
    def found(self) -> FoundDisk | None:
        """What of the plan stands on the target already."""
        return found_of(self.plan, self.there or self.plan.target, self.facts.again)

    @property
    def in_place(self) -> bool:
        """Source and target are one disk: nothing can be copied again."""
        return self.plan.options.in_place == "yes"

    @cached_property
    def same_sectors(self) -> bool:
        return self.sector == self.plan.target.logical_sector_bytes

    @cached_property
    def loads(self) -> tuple[Load, ...]:
        """In the order of the target; empty where the plan has no layout."""
        if self.plan.layout.sizes is None:
            return ()
        per_grain = self.plan.frame.grain_sectors
        return tuple(
            [
                _load(row, row.extent, per_grain, self.sector)
                for row in self.plan.rows
                if row.extent is not None and not row.row.is_made and row.row.partition is not None
            ]
        )

    @cached_property
    def made(self) -> tuple[tuple[PlanRow, Extent], ...]:
        """Rows that are made new, with their places in LBAs of the target."""
        per_grain = self.plan.frame.grain_sectors
        return tuple(
            [
                (row, Extent(row.extent.start * per_grain, row.extent.stop * per_grain))
                for row in self.plan.rows
                if row.extent is not None and row.row.is_made
            ]
        )

    @cached_property
    def goals(self) -> tuple[Goal, ...]:
        per_grain, goals = self.plan.frame.grain_sectors, []
        for row in self.plan.rows:
            extent = row.extent
            place = None if extent is None else Extent(extent.start * per_grain, extent.stop * per_grain)
            # What the change of table adds stands on no source.
            goals.append(Goal(row.number, place, row.row.partition is None, row.logical))
        return tuple(goals)

    @cached_property
    def usable(self) -> Extent:
        frame = self.plan.frame
        return Extent(frame.first_usable_lba, frame.last_usable_lba + 1)

    @cached_property
    def starts(self) -> list[int]:
        """Where something begins on the finished target: rows, the records of logicals, the end of what is usable."""
        before = self.plan.frame.grain_sectors
        starts = [goal.extent.start - before * goal.logical for goal in self.goals if goal.extent is not None]
        return sorted([*starts, self.usable.stop])

    @cached_property
    def source_starts(self) -> list[int]:
        disk = self.plan.source
        table = "gpt" if disk.table == "none" else disk.table
        _, last = usable_range(disk.sectors, self.sector, table)
        return sorted([*(partition.first_lba for partition in disk.rows), last + 1])

    @cached_property
    def health(self) -> HealthState:
        """As a person said, else as the disk says of itself."""
        own = self.plan.source.health
        return self.facts.health if self.facts.health != "unknown" else own.state if own else "unknown"

    @cached_property
    def sealed(self) -> tuple[Load, ...]:
        """Rows that are encrypted and open in their own system."""
        return tuple([load for load in self.loads if is_sealed(load.row.row.fs)])

    @cached_property
    def encryption(self) -> Encryption:
        """As a person said, else as the source's own system says."""
        if self.facts.encryption != "unknown":
            return self.facts.encryption
        said = {load.row.row.fs.encryption for load in self.loads if load.row.row.fs is not None}
        order: tuple[Encryption, ...] = ("active", "paused", "none")
        return next((word for word in order if word in said), "unknown")

    @cached_property
    def whole_image(self) -> bool:
        """A failing or worn source is read once, whole, before anything else (rule 13.1)."""
        return self.health in ("failing", "worn")

    @cached_property
    def carried_bytes(self) -> int:
        return sum([load.copied for load in self.loads])

    @cached_property
    def shapes(self) -> dict[DiskName, Shape]:
        source, target = self.plan.source, self.plan.target
        own = Shape(source.sectors, source.logical_sector_bytes)
        return {"source": own, "image": own, "target": Shape(target.sectors, target.logical_sector_bytes)}

    @cached_property
    def rates(self) -> dict[DiskName, Rate]:
        source, target, facts = self.plan.source, self.plan.target, self.facts
        return {
            "source": rate_of(source, facts.source_link, facts.source_medium),
            "image": rate_of_room(facts.workspace_medium),
            "target": rate_of(target, facts.target_link, facts.target_medium),
        }

    def path(self, *names: DiskName) -> Path:
        """From the first disk to the others."""
        causes: dict[DiskName, Cause] = {"source": "source", "image": "image", "target": "target"}
        turning = {
            "source": turns(self.plan.source, self.facts.source_medium),
            "target": turns(self.plan.target, self.facts.target_medium),
            "image": False,  # it is read from one end to the other, whatever files are in it
        }
        return Path(tuple((causes[name], self.rates[name]) for name in names), turning[names[0]])

    def copying(self, load: Load, giver: DiskName, onto: DiskName) -> Span:
        """A row carried from disk to disk: as finished jobs reached it, else bytes and files as is usual (rules 11.2b,
        11.3)."""
        path = self.path(giver, onto)
        if self.learned is not None and (giver, onto) == ("source", "target"):
            quickest = Rate(path.quickest, path.quickest)
            return spent(load.copied, Path((("copier", quickest),)), self.learned.shares)
        reaching = reached(load.files, load.copied, path) if load.by_file else Span()
        return added(spent(load.copied, path, SHARES), reaching)

    def granted(self, *, with_room: bool) -> str:
        """What the times take for granted of both disks and of the room for an image; empty where nothing is."""
        source = granted(self.plan.source, self.facts.source_link, self.facts.source_medium)
        target = granted(self.plan.target, self.facts.target_link, self.facts.target_medium)
        room = "a solid-state disk" if with_room and self.facts.workspace_medium == "unknown" else ""
        named = (("the source to be", source), ("the target to be", target), ("the room for an image to be on", room))
        words = [f"{name} {word}" for name, word in named if word]
        return f"taking {' and '.join(words)}" if words else ""

    @property
    def bench_kind(self) -> str:
        """The kind of disks and links by which finished jobs are alike: ``turning sata, solid usb3``."""
        words = []
        for disk, said in ((self.plan.source, self.facts.source_link), (self.plan.target, self.facts.target_link)):
            medium = "any" if disk.rotational is None else "turning" if disk.rotational else "solid"
            words.append(f"{medium} {disk.link if said == 'unknown' else said}")
        return ", ".join(words)


def _load(row: PlanRow, grains: Extent, per_grain: int, sector: int) -> Load:
    inner = row.row
    partition, floors = inner.partition, inner.floors
    assert partition is not None
    extent = Extent(partition.first_lba, partition.first_lba + partition.sectors)
    fixed = grains.length == inner.base
    whole = extent.length * sector
    kept = whole if floors is None else floors.carried_bytes - floors.shed_bytes
    copied = carried_bytes_of(row)
    goal = Extent(grains.start * per_grain, grains.stop * per_grain)
    hold = Hold(inner.number, extent, min(max(kept, 0), whole, whole if fixed else goal.length * sector), fixed)
    length = partition.sectors if fixed else min(partition.sectors, grains.length * per_grain)
    short, placed = Extent(extent.start, extent.start + length), Extent(goal.start, goal.start + length)
    return Load(row, hold, goal, short, placed, copied, copied < whole, packed_bytes_of(row))
