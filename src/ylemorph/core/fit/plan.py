"""The one way from a pair of disks to a plan. Same input, same plan, to the byte."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import Literal, NamedTuple

from ..disk.model import Disk, Kind, Role
from ..errors import BadOption
from ..sizes import Extent
from .finding_kinds import Finding
from .findings import find
from .fits import FIT_KINDS
from .floors import Floors
from .frame import Frame
from .layout import Layout, Prepared, Verdict
from .options import Fit, Options
from .remedies import Remedy, remedies_for
from .rows import Row
from .starting import Identity, PlannedStart

RowChange = Literal["shrinks", "grows", "holds", "left", "made"]


def change_of(row: Row, grains: int | None) -> RowChange:
    """What happens to ``row`` when it gets ``grains``; None: left behind, or nothing fits."""
    if not row.carried:
        return "left"
    if row.is_made:
        return "made"
    if grains is None or grains == row.base:
        return "holds"
    return "grows" if grains > row.base else "shrinks"


class PlanRow(NamedTuple):
    """What becomes of one partition: a view on its row, its extent in grains and the frame it stands in.

    Sizes are bytes; target figures are None where the row is left behind or nothing fits.
    """

    row: Row
    extent: Extent | None
    frame: Frame
    keeps_size: bool = False  # under the plan's fit every row keeps its size

    @property
    def number(self) -> int:
        return self.row.number

    @property
    def label(self) -> str:
        return self.row.label

    @property
    def role(self) -> Role:
        return self.row.role

    @property
    def kind(self) -> Kind:
        if self.row.fs is not None:
            return self.row.fs.kind
        return "fat32" if self.row.partition is None and self.row.role == "start" else "unknown"

    @property
    def logical(self) -> bool:
        return self.row.logical

    @property
    def carried(self) -> bool:
        return self.row.carried

    @property
    def elastic(self) -> bool:
        return self.row.elastic

    @property
    def pinned(self) -> bool:
        return self.row.pin is not None

    @property
    def resizable(self) -> bool:
        return self.row.ability.smaller or self.row.ability.larger

    @property
    def change(self) -> RowChange:
        return change_of(self.row, None if self.extent is None else self.extent.length)

    @property
    def source_bytes(self) -> int:
        return self.row.source_bytes

    @property
    def used_bytes(self) -> int | None:
        return self.row.fs.used_bytes if self.row.fs is not None else None

    @property
    def files(self) -> int | None:
        """Files and folders that go over; None where they were not counted, or some stay behind."""
        fs, floors = self.row.fs, self.row.floors
        if fs is None or self.row.is_made or floors is None or floors.carried_bytes != fs.used_bytes:
            return None
        return fs.files

    @property
    def floors(self) -> Floors | None:
        return self.row.floors

    @property
    def hard_floor_bytes(self) -> int | None:
        """None on rows that are not elastic, like the two that follow."""
        floors = self.row.floors if self.row.elastic else None
        return None if floors is None else floors.hard * self.frame.grain_bytes

    @property
    def comfort_floor_bytes(self) -> int | None:
        floors = self.row.floors if self.row.elastic else None
        return None if floors is None else floors.comfort * self.frame.grain_bytes

    @property
    def source_uuid(self) -> str:
        """Its GUID on the source's GPT; empty where it has none, or stands on no source."""
        partition = self.row.partition
        return partition.uuid if partition is not None and not self.row.is_made else ""

    @property
    def least_bytes(self) -> int | None:
        """What the row takes at least under the plan's fit: what is drawn where nothing fits. None: left behind."""
        row = self.row
        if not row.carried:
            return None
        if row.pin is not None:
            return row.pin * self.frame.grain_bytes
        shrinks = row.elastic and row.floors is not None and not self.keeps_size
        return (row.floors.hard if shrinks and row.floors else row.base) * self.frame.grain_bytes

    @property
    def ceiling_bytes(self) -> int | None:
        return self.row.ceiling * self.frame.grain_bytes if self.row.elastic else None

    @property
    def first_lba(self) -> int | None:
        return None if self.extent is None else self.extent.start * self.frame.grain_sectors

    @property
    def sectors(self) -> int | None:
        return None if self.extent is None else self.extent.length * self.frame.grain_sectors

    @property
    def size_bytes(self) -> int | None:
        return None if self.extent is None else self.extent.length * self.frame.grain_bytes

    @property
    def free_after_bytes(self) -> int | None:
        """Free space in the file system afterwards; None too where what it holds is not known or is made new."""
        size = self.size_bytes
        if size is None or self.row.is_made:
            return None
        if self.row.floors is not None:
            return size - self.row.floors.carried_bytes
        return None if self.used_bytes is None else size - self.used_bytes


@dataclass(frozen=True)
class Plan:
    """How the source's rows stand on the target.

    Rows, places, findings and remedies follow from the layout; they are worked out when they are first read, so that a
    caller who wants the verdict alone does not pay for them.
    """

    source: Disk
    target: Disk
    options: Options
    layout: Layout

    @cached_property
    def rows(self) -> tuple[PlanRow, ...]:
        extents = iter(self.layout.placed.rows if self.layout.placed else ())
        frame, keeps = self.frame, FIT_KINDS[self.fit].keeps_sizes
        return tuple(
            [PlanRow(row, next(extents, None) if row.carried else None, frame, keeps) for row in self.layout.rows]
        )

    @property
    def fit(self) -> Fit:
        return self.layout.fit

    @property
    def verdict(self) -> Verdict | None:
        return self.layout.verdict

    @property
    def headroom_kept(self) -> Fraction:
        return Fraction(self.layout.kept.num, self.layout.kept.den)

    @property
    def shortfall_bytes(self) -> int:
        return self.layout.shortfall_bytes

    @property
    def must_bytes(self) -> int:
        return self.layout.must_bytes

    @property
    def comfort_bytes(self) -> int:
        return self.layout.comfort_bytes

    @property
    def frame(self) -> Frame:
        return self.layout.frame

    @property
    def identity(self) -> Identity:
        return self.layout.prepared.identity

    @property
    def starting(self) -> PlannedStart:
        """What goes over so that the machine starts (rule 14)."""
        return self.layout.starting

    @property
    def unallocated(self) -> tuple[Extent, ...]:
        """Extents in LBAs, half-open."""
        if self.layout.placed is None:
            return ()
        per_grain = self.frame.grain_sectors
        return tuple([Extent(gap.start * per_grain, gap.stop * per_grain) for gap in self.layout.placed.unallocated])

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        return find(self.source, self.target, self.layout, self.options)

    @cached_property
    def remedies(self) -> tuple[Remedy, ...]:
        return remedies_for(self.source, self.target, self.options, self.layout)

    def row(self, number: int) -> PlanRow:
        return next(row for row in self.rows if row.number == number)


def make_plan(source: Disk, target: Disk, options: Options) -> Plan:
    """Rules 2 to 8 for a checked ``source`` and ``target``.

    Raises BadOption or OutOfBounds where an option cannot be followed; a plan that does not fit is no error.
    """
    if options.in_place == "yes" and target != source:
        raise BadOption("only the source itself can be refitted in place", at="options.in_place", mend="say no")
    return plan_on(Prepared(source, options), target)


def plan_on(prepared: Prepared, target: Disk, fit: Fit | None = None, frame: Frame | None = None) -> Plan:
    """The plan of a prepared source on one target, under its fit or another; ``frame`` is the target's, if known."""
    options = prepared.options if fit is None or fit == prepared.options.fit else prepared.options.but(fit=fit)
    return Plan(prepared.source, target, options, prepared.on(frame or target, fit))
