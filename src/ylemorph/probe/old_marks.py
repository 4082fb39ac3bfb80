"""Marks of what stood on a disk before (rule 16.6): at either end of a row or of the disk, beside what is there now.

Where a Linux array keeps its superblock is md's own layout (``md_p.h``), where an ext keeps its is ``ext4.h``'s, and
where a GPT keeps its backup is the UEFI specification's "GPT Partition Entry Array"; all from memory.
"""

import struct
from collections.abc import Iterator

from ..core.disk.model import Disk, OldMark, Partition
from ..core.sizes import Bytes
from .media.medium import Medium, Part, Window
from .signatures import MD_MAGIC

MD_BLOCK = 65_536  # version 0.90: in the last whole one of these
MD_LAST = 8192  # version 1.0: so far before the end, on a boundary of 4 KiB
EXT_SUPER = 1024
WINDOWS_KINDS = frozenset(("ntfs", "fat16", "fat32", "exfat", "refs"))


def find_old_marks(medium: Medium, disk: Disk) -> tuple[OldMark, ...]:
    """What looks as if it had been left behind; nothing on a disk without partitions, which is looked at as a whole."""
    if not disk.partitions:
        return ()
    marks = list(_of_the_disk(medium, disk))
    for row in disk.rows:
        start = row.first_lba * disk.logical_sector_bytes
        part = Part(medium, start, row.sectors * disk.logical_sector_bytes)
        marks += [OldMark(what, Bytes(start + at), row.number) for what, at in _of_a_row(part, row)]
    return tuple(marks)


def _of_the_disk(medium: Medium, disk: Disk) -> Iterator[OldMark]:
    last = medium.size - disk.logical_sector_bytes
    if disk.table == "mbr" and medium.read(last, 8) == b"EFI PART":
        yield OldMark("GPT", Bytes(last))
    if "array-member" not in disk.table_notes:
        rows = [row.extent for row in disk.rows]
        for at in _md_places(medium):
            lba = at // disk.logical_sector_bytes
            if not any(extent.start <= lba < extent.stop for extent in rows):
                yield OldMark("Linux array", Bytes(at))


def _of_a_row(part: Window, row: Partition) -> Iterator[tuple[str, int]]:
    fs = row.filesystem
    if part.size < MD_BLOCK or fs is None or fs.detail == "md member":
        return
    for at in _md_places(part):
        yield "Linux array", at
    if fs.kind in WINDOWS_KINDS and _is_ext(part):
        yield "ext", EXT_SUPER


def _is_ext(part: Window) -> bool:
    """An ext superblock: its magic, and figures that one could have."""
    data = part.read(EXT_SUPER, 64)
    inodes, blocks = struct.unpack_from("<II", data)
    (size,) = struct.unpack_from("<I", data, 24)
    return data[56:58] == b"\x53\xef" and inodes > 0 and blocks > 0 and size <= 6


def _md_places(part: Window) -> Iterator[int]:
    """Where a superblock of an array stands at an end: its magic and a version that there was."""
    old = part.size // MD_BLOCK * MD_BLOCK - MD_BLOCK
    new = (part.size - MD_LAST) // 4096 * 4096
    for at, versions in ((old, (0,)), (new, (1,)), (4096, (1,)), (0, (1,))):
        head = part.read(at, 8)
        if head[:4] == MD_MAGIC and struct.unpack_from("<I", head, 4)[0] in versions:
            yield at
