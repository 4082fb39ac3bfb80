"""Usable range of a disk under a table (rule 2), and what may be changed into what (rule 7.4)."""

from typing import Literal, NamedTuple

from .disk import Disk, Table
from .errors import BadOption
from .options import Options
from .sizes import Bytes, Extent, Grains, Sectors, div_up, format_size

PlannedTable = Literal["gpt", "mbr"]

GPT_ENTRIES = 128
GPT_ENTRY_BYTES = 128
MBR_SECTORS = 2**32
MBR_ENTRIES = 4


class Frame(NamedTuple):
    """What of the target can hold rows. LBAs are inclusive; ``first`` and ``end`` bound the whole grains, half-open."""

    sectors: Sectors
    logical_sector_bytes: int
    table: PlannedTable
    first_usable_lba: int
    last_usable_lba: int
    unreachable_bytes: Bytes
    grain_bytes: Bytes
    first: Grains
    end: Grains
    tail: Grains

    @property
    def usable_bytes(self) -> int:
        return (self.end - self.first) * self.grain_bytes

    @property
    def grain_sectors(self) -> int:
        return self.grain_bytes // self.logical_sector_bytes


def planned_table(source: Table, options: Options) -> PlannedTable:
    """The target's table: the source's, unless another is wished; GPT where the source has none."""
    if options.table != "keep":
        return options.table
    return "mbr" if source == "mbr" else "gpt"


def usable_range(sectors: int, sector_bytes: int, table: PlannedTable) -> tuple[int, int]:
    """First and last usable LBA, both inclusive (rules 2.1 and 2.2; UEFI specification, GPT and legacy MBR)."""
    if table == "mbr":
        return 1, min(sectors, MBR_SECTORS) - 1
    entries = div_up(GPT_ENTRIES * GPT_ENTRY_BYTES, sector_bytes)
    return 2 + entries, sectors - 2 - entries


def gaps_of(disk: Disk, grain: Bytes) -> tuple[Extent, ...]:
    """What stands unallocated on a surveyed disk, in LBAs, half-open; stretches under one grain are not counted."""
    if disk.table == "none":
        return (Extent(0, disk.sectors),)
    first, last = usable_range(disk.sectors, disk.logical_sector_bytes, disk.table)
    edges = [first, *(lba for p in disk.rows for lba in p.extent), max(first, last + 1)]
    gaps = (Extent(start, stop) for start, stop in zip(edges[::2], edges[1::2], strict=True))
    return tuple(gap for gap in gaps if gap.length * disk.logical_sector_bytes > grain)


def frame_of(target: Disk, table: PlannedTable, options: Options) -> Frame:
    """Rules 2.1 to 2.5. Raises BadOption where the grain does not suit the target or the tail is larger than it."""
    grain, sector = options.grain_bytes, target.logical_sector_bytes
    physical = max(sector, target.physical_sector_bytes or sector)
    if grain <= 0 or grain % physical:
        raise BadOption(
            f"the grain of {grain} bytes is not a multiple of the target's {physical}-byte physical sector",
            at="options.grain",
            mend="use 1MiB",
        )
    first_lba, last_lba = usable_range(target.sectors, sector, table)
    first = div_up(first_lba * sector, grain)
    end = max(first, (last_lba + 1) * sector // grain)
    usable = (end - first) * grain
    tail = div_up(options.tail_bytes + div_up(usable * options.tail_hundredths, 100_00), grain)
    if tail > end - first:
        raise BadOption(
            f"the tail reserve is larger than the target's usable {format_size(usable)}",
            at="options.tail",
            mend="hold less in reserve",
        )
    return Frame(
        sectors=Sectors(target.sectors),
        logical_sector_bytes=sector,
        table=table,
        first_usable_lba=first_lba,
        last_usable_lba=last_lba,
        unreachable_bytes=Bytes(max(0, target.sectors - MBR_SECTORS) * sector if table == "mbr" else 0),
        grain_bytes=grain,
        first=Grains(first),
        end=Grains(end),
        tail=Grains(tail),
    )
