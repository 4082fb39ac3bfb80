"""What a legacy start runs before any file system: code in the first sector, and what stands behind it.

Bytes 0 to 439 of the first sector are code, then come signature and table (UEFI specification, "Legacy Master Boot
Record"). What stands between that sector and the first row is nobody's but a loader's (common practice, no source).
"""

import hashlib
from collections.abc import Iterable

from ..core.disk.model import NO_CODE, Partition, StartCode, Table
from ..core.disk.roles import BIOS_BOOT
from .medium import Window

CODE_BYTES = 440
# A row starts here at the latest on a disk whose first rows were not taken out; further on lies what they left.
MOST_REACH_BYTES = 1 << 20
# Sector numbers of a loader that stands in a BIOS boot row: in the first sector, and in the row's own first sector,
# where they begin the list of the rest (as widely used loaders have it; no published source).
LOADER_AT, LIST_AT = slice(0x5C, 0x64), slice(0x1F4, 0x1FC)


def read_start_code(medium: Window, sector: int, table: Table, partitions: Iterable[Partition]) -> StartCode:
    """The code and how far it reaches in sectors; on a GPT the first sector alone, since its table stands behind it.

    Raises Unsound where the disk is too short to have a first sector.
    """
    code = medium.read(0, CODE_BYTES)
    if not any(code):
        return NO_CODE
    if table == "gpt":
        return _with_loader(medium, sector, code, partitions)
    behind = b""
    if table == "mbr":
        first = min([partition.first_lba for partition in partitions], default=0) * sector
        stop = min(first, MOST_REACH_BYTES, medium.size)
        behind = medium.read(sector, max(0, stop - sector)).rstrip(b"\0")
        behind += bytes(-len(behind) % sector)
    return StartCode(1 + len(behind) // sector, _sum(code + behind))


def code_pieces(medium: Window, sector: int, reach: int) -> list[tuple[int, bytes]]:
    """The code of a disk as (byte offset, bytes), ``reach`` sectors from the first on."""
    pieces = [(0, medium.read(0, CODE_BYTES))]
    return [*pieces, (sector, medium.read(sector, (reach - 1) * sector))] if reach > 1 else pieces


def _with_loader(medium: Window, sector: int, code: bytes, partitions: Iterable[Partition]) -> StartCode:
    """A loader in a row of its own: the first sector names the row's, and that one's list the sector behind it."""
    found = StartCode(1, _sum(code))
    for row in partitions:
        if row.type != BIOS_BOOT or int.from_bytes(code[LOADER_AT], "little") != row.first_lba:
            continue
        own = medium.read(row.first_lba * sector, 512)
        if int.from_bytes(own[LIST_AT], "little") == row.first_lba + 1:
            rest = code[: LOADER_AT.start] + bytes(8) + code[LOADER_AT.stop :]
            return StartCode(1, found.sha256, row.first_lba, _sum(rest))
    return found


def _sum(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
