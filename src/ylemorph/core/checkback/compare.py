"""The comparison, row by row (rule 12). What a plan leaves open is no difference, nor is the rounding of a grain."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from ..disk.compare import same_disk
from ..disk.filesystems import KIND_NAMES
from ..disk.model import Disk, Flag, Partition, TableNote
from ..disk.tables import usable_range
from ..fit.finding_kinds import LEVELS, Size
from ..fit.starting import Identity
from ..found.matching import SHORT_LEAST, SHORT_PERCENT
from ..sizes import Extent, MiB, format_size
from .differences import Difference, DifferenceKey
from .planned import DiskSigns, Planned, PlannedRow
from .starting import code_unknown, row_start_differences, start_differences

KEPT_FLAGS: tuple[Flag, ...] = ("active", "required")
TABLE_NOTES: dict[TableNote, DifferenceKey] = {
    "backup-missing": "backup-missing",
    "backup-misplaced": "backup-misplaced",
    "copies-differ": "copies-differ",
    "primary-damaged": "copies-differ",
}


class Checked(NamedTuple):
    """What was found, the gravest first; by row, what stands for it. ``unknown``: what could not be compared."""

    differences: tuple[Difference, ...]
    unknown: tuple[str, ...]
    pairs: dict[int, Partition]
    another: str  # what tells that this is another disk than the job names; to be asked about, no difference
    compared: tuple[str, ...] = ()  # what was compared with the source itself, place by place

    @property
    def as_planned(self) -> bool:
        return all(difference.kind.level == "note" for difference in self.differences)


def check_back(planned: Planned, found: Disk) -> Checked:
    """Everything that is otherwise on ``found`` than ``planned``."""
    comparison = _Comparison(planned, found)
    return Checked(
        ordered(comparison.all()), tuple(comparison.unknown()), comparison.pairs, _another(planned.target, found)
    )


def ordered(differences: Iterable[Difference]) -> tuple[Difference, ...]:
    """The gravest first."""
    return tuple(sorted(differences, key=lambda one: LEVELS.index(one.kind.level)))


def _another(target: DiskSigns, found: Disk) -> str:
    if target.serial and found.serial and target.serial != found.serial:
        return f"The disk has the serial {found.serial}, the job's target {target.serial}."
    return ""


@dataclass(frozen=True)
class _Comparison:
    planned: Planned
    found: Disk

    @property
    def sector(self) -> int:
        return self.planned.sector_bytes

    @cached_property
    def pairs(self) -> dict[int, Partition]:
        """What stands for each row: at its start, else under its number, else the next of its kind and size."""
        left = list(self.found.rows)
        paired: dict[int, Partition] = {}

        def take(row: PlannedRow, partition: Partition) -> None:
            paired[row.number] = partition
            left.remove(partition)

        for test in (_at_its_start, _under_its_number, _alike):
            for row in self.planned.rows:
                if row.number not in paired:
                    match = next((partition for partition in left if test(row, partition, self.sector)), None)
                    if match is not None:
                        take(row, match)
        return paired

    def all(self) -> Iterator[Difference]:
        planned, found = self.planned, self.found
        same = _the_source(planned.source, found, planned.identity)
        if same and not planned.in_place:
            yield Difference("source-again", None, (same,))
            return
        wanted = planned.sectors * planned.sector_bytes
        if found.size_bytes != wanted:
            figures = (Size(found.size_bytes), Size(wanted))
            yield Difference("wrong-size-disk", None, figures, {"bytes": wanted}, {"bytes": found.size_bytes})
            return
        if found.table != planned.table:
            key: DifferenceKey = "no-table" if found.table == "none" else "table-kind"
            names = (planned.table.upper(),) if key == "no-table" else (found.table.upper(), planned.table.upper())
            yield Difference(key, None, names, {"table": planned.table}, {"table": found.table})
            return
        yield from self._of_the_table()
        for row in planned.rows:
            partition = self.pairs.get(row.number)
            yield from self._missing(row) if partition is None else self._of_a_row(row, partition)
        yield from self._unexpected()
        yield from self._idle()
        yield from self._old_marks()

    def _old_marks(self) -> Iterator[Difference]:
        """What stood there before and was not blanked (rule 16.6)."""
        names = {id(partition): number for number, partition in self.pairs.items()}
        numbers = {partition.number: names.get(id(partition)) for partition in self.found.rows}
        rows = {row.number: row for row in self.planned.rows}
        for mark in self.found.old_marks:
            number = numbers.get(mark.row) if mark.row is not None else None
            name = rows[number].name if number is not None else "no row"
            yield Difference("old-mark", number, (name, mark.what, mark.byte), {}, {"byte": mark.byte})
        for row in self.planned.rows:
            partition = self.pairs.get(row.number)
            fs = partition.filesystem if partition else None
            if row.role == "reserved" and row.kind == "unknown" and fs is not None and fs.kind != "unknown":
                yield Difference("old-contents", row.number, (row.name, KIND_NAMES[fs.kind]), {}, {"kind": fs.kind})

    def _of_the_table(self) -> Iterator[Difference]:
        source, found = self.planned.source, self.found
        if self.planned.table == "gpt":
            for key in dict.fromkeys(TABLE_NOTES[note] for note in found.table_notes if note in TABLE_NOTES):
                yield Difference(key, None)
        yield from start_differences(self.planned, found)
        if not source.table_id or not found.table_id:
            return
        equal, keeps = source.table_id.upper() == found.table_id.upper(), self.planned.identity == "keep"
        if equal and not keeps:
            yield Difference("identity-equal", None, (found.table_id,), {}, {"table_id": found.table_id})
        elif keeps and not equal:
            both = ({"table_id": source.table_id}, {"table_id": found.table_id})
            yield Difference("identity-lost", None, (found.table_id, source.table_id), *both)

    def _missing(self, row: PlannedRow) -> Iterator[Difference]:
        others = [other for other in self.planned.rows if other.number in self.pairs]
        last = bool(others) and row.extent.start > max(other.extent.start for other in others)
        place = {"first_lba": row.extent.start, "sectors": row.extent.length}
        yield Difference("last-row-missing" if last else "row-missing", row.number, (row.name, row.extent.start), place)

    def _of_a_row(self, row: PlannedRow, partition: Partition) -> Iterator[Difference]:
        yield from self._place(row, partition)
        if row.type and partition.type != row.type:
            both = ({"type": row.type}, {"type": partition.type})
            yield Difference("type-off", row.number, (row.name, partition.type, row.type), *both)
        for flag in KEPT_FLAGS:
            if flag in row.flags and flag not in partition.flags:
                yield Difference("flag-off", row.number, (row.name, flag), {"flag": flag}, {"flag": None})
        yield from row_start_differences(self.planned, row, partition)
        yield from self._contents(row, partition)

    def _place(self, row: PlannedRow, partition: Partition) -> Iterator[Difference]:
        start, wanted = partition.first_lba, row.extent.start
        both = (
            {"first_lba": wanted, "sectors": row.extent.length},
            {"first_lba": start, "sectors": partition.sectors},
        )
        shifted = start != wanted
        if shifted:
            grain = self.planned.grain_bytes
            on = start * self.sector % grain == 0
            figures = (row.name, start, wanted, format_size(grain))
            yield Difference("start-off" if on else "off-grain", row.number, figures, *both)
        same_end = shifted and start + partition.sectors == row.extent.stop  # only its start was moved
        if partition.sectors == row.extent.length or same_end:
            return
        size, planned = partition.sectors * self.sector, row.extent.length * self.sector
        key: DifferenceKey
        if size < planned:
            near = abs(size - row.source_bytes) < max(self.planned.grain_bytes, MiB)
            key = "old-size" if row.change == "grows" and near else "smaller"
        else:
            key = "grown" if self._was_free(partition) else "larger"
        yield Difference(key, row.number, (row.name, Size(size), Size(planned)), *both)

    def _was_free(self, partition: Partition) -> bool:
        """Whether all that a row has gained was to stay unallocated."""
        return all(
            row.extent.start >= partition.extent.stop or row.extent.stop <= partition.first_lba
            for row in self.planned.rows
            if self.pairs.get(row.number) is not partition
        )

    def _contents(self, row: PlannedRow, partition: Partition) -> Iterator[Difference]:
        fs, size = partition.filesystem, partition.sectors * self.sector
        if not self._knows_contents or row.role == "reserved" or row.kind == "unknown":
            return
        if fs is None or fs.kind != row.kind:
            what = KIND_NAMES[fs.kind] if fs is not None and fs.kind != "unknown" else "no known file system"
            figures = (row.name, what, KIND_NAMES[row.kind])
            yield Difference("kind-off", row.number, figures, {"kind": row.kind}, {"kind": fs.kind if fs else None})
            return
        if fs.state in ("damaged", "hibernated"):
            yield Difference("damaged", row.number, (row.name, fs.state), {}, {"state": fs.state})
        elif fs.state == "dirty":
            yield Difference("dirty", row.number, (row.name,), {}, {"state": fs.state})
        yield from self._extent_of(row, fs.size_bytes, size)
        if row.change != "made" and row.held_bytes is not None and fs.used_bytes is not None:
            least = row.held_bytes * SHORT_PERCENT // 100 - SHORT_LEAST
            if fs.used_bytes < least:
                sizes = (row.name, Size(fs.used_bytes), Size(row.held_bytes))
                was, is_now = {"used_bytes": row.held_bytes}, {"used_bytes": fs.used_bytes}
                yield Difference("contents-short", row.number, sizes, was, is_now)
                return
        if row.files is not None and fs.files is not None and fs.files < row.files:
            both = ({"files": row.files}, {"files": fs.files})
            yield Difference("files-fewer", row.number, (row.name, fs.files, row.files), *both)

    def _extent_of(self, row: PlannedRow, fs_bytes: int | None, size: int) -> Iterator[Difference]:
        """File system against partition; one that came along shorter than its partition is as it was."""
        if fs_bytes is None:
            return
        both = ({"bytes": size}, {"bytes": fs_bytes})
        figures = (row.name, Size(fs_bytes), Size(size))
        if fs_bytes > size:
            yield Difference("cut-off", row.number, figures, *both)
        elif size - fs_bytes > max(self.planned.grain_bytes, MiB):
            came_so = row.change == "holds" and row.source_fs_bytes is not None and fs_bytes >= row.source_fs_bytes
            if not came_so:
                yield Difference("not-extended", row.number, figures, *both)

    @cached_property
    def _knows_contents(self) -> bool:
        """A listing may say nothing of any file system."""
        return any(partition.filesystem is not None for partition in self.found.rows)

    def _unexpected(self) -> Iterator[Difference]:
        known = {id(partition) for partition in self.pairs.values()}
        for partition in self.found.rows:
            if id(partition) not in known:
                place = {"first_lba": partition.first_lba, "sectors": partition.sectors}
                figures = (partition.first_lba, Size(partition.sectors * self.sector))
                yield Difference("row-unexpected", None, figures, {}, place)

    def _idle(self) -> Iterator[Difference]:
        """Gaps that neither the plan nor a row that is missing or late explains, and that are more than a grain's
        rounding."""
        explained = [*self.planned.unallocated]
        for row in self.planned.rows:
            partition = self.pairs.get(row.number)
            late = row.extent.stop if partition is None else min(row.extent.stop, partition.first_lba)
            if late > row.extent.start:
                explained.append(Extent(row.extent.start, late))
        least = max(self.planned.grain_bytes, MiB)
        for gap in self._gaps():
            rest = [gap]
            for other in explained:
                rest = [part for piece in rest for part in _without(piece, other)]
            idle = max(rest, key=lambda piece: piece.length, default=None)
            if idle is not None and idle.length * self.sector > least:
                place = {"first_lba": idle.start, "sectors": idle.length}
                yield Difference("idle-space", None, (Size(idle.length * self.sector), idle.start), {}, place)

    def _gaps(self) -> Iterator[Extent]:
        """What stands unallocated; the record of a logical takes the grain before it (rule 2.3)."""
        first, last = usable_range(self.found.sectors, self.found.logical_sector_bytes, self.planned.table)
        at, record = first, self.planned.grain_bytes // self.sector
        for partition in sorted(self.found.rows, key=lambda p: p.first_lba):
            stop = partition.first_lba - record * partition.logical
            if stop > at:
                yield Extent(at, stop)
            at = max(at, partition.extent.stop)
        if at <= last:
            yield Extent(at, last + 1)

    def unknown(self) -> Iterator[str]:
        if self.found.table == "none" or self.found.size_bytes != self.planned.sectors * self.sector:
            return
        yield from code_unknown(self.planned, self.found)
        if not self._knows_contents and self.pairs:
            yield "What the partitions hold is not known: read the disk itself to compare that too."
            return
        for row in self.planned.rows:
            partition = self.pairs.get(row.number)
            fs = partition.filesystem if partition else None
            known = fs is None or fs.kind != row.kind or fs.used_bytes is not None
            if not known and row.change != "made" and row.held_bytes is not None:
                yield f"How much {row.name} holds is not known."


def _without(piece: Extent, other: Extent) -> list[Extent]:
    """What is left of a stretch without another."""
    parts = (Extent(piece.start, min(piece.stop, other.start)), Extent(max(piece.start, other.stop), piece.stop))
    return [part for part in parts if part.start < part.stop]


def _at_its_start(row: PlannedRow, partition: Partition, _sector: int) -> bool:
    return partition.first_lba == row.extent.start


def _under_its_number(row: PlannedRow, partition: Partition, _sector: int) -> bool:
    return partition.number == row.entry and partition.type == row.type and _kinds_agree(row, partition)


def _alike(row: PlannedRow, partition: Partition, sector: int) -> bool:
    return partition.type == row.type and _kinds_agree(row, partition) and _near(row, partition, sector)


def _kinds_agree(row: PlannedRow, partition: Partition) -> bool:
    return partition.filesystem is None or row.kind in ("unknown", partition.filesystem.kind)


def _near(row: PlannedRow, partition: Partition, sector: int) -> bool:
    """About the planned or the old size: within a tenth."""
    return any(abs(partition.sectors - size) * 10 <= size for size in (row.extent.length, row.source_bytes // sector))


def _the_source(source: DiskSigns, found: Disk, identity: Identity) -> str:
    """What tells that this is the source; two serials that differ tell that it is not, whatever identity was copied.

    Where the identity is kept, it tells nothing.
    """
    if not source.size_bytes or (source.serial and found.serial and source.serial != found.serial):
        return ""
    return same_disk(_as_disk(source if identity == "new" else source._replace(table_id="")), found)


def _as_disk(signs: DiskSigns) -> Disk:
    return Disk(signs.size_bytes // 512, model=signs.model, serial=signs.serial, table_id=signs.table_id)
