"""File systems and containers known by their first bytes, and XFS and btrfs by their superblock.

The offsets are those of the projects' own published headers (from memory).
"""

import struct
import uuid
from collections.abc import Callable
from typing import NamedTuple

from ..core.disk.model import FileSystem, Kind, State
from ..core.sizes import Bytes
from .media.medium import Unsound, Window


class Signature(NamedTuple):
    """``magic`` at ``offset`` means ``kind``; ``detail`` where the kind alone does not say it."""

    offset: int
    magic: bytes
    kind: Kind
    detail: str = ""
    state: State = "unknown"


MD_MAGIC = b"\xfc\x4e\x2b\xa9"
# What a Linux that sleeps on the disk writes in the place of the mark of swap.
SLEEPING = (b"S1SUSPEND", b"S2SUSPEND", b"ULSUSPEND", b"LINHIB0001")
SWAP_MARKS = (b"SWAPSPACE2", b"SWAP-SPACE")
PAGE_SIZES = (4096, 8192, 16384, 32768, 65536)
SIGNATURES = (
    Signature(0, b"LUKS\xba\xbe\x00\x01", "luks", "LUKS 1", "locked"),
    Signature(0, b"LUKS\xba\xbe\x00\x02", "luks", "LUKS 2", "locked"),
    Signature(3, b"-FVE-FS-", "bitlocker", "", "locked"),
    Signature(3, b"ReFS\0\0\0\0", "refs"),
    *(Signature(512 * sector, b"LABELONE", "lvm") for sector in range(4)),
    # One that stands at the beginning leaves the mark of swap where it is, so it is asked for before.
    Signature(0, b"\xed\xc3\x02\xe9\x98\x56\xe5\x0c", "swap", "", "hibernated"),
    *(Signature(page - 10, magic, "swap", "", "hibernated") for page in PAGE_SIZES for magic in SLEEPING),
    *(Signature(page - 10, magic, "swap") for page in PAGE_SIZES for magic in SWAP_MARKS),
    # Whatever stands in its place: the mark of swap was put aside, before it.
    *(Signature(page - 20, magic, "swap", "", "hibernated") for page in PAGE_SIZES for magic in SWAP_MARKS),
    Signature(32, b"NXSB", "apfs"),
    Signature(1024, b"H+\0\x04", "hfs+"),
    Signature(1024, b"HX\0\x05", "hfs+"),
    Signature(1024, b"\x10\x20\xf5\xf2", "f2fs"),
    Signature(4096, MD_MAGIC, "unknown", "md member"),
    Signature(0, MD_MAGIC, "unknown", "md member"),
)
BITLOCKER_TO_GO = uuid.UUID("4967d63b-2e29-4ad8-8399-f6a339e3d001").bytes_le


def is_bitlocker_to_go(first: bytes) -> bool:
    """Locked removable disks look like FAT32 and carry a GUID of their own."""
    return first[3:11] == b"MSWIN4.1" and first[424:440] == BITLOCKER_TO_GO


def by_signature(part: Window) -> FileSystem | None:
    """The kind alone, with label and UUID where they stand beside the signature."""
    head = part.read(0, min(part.size, PAGE_SIZES[-1]))
    if is_bitlocker_to_go(head):
        return FileSystem("bitlocker", state="locked")
    for signature in SIGNATURES:
        if head.startswith(signature.magic, signature.offset):
            known = FileSystem(signature.kind, detail=signature.detail, state=signature.state)
            if signature.kind == "hfs+":
                return known.but(label=_hfs_label(part))
            extra = _EXTRAS.get(signature.kind)
            return extra(known, head) if extra and len(head) >= 4096 else known
    return None


def _swap(known: FileSystem, head: bytes) -> FileSystem:
    state: State = "hibernated" if known.state == "hibernated" else "clean"
    return known.but(uuid=_uuid(head[1036:1052]), label=_text(head[1052:1068]), state=state)


def _luks(known: FileSystem, head: bytes) -> FileSystem:
    label = _text(head[24:72]) if head[7] == 2 else ""  # the first kind has none
    return known.but(uuid=_text(head[168:208]), label=label)


def _f2fs(known: FileSystem, head: bytes) -> FileSystem:
    label = head[1024 + 124 : 1024 + 124 + 1024].decode("utf-16-le", "replace").split("\0")[0]
    return known.but(uuid=_uuid(head[1024 + 108 : 1024 + 124]), label=label)


_EXTRAS: dict[str, Callable[[FileSystem, bytes], FileSystem]] = {"swap": _swap, "luks": _luks, "f2fs": _f2fs}


def md_at_end(part: Window) -> int | None:
    """Where the mark of an older array's member stands near the end: 0.90 in whole 64 KiB, 1.0 in whole 4 KiB.

    A file system that covers that place has made the mark stale.
    """
    for place in ((part.size & ~0xFFFF) - 0x10000, (part.size - 8192) & ~0xFFF):
        if place > 0 and part.read(place, 4) == MD_MAGIC:
            return place
    return None


def read_xfs(part: Window) -> FileSystem:
    """From the superblock: the free blocks stand there right after a clean unmount."""
    head = part.read(0, 512)
    block, blocks = struct.unpack_from(">IQ", head, 4)
    (free,) = struct.unpack_from(">Q", head, 144)
    known = FileSystem("xfs", label=_text(head[108:120]), uuid=_uuid(head[32:48]))
    if block not in (512, 1024, 2048, 4096, 8192, 16384, 32768, 65536) or blocks * block > part.size or free > blocks:
        return known.but(state="damaged")
    return known.but(
        cluster_bytes=Bytes(block),
        size_bytes=Bytes(blocks * block),
        used_bytes=Bytes((blocks - free) * block),
        used_kind="counted",
    )


def _hfs_label(part: Window) -> str:
    """The name of the root folder: first record of the first leaf of the catalogue (Apple's TN1150, from memory)."""
    try:
        head = part.read(1024, 512)
        (block,) = struct.unpack_from(">I", head, 40)
        (first,) = struct.unpack_from(">I", head, 272 + 16)
        catalogue = first * block
        node_bytes, leaf = struct.unpack(">H", part.read(catalogue + 32, 2))[0], 0
        (leaf,) = struct.unpack(">I", part.read(catalogue + 24, 4))
        record = part.read(catalogue + leaf * node_bytes + 14, 8 + 510)
        parent, length = struct.unpack_from(">IH", record, 2)
        return record[8 : 8 + 2 * length].decode("utf-16-be", "replace") if parent == 1 and length <= 255 else ""
    except (Unsound, struct.error):
        return ""


def _text(raw: bytes) -> str:
    return raw.split(b"\0")[0].decode("utf-8", "replace")


def _uuid(raw: bytes) -> str:
    return str(uuid.UUID(bytes=bytes(raw)))
