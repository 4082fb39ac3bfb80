"""ext2, ext3 and ext4 (the kernel's documentation of the on-disk layout, from memory).

A group that was never written has no bitmap on the disk: it is derived. With bigalloc a bit stands for a cluster of
blocks. A journal that waits to be played means that bitmaps may be stale.
"""

import struct
import uuid
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk import FileSystem, Kind, State
from ..core.sizes import Bytes, div_up
from .bits import BitCounter
from .medium import Unsound, Window

SUPER_AT, MAGIC = 1024, 0xEF53
HAS_JOURNAL = 0x4
NEEDS_RECOVERY, META_BG = 0x4, 0x10
EXTENTS, BIT_64, FLEX_BG = 0x40, 0x80, 0x200
SPARSE_SUPER, GDT_CSUM, BIGALLOC, METADATA_CSUM = 0x1, 0x10, 0x200, 0x400
SPARSE_SUPER2 = 0x200  # among the compatible features
BLOCK_UNINIT = 0x2
VALID, ERRORS = 0x1, 0x2
MOST_CLUSTER = 1 << 28
LEAST_GROUP = 256
BATCH = 256


class Super(NamedTuple):
    """The superblock's figures. ``blocks`` counts blocks, ``ratio`` blocks to a cluster."""

    blocks: int
    first_block: int
    block: int
    ratio: int
    per_group: int
    groups: int
    inode_blocks: int
    descriptor: int
    compatible: int
    incompatible: int
    read_only: int
    state: int
    first_meta: int
    reserved_gdt: int
    backups: tuple[int, int]
    uuid: str
    label: str

    @property
    def cluster(self) -> int:
        return self.block * self.ratio

    @property
    def clusters_per_group(self) -> int:
        return self.per_group // self.ratio

    def blocks_in(self, group: int) -> int:
        return min(self.per_group, self.blocks - self.first_block - group * self.per_group)

    def start_of(self, group: int) -> int:
        return self.first_block + group * self.per_group


def read_super(data: bytes) -> Super:
    """The superblock from its 1024 bytes. Raises Unsound where the figures cannot be those of a file system."""
    inodes, low, _, _, _, first, log_block, log_cluster, per_group, _, per_inodes = struct.unpack_from("<11I", data)
    (magic, state) = struct.unpack_from("<HH", data, 0x38)
    compatible, incompatible, read_only = struct.unpack_from("<III", data, 0x5C)
    revision = struct.unpack_from("<I", data, 0x4C)[0]
    inode = struct.unpack_from("<H", data, 0x58)[0] if revision else 128
    wide = bool(incompatible & BIT_64)
    blocks = low | (struct.unpack_from("<I", data, 0x150)[0] << 32 if wide else 0)
    descriptor = struct.unpack_from("<H", data, 0xFE)[0] if wide else 32
    if magic != MAGIC or log_block > 6 or not inodes or not blocks:
        raise Unsound("the superblock")
    block = 1024 << log_block
    ratio = 1 << (log_cluster - log_block) if read_only & BIGALLOC and 0 <= log_cluster - log_block <= 16 else 1
    most = 8 * block * ratio
    if not LEAST_GROUP <= per_group <= most or per_group % (8 * ratio) or first not in (0, 1) or first >= blocks:
        raise Unsound("the groups")
    if descriptor < 32 or descriptor > block or descriptor & (descriptor - 1) or block * ratio > MOST_CLUSTER:
        raise Unsound("the group descriptors")
    return Super(
        blocks=blocks,
        first_block=first,
        block=block,
        ratio=ratio,
        per_group=per_group,
        groups=div_up(blocks - first, per_group),
        inode_blocks=div_up(per_inodes * inode, block),
        descriptor=descriptor,
        compatible=compatible,
        incompatible=incompatible,
        read_only=read_only,
        state=state,
        first_meta=struct.unpack_from("<I", data, 0x104)[0] if incompatible & META_BG else -1,
        reserved_gdt=struct.unpack_from("<H", data, 0xCE)[0],
        backups=struct.unpack_from("<II", data, 0x24C),
        uuid=str(uuid.UUID(bytes=bytes(data[0x68:0x78]))),
        label=data[0x78:0x88].split(b"\0")[0].decode("utf-8", "replace"),
    )


def read_ext(part: Window) -> FileSystem:
    """What the file system tells; where a structure is broken the state is ``damaged`` and the rest stays unknown."""
    try:
        sb = read_super(part.read(SUPER_AT, 1024))
    except Unsound:
        return FileSystem("ext4", state="damaged")
    known = FileSystem(_kind(sb), label=sb.label, uuid=sb.uuid, cluster_bytes=Bytes(sb.cluster), state="damaged")
    if sb.blocks * sb.block > part.size:
        return known
    known = known.but(size_bytes=Bytes(sb.blocks * sb.block))
    try:
        clusters = div_up(sb.blocks - sb.first_block, sb.ratio)
        counter = BitCounter(clusters)
        for bitmap in _bitmaps(part, sb):
            counter.add(bitmap)
    except (Unsound, struct.error, IndexError):
        return known
    counted = counter.result()
    before = sb.first_block * sb.block
    size = sb.blocks * sb.block
    free = (clusters - counted.used) * sb.cluster
    return known.but(
        used_bytes=Bytes(max(0, size - free)),
        last_used_byte=Bytes(min(size, before + counted.end * sb.cluster)),
        usage_map=counted.usage_map(sb.cluster, before=before, size=size),
        end_owner="files" if counted.end else "",
        state=_state(sb),
    )


