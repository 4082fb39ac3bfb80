"""What of the target can hold rows under the planned table (rules 2 and 7.4)."""

from functools import lru_cache
from typing import NamedTuple

from ..disk.model import Disk, Table
from ..disk.tables import PlannedTable, unreachable_bytes, usable_range
from ..errors import BadOption
from ..sizes import Bytes, Grains, Sectors, div_up, format_size
from .options import Options, Tail


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


def frame_of(target: Disk, table: PlannedTable, options: Options) -> Frame:
    """Rules 2.1 to 2.5. Raises BadOption where the grain does not suit the target or the tail is larger than it."""
    sector = target.logical_sector_bytes
    physical = target.physical_sector_bytes or sector
    return _frame(target.sectors, sector, max(sector, physical), table, options.grain_bytes, options.tail)


@lru_cache(maxsize=1024)
def _frame(sectors: int, sector: int, physical: int, table: PlannedTable, grain: Bytes, reserve: Tail) -> Frame:
    """Many plans are made for few sizes, so a frame is worked out once for each."""
    if grain <= 0 or grain % physical:
        raise BadOption(
            f"the grain of {grain} bytes is not a multiple of the target's {physical}-byte physical sector",
            at="options.grain",
            mend="use 1MiB",
        )
    first_lba, last_lba = usable_range(sectors, sector, table)
    first = div_up(first_lba * sector, grain)
    end = max(first, (last_lba + 1) * sector // grain)
    usable = (end - first) * grain
    tail = div_up(reserve.bytes + div_up(usable * reserve.hundredths, 100_00), grain)
    if tail > end - first:
        raise BadOption(
            f"the tail reserve is larger than the target's usable {format_size(usable)}",
            at="options.tail",
            mend="hold less in reserve",
        )
    return Frame(
        sectors=Sectors(sectors),
        logical_sector_bytes=sector,
        table=table,
        first_usable_lba=first_lba,
        last_usable_lba=last_lba,
        unreachable_bytes=unreachable_bytes(sectors, sector, table),
        grain_bytes=grain,
        first=Grains(first),
        end=Grains(end),
        tail=Grains(tail),
    )
