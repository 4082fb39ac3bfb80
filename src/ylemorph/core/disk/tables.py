"""Usable range of a disk under a table (rule 2)."""

from typing import Literal

from ..sizes import Bytes, Extent, div_up
from .model import Disk

PlannedTable = Literal["gpt", "mbr"]

GPT_ENTRIES = 128
GPT_ENTRY_BYTES = 128
MBR_SECTORS = 2**32
MBR_ENTRIES = 4


def usable_range(sectors: int, sector_bytes: int, table: PlannedTable) -> tuple[int, int]:
    """First and last usable LBA, both inclusive (rules 2.1 and 2.2; UEFI specification, GPT and legacy MBR)."""
    if table == "mbr":
        return 1, min(sectors, MBR_SECTORS) - 1
    entries = div_up(GPT_ENTRIES * GPT_ENTRY_BYTES, sector_bytes)
    return 2 + entries, sectors - 2 - entries


def unreachable_bytes(sectors: int, sector_bytes: int, table: str) -> Bytes:
    """What of a disk lies past the last sector that its table can name (rule 2.2); 0 under GPT."""
    return Bytes(max(0, sectors - MBR_SECTORS) * sector_bytes if table == "mbr" else 0)


def gaps_of(disk: Disk, grain: Bytes) -> tuple[Extent, ...]:
    """What stands unallocated on a surveyed disk, in LBAs, half-open; stretches under one grain are not counted."""
    if disk.table == "none":
        return (Extent(0, disk.sectors),)
    first, last = usable_range(disk.sectors, disk.logical_sector_bytes, disk.table)
    edges = [first, *(lba for p in disk.rows for lba in p.extent), max(first, last + 1)]
    gaps = (Extent(start, stop) for start, stop in zip(edges[::2], edges[1::2], strict=True))
    return tuple(gap for gap in gaps if gap.length * disk.logical_sector_bytes > grain)
