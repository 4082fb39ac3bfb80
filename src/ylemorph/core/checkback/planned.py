"""What a finished disk is compared with: a plan reduced to what can be seen of it on the disk."""

from typing import NamedTuple

from ..disk.model import Flag, Kind, Role
from ..disk.tables import PlannedTable
from ..fit.entries import planned_entries
from ..fit.plan import Plan, RowChange
from ..sizes import Extent


class DiskSigns(NamedTuple):
    """What a disk is told by; empty or 0 where it is not known."""

    model: str = ""
    serial: str = ""
    table_id: str = ""
    size_bytes: int = 0


class PlannedRow(NamedTuple):
    """A row as it must stand. Sizes in bytes, None where they are not known; LBAs of the target."""

    number: int
    label: str
    role: Role
    kind: Kind
    change: RowChange
    extent: Extent
    entry: int  # its number in the target's table
    type: str
    flags: frozenset[Flag]
    source_bytes: int
    source_fs_bytes: int | None
    held_bytes: int | None  # what goes over of it

    @property
    def name(self) -> str:
        return f"{self.label.split(' ', 1)[-1]} ({self.number})"


class Planned(NamedTuple):
    """``rows`` in the order of their places; ``unallocated`` in LBAs."""

    rows: tuple[PlannedRow, ...]
    table: PlannedTable
    sectors: int
    sector_bytes: int
    grain_bytes: int
    unallocated: tuple[Extent, ...]
    source: DiskSigns
    target: DiskSigns


def planned_of(plan: Plan) -> Planned:
    """Raises BadOption for a plan that has no layout."""
    entries = {entry.row: entry for entry in planned_entries(plan) if entry.row is not None}
    rows = []
    for row in plan.rows:
        entry = entries.get(row.number)
        if entry is None:
            continue
        fs = row.row.fs
        rows.append(
            PlannedRow(
                row.number, row.label, row.role, row.kind, row.change,
                Extent(entry.first_lba, entry.first_lba + entry.sectors), entry.number, entry.type, entry.flags,
                row.source_bytes, None if fs is None else fs.size_bytes,
                row.row.floors.carried_bytes if row.row.floors is not None else row.used_bytes,
            )
        )  # fmt: skip
    return Planned(
        tuple(sorted(rows, key=lambda row: row.extent)),
        plan.frame.table,
        plan.frame.sectors,
        plan.frame.logical_sector_bytes,
        plan.frame.grain_bytes,
        plan.unallocated,
        DiskSigns(plan.source.model, plan.source.serial, plan.source.table_id, plan.source.size_bytes),
        DiskSigns(plan.target.model, plan.target.serial, plan.target.table_id, plan.target.size_bytes),
    )
