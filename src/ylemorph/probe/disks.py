"""A survey of a whole disk: its table from whichever copy is sound, then every partition's file system."""

import struct
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from ..core.disk.check import checked
from ..core.disk.model import Disk, FileSystem, Partition, Survey, Table, TableNote
from ..core.disk.starting import EFI_TYPES
from ..core.sizes import div_up
from .fat_files import find_file
from .filesystems import read_filesystem, recognised
from .gpt import claims_gpt, find_gpt
from .mbr import find_mbr, guarded_stop, is_hybrid, is_protective
from .media.medium import Medium, Part, Progress, Unsound, Window
from .media.opening import open_medium
from .media.rates import measured
from .named import UNKNOWN, array_of, is_blank
from .old_marks import find_old_marks
from .signatures import md_at_end
from .start_code import read_start_code
from .start_data import read_start_data

SECTOR_TRIALS = (512, 4096)
MACHINES = ("X64", "IA32", "AA64")
# Types whose partitions belong to something larger: what begins in them is only a piece (Microsoft's list of types).
TYPES_NOT_READ = {
    "5808C8AA-7E8F-42E0-85D2-E1E90434CFB3": "Windows dynamic disk",
    "0x42": "Windows dynamic disk",
    "AF9B60A0-1431-4F62-BC68-3311714A69AD": "Windows dynamic disk",
    "E75CAF8F-F680-4CEE-AFA3-B001E56EFC2D": "Windows storage pool member",
}


class _Found(NamedTuple):
    sector: int
    table: Table
    table_id: str
    partitions: tuple[Partition, ...]
    notes: tuple[TableNote, ...]
    whole: FileSystem | None = None  # what stands on a disk without partitions


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
    fitted, overlap = _apart(window, fitted, found.sector)
    if overlap:
        notes = (*notes, "partitions-overlap")
    if found.partitions and (array_of(medium) or md_at_end(medium)):
        notes = (*notes, "array-member")
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
        filesystem=found.whole,
        start_code=read_start_code(window, found.sector, found.table, fitted) if found.partitions else None,
    )
    disk = disk.but(old_marks=find_old_marks(medium, disk), read_rates=measured(medium, disk))
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
        gpt = find_gpt(medium, size, guarded_stop(record))
        if gpt is not None:
            notes = list(gpt.notes)
            if not is_protective(record):
                notes.append("no-protective-record")
            elif is_hybrid(record):
                notes.append("hybrid")
            rest = None if gpt.partitions else _beside_table(medium, 34 * size, medium.size - 33 * size)
            return _Found(size, "gpt", gpt.disk_guid, gpt.partitions, tuple(notes), rest)
    mbr = None
    claims = is_protective(record) or any(claims_gpt(medium, size) for size in trials)
    lost: tuple[TableNote, ...] = ("gpt-lost",) if claims else ()
    for size in _mbr_trials(medium, trials):
        mbr = find_mbr(medium, size)
        if mbr is not None and mbr.partitions:
            return _Found(size, "mbr", mbr.table_id, mbr.partitions, mbr.notes + lost)
    whole = recognised(Part(medium, 0, medium.size))
    if whole is None and mbr is not None and not is_protective(record):
        # A first sector without entries is a table only where no file system covers the whole disk.
        return _Found(trials[0], "mbr", mbr.table_id, (), mbr.notes + lost, _beside_table(medium, 512, medium.size))
    if whole is None and not is_blank(Part(medium, 0, medium.size)):
        whole = FileSystem("unknown", detail=UNKNOWN)
    return _Found(trials[0], "none", "", (), lost, whole)


def _beside_table(medium: Window, start: int, stop: int) -> FileSystem | None:
    """What a disk holds whose table has no entries: nothing only where the edges beside the table are zero."""
    known = recognised(Part(medium, 0, medium.size))
    if known is not None or is_blank(medium, start, stop):
        return known
    return FileSystem("unknown", detail=UNKNOWN)


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


def _apart(medium: Window, partitions: tuple[Partition, ...], sector: int) -> tuple[tuple[Partition, ...], bool]:
    """Partitions that do not overlap, and whether some did: of two, the one in which a file system begins is kept, else
    the first. A logical that leaves its extended partition goes too."""
    kept: list[Partition] = []
    container = next((p for p in partitions if p.is_container), None)
    for partition in sorted((p for p in partitions if not p.is_container), key=lambda p: p.first_lba):
        if container is not None and partition.logical != _is_within(partition, container):
            continue
        before = kept[-1] if kept else None
        if before is None or partition.first_lba >= before.extent.stop:
            kept.append(partition)
        elif _begins(medium, partition, sector) and not _begins(medium, before, sector):
            kept[-1] = partition
    alone = {id(partition) for partition in kept} | {id(container)}
    fitted = tuple(partition for partition in partitions if id(partition) in alone)
    return fitted, len(fitted) < len(partitions)


def _is_within(partition: Partition, container: Partition) -> bool:
    """Whether any of it stands inside, of a logical all of it."""
    first, stop = container.extent
    if partition.logical:
        return first <= partition.first_lba and partition.extent.stop <= stop
    return partition.first_lba < stop and first < partition.extent.stop


def _begins(medium: Window, partition: Partition, sector: int) -> bool:
    return _starts_well(medium, partition.first_lba * sector)


def _has_fallback(part: Window, found: FileSystem) -> bool | None:
    """Whether the loader is there that firmware takes where it knows of no other (UEFI specification, "Removable
    Media Boot Behavior"); None where the row cannot be followed."""
    if found.kind not in ("fat16", "fat32") or found.state == "damaged":
        return None
    try:
        return any(find_file(part, ("EFI", "BOOT", f"BOOT{machine}.EFI")) for machine in MACHINES)
    except (Unsound, struct.error, IndexError):
        return None


def _with_start_data(part: Window, partition: Partition, found: FileSystem) -> FileSystem:
    """Start data stand in the EFI start row, or in the active one."""
    efi = partition.type in EFI_TYPES
    if not efi and "active" not in partition.flags:
        return found
    table: Table = "mbr" if partition.type.startswith("0x") else "gpt"
    return found.but(start_data=read_start_data(part, found.kind, table, efi=efi))


def _with_filesystem(medium: Window, partition: Partition, sector: int, *, cut: bool) -> Partition:
    if partition.is_container:
        return partition
    if partition.type in TYPES_NOT_READ:
        return partition.but(filesystem=FileSystem("unknown", detail=TYPES_NOT_READ[partition.type]))
    part = Part(medium, partition.first_lba * sector, partition.sectors * sector)
    found = read_filesystem(part)
    if found is not None and cut:
        found = found.but(state="damaged")
    if found is not None and partition.type in EFI_TYPES:
        found = found.but(fallback_loader=_has_fallback(part, found))
    if found is not None and found.kind in ("fat16", "fat32", "ntfs") and found.state != "damaged":
        found = _with_start_data(part, partition, found)
    return partition.but(filesystem=found)
