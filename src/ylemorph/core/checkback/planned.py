"""What a finished disk is compared with: a plan reduced to what can be seen of it on the disk."""

from dataclasses import replace
from typing import NamedTuple

from ..disk.model import Flag, Kind, Role, StartCode
from ..disk.tables import PlannedTable
from ..fit.entries import planned_entries
from ..fit.plan import Plan, RowChange
from ..fit.starting import Identity
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
    uuid: str = ""  # its own on the source's GPT
    names_start: bool = False  # its boot sector names where it stands
    files: int | None = None  # files and folders that go over

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
    identity: Identity = "new"
    start: StartCode | None = None
    in_place: bool = False  # source and target are one disk


def planned_code(plan: Plan) -> StartCode | None:
    """The code that must stand before the first row; None where none must, or where it is not known.

    A loader whose numbers were set anew is told by them, and by what stands around them.
    """
    start, code = plan.starting, plan.source.start_code
    if not start.code or start.cut or code is None:
        return None
    moved = next((place for place in start.moved_loaders if place.was == code.loader_lba), None)
    return code if moved is None else replace(code, loader_lba=moved.now)


def planned_of(plan: Plan) -> Planned:
    """Raises BadOption for a plan that has no layout."""
    entries = {entry.row: entry for entry in planned_entries(plan) if entry.row is not None}
    naming = {moved.row.number for moved in plan.starting.named}
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
                row.source_uuid, row.number in naming, row.files,
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
        plan.identity,
        planned_code(plan),
        plan.options.in_place == "yes",
    )
