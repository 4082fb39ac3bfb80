"""A survey of a whole disk: its table from whichever copy is sound, then every partition's file system."""

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from ..core.disk import Disk, FileSystem, Partition, Survey, Table, TableNote, checked
from ..core.sizes import div_up
from .filesystems import read_filesystem
from .gpt import claims_gpt, find_gpt
from .mbr import find_mbr, is_hybrid, is_protective
from .medium import Medium, Part, Progress, Window, open_medium

SECTOR_TRIALS = (512, 4096)


class _Found(NamedTuple):
    sector: int
    table: Table
    table_id: str
    partitions: tuple[Partition, ...]
    notes: tuple[TableNote, ...]


def survey_path(path: str | Path, progress: Progress | None = None) -> Survey:
    """Survey an image file or block device. Raises YlemorphError with one sentence where it cannot be."""
    with open_medium(path) as medium:
        return survey_medium(medium, progress)


def survey_medium(medium: Medium, progress: Progress | None = None) -> Survey:
    window: Window = _Watched(medium, progress) if progress else medium
    found = _find_table(window, medium.sector)
    sectors = medium.size // found.sector
    fitted, cut = _cut_off(found.partitions, sectors)
    notes: tuple[TableNote, ...] = (*found.notes, "partition-cut-off") if cut else found.notes
    whole = read_filesystem(Part(window, 0, medium.size)) if found.table == "none" else None
    if progress:
        progress(0, sum(_weight(p, found.sector) for p in fitted))
    disk = Disk(
        sectors=sectors,
        logical_sector_bytes=found.sector,
        physical_sector_bytes=medium.physical,
        table=found.table,
        table_id=found.table_id,
        partitions=tuple(_with_filesystem(window, p, found.sector, cut=p.number in cut) for p in fitted),
        table_notes=notes,
        filesystem=whole,
    )
    return Survey(checked(disk), datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"))


class _Watched:
    """Counts what was read, for the progress of a long survey."""

    def __init__(self, medium: Medium, progress: Progress) -> None:
        self.size = medium.size
        self._medium = medium
        self._progress = progress
        self._done = 0

    def read(self, offset: int, length: int) -> bytes:
        data = self._medium.read(offset, length)
        self._done += length
        self._progress(self._done, 0)
        return data


def _weight(partition: Partition, sector: int) -> int:
    """About the bytes that a survey of it reads: its bitmap at 4 KiB clusters."""
    return div_up(partition.sectors * sector, 4096 * 8)


def _find_table(medium: Window, sector: int | None) -> _Found:
    """GPT before MBR; an image does not state its sector size, so each is tried."""
    trials = (sector,) if sector else SECTOR_TRIALS
    record = medium.read(0, 512)
    for size in trials:
        gpt = find_gpt(medium, size)
        if gpt is not None:
            notes = list(gpt.notes)
            if not is_protective(record):
                notes.append("no-protective-record")
            elif is_hybrid(record):
                notes.append("hybrid")
            return _Found(size, "gpt", gpt.disk_guid, gpt.partitions, tuple(notes))
    lost: tuple[TableNote, ...] = ("gpt-lost",) if any(claims_gpt(medium, size) for size in trials) else ()
    for size in _mbr_trials(medium, trials):
        mbr = find_mbr(medium, size)
        if mbr is not None and (mbr.partitions or _is_empty_table(medium, record)):
            return _Found(size, "mbr", mbr.table_id, mbr.partitions, mbr.notes + lost)
    return _Found(trials[0], "none", "", (), lost)


def _is_empty_table(medium: Window, record: bytes) -> bool:
    """A first sector without entries is a table only where no file system covers the whole disk."""
    return not is_protective(record) and read_filesystem(Part(medium, 0, medium.size)) is None


def _mbr_trials(medium: Window, trials: tuple[int, ...]) -> Iterator[int]:
    """An MBR says nothing of the sector size: take the one under which more partitions begin with a file system."""

    def begins(size: int) -> int:
        mbr = find_mbr(medium, size)
        rows = [p for p in mbr.partitions if not p.is_container] if mbr else []
        return sum(_starts_well(medium, p.first_lba * size) for p in rows)

    yield max(trials, key=lambda size: (begins(size), -size)) if len(trials) > 1 else trials[0]


def _starts_well(medium: Window, offset: int) -> bool:
    part = Part(medium, offset, min(131_072, medium.size - offset))
    return part.size >= 4096 and (
        part.read(510, 2) == b"\x55\xaa" or part.read(1080, 2) == b"\x53\xef" or part.read(0, 4) == b"XFSB"
    )


def _cut_off(partitions: tuple[Partition, ...], sectors: int) -> tuple[tuple[Partition, ...], frozenset[int]]:
    """Partitions as far as the disk has room for them, and the numbers of those that were cut; empty ones go."""
    fitted, cut = [], set()
    for partition in partitions:
        first, stop = partition.extent
        if 0 < first < sectors and stop > first:
            fitted.append(partition if stop <= sectors else partition.but(sectors=sectors - first))
        if stop > sectors:
            cut.add(partition.number)
    return tuple(fitted), frozenset(cut)


def _with_filesystem(medium: Window, partition: Partition, sector: int, *, cut: bool) -> Partition:
    if partition.is_container:
        return partition
    found: FileSystem | None = read_filesystem(Part(medium, partition.first_lba * sector, partition.sectors * sector))
    if found is not None and cut:
        found = found.but(state="damaged")
    return partition.but(filesystem=found)
