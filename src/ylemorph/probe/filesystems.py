"""Which reader reads what stands at the start of a partition."""

import struct
from collections.abc import Callable
from typing import NamedTuple

from ..core.disk.model import FileSystem
from .btrfs import SUPER_AT as BTRFS_AT
from .btrfs import read_btrfs
from .exfat import MAGIC as EXFAT_MAGIC
from .exfat import read_exfat
from .ext import read_ext
from .ext_super import MAGIC as EXT_MAGIC
from .fat import looks_like_fat, read_fat
from .lvm import read_lvm
from .media.medium import Unsound, Window
from .named import UNKNOWN, is_blank, name_of
from .ntfs import read_ntfs
from .signatures import by_signature, is_bitlocker_to_go, md_at_end, read_xfs

NTFS_MAGIC = b"NTFS    "
LEAST_BYTES = 512


class Reader(NamedTuple):
    """Recognises by the magic at an offset, then reads."""

    offset: int
    magic: bytes
    read: Callable[[Window], FileSystem]


# Before what is known by signature alone, and after it: the magic of ext is two bytes only.
FIRST = (Reader(3, NTFS_MAGIC, read_ntfs), Reader(3, EXFAT_MAGIC, read_exfat), Reader(0, b"XFSB", read_xfs))
LAST = (
    Reader(BTRFS_AT + 0x40, b"_BHRfS_M", read_btrfs),
    Reader(1024 + 0x38, struct.pack("<H", EXT_MAGIC), read_ext),
)


def read_filesystem(part: Window) -> FileSystem | None:
    """What a partition holds; None where it is blank. What is not recognised is "something unknown", never empty."""
    found = recognised(part)
    if found is not None or is_blank(part):
        return found
    return FileSystem("unknown", detail=UNKNOWN)


def recognised(part: Window) -> FileSystem | None:
    """What a partition holds, read or at least named; None where nothing is recognised."""
    if part.size < LEAST_BYTES:
        return None
    try:
        found = _read(part)
    except (Unsound, struct.error, IndexError):
        found = None
    place = md_at_end(part)
    if place is not None and (found is None or found.size_bytes is None or found.size_bytes <= place):
        return FileSystem("unknown", detail="md member")
    if found is None:
        name = name_of(part)
        return FileSystem("unknown", detail=name) if name else None
    return found


def _read(part: Window) -> FileSystem | None:
    first = part.read(0, 512)
    for reader in FIRST:
        if _has(part, reader):
            return reader.read(part)
    if looks_like_fat(first) and not is_bitlocker_to_go(first):
        return read_fat(part)
    known = by_signature(part)
    if known is not None:
        return read_lvm(part, _read_inner) if known.kind == "lvm" else known
    for reader in LAST:
        if _has(part, reader):
            return reader.read(part)
    return read_ntfs(part) if _has_ntfs_backup(part) else None


def _read_inner(part: Window) -> FileSystem | None:
    """What a volume inside holds; another group within it is named only, since it may be the same one again."""
    known = by_signature(part) if part.size >= LEAST_BYTES else None
    return known if known is not None and known.kind == "lvm" else recognised(part)


def _has(part: Window, reader: Reader) -> bool:
    end = reader.offset + len(reader.magic)
    return end <= part.size and part.read(reader.offset, len(reader.magic)) == reader.magic


def _has_ntfs_backup(part: Window) -> bool:
    """A volume whose first sector is gone still has its copy in the last one."""
    return any(part.size > 2 * sector and part.read(part.size - sector + 3, 8) == NTFS_MAGIC for sector in (512, 4096))
