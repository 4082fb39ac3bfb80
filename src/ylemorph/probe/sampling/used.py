"""Which units of a file system are in use, and which of these are its own structures, that a resizer writes anew."""

import struct
from bisect import bisect_right
from collections.abc import Callable, Iterator
from typing import NamedTuple

from ...core.disk.filesystems import EXT_KINDS
from ...core.disk.model import Kind
from ...core.sizes import div_up
from ..exfat import chain_of, root_entries
from ..exfat import read_boot as read_exfat_boot
from ..ext import base_blocks, bitmaps_of, groups_of
from ..ext_super import SUPER_AT, Super, read_super
from ..fat import flags_of, read_bpb
from ..media.medium import MOST_AT_ONCE, Unsound, Window
from ..ntfs import BITMAP, OWN, Volume, boot_of, stretches_of

PIECE = 4096  # compared at a time
Stretch = tuple[int, int]  # units, half-open


def _never(_block: bytes) -> bool:
    return False


class Used(NamedTuple):
    """Units of ``unit`` bytes, the first at byte ``at`` of the partition.

    ``bitmap`` gives the bits in pieces of whole bytes, bit 0 of the first byte first; None where every unit counts.
    ``own``: the file system's own structures, in order. ``may_be_own`` tells of a block whether it can be such one.
    """

    unit: int
    at: int
    units: int
    bitmap: Callable[[], Iterator[bytes]] | None = None
    own: tuple[Stretch, ...] = ()
    may_be_own: Callable[[bytes], bool] = _never

    @property
    def own_units(self) -> int:
        """Its own structures, all of them in use."""
        return sum(min(stop, self.units) - min(start, self.units) for start, stop in self.own)

    def is_own(self, unit: int) -> bool:
        place = bisect_right(self.own, unit, key=lambda stretch: stretch[0])
        return place > 0 and self.own[place - 1][1] > unit


def whole(size: int) -> Used:
    """All of a partition, be what it may."""
    return Used(PIECE, 0, size // PIECE)


def used_of(part: Window, kind: Kind) -> Used | None:
    """What is in use of a sound file system; None where nobody here can read that."""
    reader = _READERS.get(kind)
    if reader is None:
        return None
    try:
        return reader(part)
    except (Unsound, struct.error, IndexError):
        return None


def _ntfs(part: Window) -> Used:
    boot, _ = boot_of(part, part.read(0, 512))
    if boot is None:
        raise Unsound("the boot sector")
    volume = Volume(part, boot)
    own = {(one.start, one.stop) for number in range(len(OWN)) for one in stretches_of(volume, number, "")}
    bitmap, total = volume.stream(BITMAP), div_up(boot.clusters, 8)
    return Used(boot.cluster, 0, boot.clusters, _in_pieces(bitmap.read, total), tuple(sorted(own)))


def _in_pieces(read: Callable[[int, int], bytes], total: int) -> Callable[[], Iterator[bytes]]:
    return lambda: (read(at, min(MOST_AT_ONCE, total - at)) for at in range(0, total, MOST_AT_ONCE))


def _ext(part: Window) -> Used:
    sb = read_super(part.read(SUPER_AT, 1024))
    groups = list(groups_of(part, sb))
    own: list[Stretch] = []
    for number, group in enumerate(groups):
        start = sb.start_of(number)
        own.append((start, start + base_blocks(sb, number)))
        own += [(block, block + 1) for block in (group.block_bitmap, group.inode_bitmap)]
        own.append((group.inode_table, group.inode_table + sb.inode_blocks))
    units = tuple(sorted({_in_clusters(sb, one) for one in own if one[0] < one[1]}))
    return Used(
        sb.cluster, sb.first_block * sb.block, div_up(sb.blocks - sb.first_block, sb.ratio),
        lambda: bitmaps_of(part, sb, groups), units, lambda block: _may_be_ext_own(block, sb),
    )  # fmt: skip


def _in_clusters(sb: Super, blocks: Stretch) -> Stretch:
    first, stop = (block - sb.first_block for block in blocks)
    return max(0, first) // sb.ratio, div_up(max(0, stop), sb.ratio)


def _may_be_ext_own(block: bytes, sb: Super) -> bool:
    """A block of extents, of the journal, of a folder or of places of blocks: the resizer writes these anew where what
    they name was moved."""
    if block[:2] == b"\x0a\xf3" or block[:4] == b"\xc0\x3b\x39\x98" or _is_folder(block):
        return True
    return all(word < sb.blocks for (word,) in struct.iter_unpack("<I", block))


def _is_folder(block: bytes) -> bool:
    """Whether its entries, each with its length, lead exactly to the block's end."""
    at = 0
    while at + 8 <= len(block):
        (length,) = struct.unpack_from("<H", block, at + 4)
        if length < 8 or length % 4:
            return False
        at += length
    return at == len(block)


def _fat(part: Window) -> Used:
    bpb = read_bpb(part.read(0, 512))
    return Used(bpb.cluster, bpb.heap_at, bpb.clusters, lambda: (_as_bits(flags) for flags in flags_of(part, bpb)))


_SIGNS = bytes([48]) + bytes([49]) * 255  # "0" where nothing stands, else "1"


def _as_bits(flags: bytes) -> bytes:
    """One bit for each byte, set where it is not zero."""
    return int(flags[::-1].translate(_SIGNS), 2).to_bytes(div_up(len(flags), 8), "little") if flags else b""


def _exfat(part: Window) -> Used:
    boot = read_exfat_boot(part.read(0, 512))
    first, _, _ = root_entries(part, boot)
    total = div_up(boot.clusters, 8)
    bitmap = chain_of(part, boot, first, total)
    return Used(boot.cluster, boot.heap_at, boot.clusters, _in_pieces(bitmap.read, total))


_READERS: dict[Kind, Callable[[Window], Used]] = {
    "ntfs": _ntfs, "fat16": _fat, "fat32": _fat, "exfat": _exfat, **dict.fromkeys(EXT_KINDS, _ext),
}  # fmt: skip
