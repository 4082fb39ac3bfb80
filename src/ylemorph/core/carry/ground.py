"""What the ways look at: the plan, the facts of the bench, and what follows from both."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from ..disk.model import HealthState
from ..disk.tables import usable_range
from ..fit.compare import carried_bytes_of, packed_bytes_of
from ..fit.plan import Plan, PlanRow
from ..sizes import Extent
from .facts import Facts
from .sequence import DiskName, Goal, Hold, Shape
from .times import BY_FILE, BY_SECTOR, WORKSPACE, Learned, Rate, rate_of


class Load(NamedTuple):
    """A row whose content goes over: where it stands, where it must be, and what is moved for it."""

    row: PlanRow
    hold: Hold
    goal: Extent
    short: Extent  # where it stands, at its planned length where that is smaller
    placed: Extent  # at its place on the target, not yet larger
    copied: int  # bytes that a copy carries (rule 9.1)
    by_file: bool  # whether a copier may know its file system

    @property
    def number(self) -> int:
        return self.hold.row

    @property
    def shares(self) -> tuple[int, int]:
        return BY_FILE if self.by_file else BY_SECTOR


@dataclass(frozen=True)
class Ground:
    """One plan under the facts of one bench. Everything else is worked out when it is first asked for."""

    plan: Plan
    facts: Facts
    learned: Learned | None = None  # from finished jobs of the same kind of disks and links

    @cached_property
    def sector(self) -> int:
        return self.plan.source.logical_sector_bytes

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
        facts = self.facts
        return {
            "source": rate_of(self.plan.source, facts.source_link),
            "image": WORKSPACE,
            "target": rate_of(self.plan.target, facts.target_link),
        }

    @cached_property
    def paths(self) -> dict[tuple[DiskName, DiskName], Rate]:
        """Rates from disk to disk."""
        rates = self.rates
        pairs: tuple[tuple[DiskName, DiskName], ...] = (
            ("source", "image"),
            ("source", "target"),
            ("image", "target"),
        )
        made = {(one, two): rates[one].along(rates[two]) for one, two in pairs}
        if self.learned is not None:
            quickest = made["source", "target"].high
            made["source", "target"] = Rate(quickest, quickest)
        return made

    def shares(self, load: Load, name: DiskName) -> tuple[int, int]:
        """Of the rate from a disk to the target: as finished jobs reached it, else as is usual (rules 11.2, 11.3)."""
        return self.learned.shares if self.learned is not None and name == "source" else load.shares

    @property
    def bench_kind(self) -> str:
        """The kind of disks and links by which finished jobs are alike: ``turning sata, solid usb3``."""
        words = []
        for disk, said in ((self.plan.source, self.facts.source_link), (self.plan.target, self.facts.target_link)):
            medium = "any" if disk.rotational is None else "turning" if disk.rotational else "solid"
            words.append(f"{medium} {disk.link if said == 'unknown' else said}")
        return ", ".join(words)

    def packed(self, load: Load) -> int | None:
        """Bytes to pack in place before the row is as small as planned (rule 9.2)."""
        return packed_bytes_of(load.row)


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
    return Load(row, hold, goal, short, placed, copied, copied < whole)