def _kind(sb: Super) -> Kind:
    """By the features that only the later kinds know."""
    if sb.incompatible & (EXTENTS | BIT_64 | FLEX_BG | META_BG) or sb.read_only & (GDT_CSUM | METADATA_CSUM | BIGALLOC):
        return "ext4"
    return "ext3" if sb.compatible & HAS_JOURNAL else "ext2"


def _state(sb: Super) -> State:
    if sb.state & ERRORS:
        return "damaged"
    return "dirty" if sb.incompatible & NEEDS_RECOVERY or not sb.state & VALID else "clean"


class _Group(NamedTuple):
    """Where a group's bitmaps and table of inodes stand, in blocks of the file system."""

    block_bitmap: int
    inode_bitmap: int
    inode_table: int
    unwritten: bool


def _groups(part: Window, sb: Super) -> Iterator[_Group]:
    """The descriptors of all groups, in order."""
    per_block = sb.block // sb.descriptor
    for number in range(0, sb.groups, per_block):
        block = _descriptor_block(sb, number // per_block)
        count = min(per_block, sb.groups - number)
        data = part.read(block * sb.block, count * sb.descriptor)
        for at in range(0, len(data), sb.descriptor):
            low = struct.unpack_from("<III", data, at)
            high = struct.unpack_from("<III", data, at + 0x20) if sb.descriptor >= 64 else (0, 0, 0)
            flags = struct.unpack_from("<H", data, at + 0x12)[0]
            unwritten = bool(flags & BLOCK_UNINIT and sb.read_only & (GDT_CSUM | METADATA_CSUM))
            blocks, inodes, table = (a | b << 32 for a, b in zip(low, high, strict=True))
            yield _Group(blocks, inodes, table, unwritten)


def _descriptor_block(sb: Super, index: int) -> int:
    """Where the ``index``-th block of descriptors stands: after the superblock, or with meta_bg in its own groups."""
    if not sb.incompatible & META_BG or index < sb.first_meta:
        return sb.first_block + 1 + index + (1 if sb.block == 1024 and sb.first_block == 0 else 0)
    first = index * (sb.block // sb.descriptor)
    return sb.start_of(first) + _has_super(sb, first)


def _has_super(sb: Super, group: int) -> bool:
    """Whether a group holds a copy of the superblock."""
    if group == 0:
        return True
    if sb.compatible & SPARSE_SUPER2:
        return group in sb.backups
    if not sb.read_only & SPARSE_SUPER or group == 1:
        return True
    return any(_is_power_of(group, base) for base in (3, 5, 7))


def _is_power_of(value: int, base: int) -> bool:
    while value % base == 0:
        value //= base
    return value == 1


def _bitmaps(part: Window, sb: Super) -> Iterator[bytes]:
    """The bitmaps of all groups in order. Those that stand in a row on the disk are read in one go."""
    length = sb.clusters_per_group // 8
    waiting: list[_Group] = []
    for number, group in enumerate(_groups(part, sb)):
        in_row = waiting and group.block_bitmap == waiting[-1].block_bitmap + 1 and len(waiting) < BATCH
        if waiting and (group.unwritten or not in_row):
            yield from _read_row(part, sb, waiting, length)
            waiting = []
        if group.unwritten:
            yield _derived(sb, number, group)
        else:
            waiting.append(group)
    yield from _read_row(part, sb, waiting, length)


def _read_row(part: Window, sb: Super, row: list[_Group], length: int) -> Iterator[bytes]:
    if row:
        data = part.read(row[0].block_bitmap * sb.block, len(row) * sb.block)
        for at in range(0, len(data), sb.block):
            yield data[at : at + length]


def _derived(sb: Super, number: int, group: _Group) -> bytes:
    """The bitmap of a group that was never written: its copy of the superblock and descriptors, and its own tables."""
    start, count = sb.start_of(number), sb.blocks_in(number)
    taken: list[tuple[int, int]] = [(start, start + _base_blocks(sb, number))]
    for block, length in ((group.block_bitmap, 1), (group.inode_bitmap, 1), (group.inode_table, sb.inode_blocks)):
        taken.append((block, block + length))
    bits = 0
    for first, stop in taken:
        low, high = max(first, start) - start, min(stop, start + count) - start
        if low < high:
            low, high = low // sb.ratio, div_up(high, sb.ratio)
            bits |= (1 << high) - (1 << low)
    return bits.to_bytes(sb.clusters_per_group // 8, "little")


def _base_blocks(sb: Super, number: int) -> int:
    """Blocks at a group's start that hold the superblock's copy and descriptors."""
    per_block = sb.block // sb.descriptor
    own = int(_has_super(sb, number))
    meta = number // per_block
    if sb.incompatible & META_BG and meta >= sb.first_meta:
        inside = number % per_block
        return own + (1 if inside in (0, 1, per_block - 1) else 0)
    if not own:
        return 0
    whole = sb.first_meta if sb.incompatible & META_BG else div_up(sb.groups, per_block)
    return own + whole + sb.reserved_gdt
