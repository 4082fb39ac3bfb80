"""What a legacy start runs before any file system: code in the first sector, and what stands behind it.

What stands between that sector and the first row is nobody's but a loader's (common practice, no source).
"""

import hashlib
from collections.abc import Iterable

from ..core.disk.model import NO_CODE, Partition, StartCode, Table
from ..core.disk.roles import BIOS_BOOT
from ..core.disk.starting import CODE_BYTES, LIST_AT, LOADER_AT, LOADER_BYTES, MOST_REACH_BYTES
from .media.medium import Window


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


def code_pieces(medium: Window, sector: int, reach: int, loader: int | None = None) -> list[tuple[int, bytes]]:
    """The code of a disk as (byte offset, bytes), ``reach`` sectors from the first on; ``loader``: the sector at which
    it goes on where that is another than on the disk itself."""
    code = bytearray(medium.read(0, CODE_BYTES))
    if loader is not None:
        code[LOADER_AT : LOADER_AT + LOADER_BYTES] = loader.to_bytes(LOADER_BYTES, "little")
    pieces = [(0, bytes(code))]
    return [*pieces, (sector, medium.read(sector, (reach - 1) * sector))] if reach > 1 else pieces


def _with_loader(medium: Window, sector: int, code: bytes, partitions: Iterable[Partition]) -> StartCode:
    """A loader in a row of its own: the first sector names the row's, and that one's list the sector behind it."""
    found = StartCode(1, _sum(code))
    for row in partitions:
        if row.type != BIOS_BOOT or _number(code, LOADER_AT) != row.first_lba:
            continue
        own = medium.read(row.first_lba * sector, 512)
        if _number(own, LIST_AT) == row.first_lba + 1:
            rest = code[:LOADER_AT] + bytes(LOADER_BYTES) + code[LOADER_AT + LOADER_BYTES :]
            return StartCode(1, found.sha256, row.first_lba, _sum(rest))
    return found


def _number(data: bytes, at: int) -> int:
    return int.from_bytes(data[at : at + LOADER_BYTES], "little")


def _sum(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
