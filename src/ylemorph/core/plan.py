"""The one way from a pair of disks to a plan. Same input, same plan, to the byte."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal, NamedTuple

from .disk import Disk, Kind, Role
from .findings import Finding, find
from .floors import Floors
from .layout import Layout, Verdict, lay_out
from .options import Fit, Options
from .remedies import Remedy, remedies_for
from .rows import Row
from .sizes import Extent
from .tables import Frame

Change = Literal["shrinks", "grows", "holds", "left", "made"]


class PlanRow(NamedTuple):
    """What becomes of one partition, sizes in bytes; target figures are None where it is left or nothing fits."""

    number: int
    label: str
    role: Role
    kind: Kind
    logical: bool
    carried: bool
    elastic: bool
    pinned: bool
    resizable: bool
    change: Change
    source_bytes: int
    used_bytes: int | None
    floors: Floors | None
    hard_floor_bytes: int | None
    comfort_floor_bytes: int | None
    ceiling_bytes: int | None
    first_lba: int | None
    sectors: int | None
    size_bytes: int | None
    free_after_bytes: int | None


@dataclass(frozen=True, slots=True)
class Plan:
    """How the source's rows stand on the target. ``unallocated`` holds extents in LBAs, half-open."""

    fit: Fit
    verdict: Verdict
    headroom_kept: Fraction
    shortfall_bytes: int
    must_bytes: int
    comfort_bytes: int
    frame: Frame
    rows: tuple[PlanRow, ...]
    unallocated: tuple[Extent, ...]
    findings: tuple[Finding, ...]
    remedies: tuple[Remedy, ...]

    def row(self, number: int) -> PlanRow:
        return next(row for row in self.rows if row.number == number)


def make_plan(source: Disk, target: Disk, options: Options) -> Plan:
    """Rules 2 to 8 for a checked ``source`` and ``target``.

    Raises BadOption or OutOfBounds where an option cannot be followed; a plan that does not fit is no error.
    """
    layout = lay_out(source, target, options)
    return Plan(
        fit=options.fit,
        verdict=layout.verdict,
        headroom_kept=Fraction(layout.kept.num, layout.kept.den),
        shortfall_bytes=layout.shortfall_bytes,
        must_bytes=layout.must_bytes,
        comfort_bytes=layout.comfort_bytes,
        frame=layout.frame,
        rows=_plan_rows(layout),
        unallocated=_unallocated(layout),
        findings=find(source, target, layout),
        remedies=remedies_for(source, target, options, layout),
    )


def _unallocated(layout: Layout) -> tuple[Extent, ...]:
    if layout.placed is None:
        return ()
    per_grain = layout.frame.grain_sectors
    return tuple([Extent(gap.start * per_grain, gap.stop * per_grain) for gap in layout.placed.unallocated])


def _plan_rows(layout: Layout) -> tuple[PlanRow, ...]:
    extents = (
        dict(zip((row.number for row in layout.carried), layout.placed.rows, strict=True)) if layout.placed else {}
    )
    return tuple([_plan_row(row, extents.get(row.number), layout.frame) for row in layout.rows])


def _plan_row(row: Row, extent: Extent | None, frame: Frame) -> PlanRow:
    grain, floors = frame.grain_bytes, row.floors
    first = sectors = size = free = hard = comfort = ceiling = used = None
    partition, fs = row.partition, row.fs
    if fs is not None:
        used = fs.used_bytes
    if extent is not None:
        first, sectors = extent.start * frame.grain_sectors, extent.length * frame.grain_sectors
        size = extent.length * grain
        if row.ability.made_new:
            free = None
        elif floors is not None:
            free = size - floors.carried_bytes
        elif used is not None:
            free = size - used
    if row.elastic and floors is not None:
        hard, comfort, ceiling = floors.hard * grain, floors.comfort * grain, row.ceiling * grain
    return PlanRow(
        row.number,
        row.label,
        row.role,
        fs.kind if fs is not None else "fat32" if partition is None and row.role == "start" else "unknown",
        row.logical,
        row.carried,
        row.elastic,
        row.pin is not None,
        row.ability.smaller or row.ability.larger,
        _change(row, extent),
        row.source_bytes,
        used,
        floors,
        hard,
        comfort,
        ceiling,
        first,
        sectors,
        size,
        free,
    )


def _change(row: Row, extent: Extent | None) -> Change:
    if not row.carried:
        return "left"
    if row.ability.made_new:
        return "made"
    if extent is None or extent.length == row.base:
        return "holds"
    return "grows" if extent.length > row.base else "shrinks"
