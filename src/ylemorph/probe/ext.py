"""ext2, ext3 and ext4 (the kernel's documentation of the on-disk layout, from memory).

A group that was never written has no bitmap on the disk: it is derived. With bigalloc a bit stands for a cluster of
blocks. A journal that waits to be played means that bitmaps may be stale. Checksums of the superblock and the bitmaps
are checked where the file system has them.
"""

import struct
import uuid
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.model import Backups, ExtLayout, FileSystem, FileSystemNote, Kind, State
from ..core.sizes import Bytes, div_up
from .bits import BitCounter
from .medium import Unsound, Window

SUPER_AT, MAGIC = 1024, 0xEF53
# Features, in three words: what an older driver may ignore, may read only, may not mount.
HAS_JOURNAL, SPARSE_SUPER2, STABLE_INODES = 0x4, 0x200, 0x800
SPARSE_SUPER, LARGE_FILE, BTREE_DIR, GDT_CSUM, BIGALLOC, METADATA_CSUM = 0x1, 0x2, 0x4, 0x10, 0x200, 0x400
FILETYPE, NEEDS_RECOVERY, JOURNAL_DEVICE, META_BG = 0x2, 0x4, 0x8, 0x10
EXTENTS, BIT_64, FLEX_BG, CHECKSUM_SEED = 0x40, 0x80, 0x200, 0x2000
# What ext2 and ext3 know; any other feature makes it ext4.
OLD_INCOMPATIBLE = FILETYPE | NEEDS_RECOVERY | META_BG
OLD_READ_ONLY = SPARSE_SUPER | LARGE_FILE | BTREE_DIR
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
    inodes_per_group: int
    inodes_used: int
    free_clusters: int
    flex: int
    seed: int | None  # of the checksums, None where there are none
    uuid: str
    label: str

    @property
    def cluster(self) -> int:
        return self.block * self.ratio

    @property
    def clusters_per_group(self) -> int:
        return self.per_group // self.ratio

    @property
    def descriptors_per_block(self) -> int:
        return self.block // self.descriptor

    def blocks_in(self, group: int) -> int:
        return min(self.per_group, self.blocks - self.first_block - group * self.per_group)

    def start_of(self, group: int) -> int:
        return self.first_block + group * self.per_group


def _word(data: bytes, at: int) -> int:
    return int(struct.unpack_from("<H", data, at)[0])


def _long(data: bytes, at: int) -> int:
    return int(struct.unpack_from("<I", data, at)[0])


def _halves(data: bytes, low: int, high: int, *, wide: bool) -> int:
    """A count whose upper half stands elsewhere, where there is one."""
    return _long(data, low) | (_long(data, high) << 32 if wide else 0)


class _Shape(NamedTuple):
    """What the superblock says of the sizes of its parts."""

    block: int
    ratio: int
    per_group: int
    descriptor: int
    inode: int
    inodes_per_group: int


def read_super(data: bytes) -> Super:
    """The superblock from its 1024 bytes. Raises Unsound where the figures cannot be those of a file system."""
    compatible, incompatible, read_only = struct.unpack_from("<III", data, 0x5C)
    inodes, free_inodes, first = _long(data, 0), _long(data, 0x10), _long(data, 0x14)
    wide = bool(incompatible & BIT_64)
    blocks, free = _halves(data, 0x04, 0x150, wide=wide), _halves(data, 0x0C, 0x158, wide=wide)
    if _word(data, 0x38) != MAGIC or not inodes or not blocks:
        raise Unsound("the superblock")
    shape = _shape(data, wide=wide, clustered=bool(read_only & BIGALLOC))
    _check_shape(shape)
    if first not in (0, 1) or first >= blocks or free_inodes > inodes:
        raise Unsound("the groups")
    log_flex = data[0x174] if incompatible & FLEX_BG else 0
    if log_flex > 31:
        raise Unsound("the groups whose tables stand together")
    return Super(
        blocks=blocks,
        first_block=first,
        block=shape.block,
        ratio=shape.ratio,
        per_group=shape.per_group,
        groups=div_up(blocks - first, shape.per_group),
        inode_blocks=div_up(shape.inodes_per_group * shape.inode, shape.block),
        descriptor=shape.descriptor,
        compatible=compatible,
        incompatible=incompatible,
        read_only=read_only,
        state=_word(data, 0x3A),
        first_meta=_long(data, 0x104) if incompatible & META_BG else -1,
        reserved_gdt=_word(data, 0xCE),
        backups=struct.unpack_from("<II", data, 0x24C),
        inodes_per_group=shape.inodes_per_group,
        inodes_used=inodes - free_inodes,
        free_clusters=free // shape.ratio,  # the superblock counts blocks, the groups clusters
        flex=1 << log_flex,
        seed=_checked_seed(data, incompatible) if read_only & METADATA_CSUM else None,
        uuid=_uuid(data),
        label=_label(data),
    )


def _shape(data: bytes, *, wide: bool, clustered: bool) -> _Shape:
    log_block, log_cluster = _long(data, 0x18), _long(data, 0x1C)
    if log_block > 6:
        raise Unsound("the superblock")
    more = log_cluster - log_block if clustered else 0
    return _Shape(
        block=1024 << log_block,
        ratio=1 << more if 0 <= more <= 16 else 1,
        per_group=_long(data, 0x20),
        descriptor=_word(data, 0xFE) if wide else 32,
        inode=_word(data, 0x58) if _long(data, 0x4C) else 128,  # the first revision knew no other
        inodes_per_group=_long(data, 0x28),
    )


def _check_shape(shape: _Shape) -> None:
    """Raises Unsound where the parts cannot have these sizes."""
    block, ratio = shape.block, shape.ratio
    if not LEAST_GROUP <= shape.per_group <= 8 * block * ratio or shape.per_group % (8 * ratio):
        raise Unsound("the groups")
    if not 32 <= shape.descriptor <= block or not _is_power(shape.descriptor) or block * ratio > MOST_CLUSTER:
        raise Unsound("the group descriptors")
    if not 128 <= shape.inode <= block or not _is_power(shape.inode) or not shape.inodes_per_group:
        raise Unsound("the inodes")


def _is_power(number: int) -> bool:
    """Whether a number is a power of two."""
    return not number & (number - 1)


def _checksum(seed: int, data: bytes) -> int:
    """CRC-32C as the file system keeps it: begun with ``seed`` and not inverted at the end."""
    import google_crc32c

    return int(google_crc32c.extend(seed ^ 0xFFFF_FFFF, data)) ^ 0xFFFF_FFFF


def _checked_seed(data: bytes, incompatible: int) -> int:
    """What the checksums begin with. Raises Unsound where the superblock's own does not hold."""
    if _checksum(0xFFFF_FFFF, data[:0x3FC]) != struct.unpack_from("<I", data, 0x3FC)[0]:
        raise Unsound("the checksum of the superblock")
    if incompatible & CHECKSUM_SEED:
        return int(struct.unpack_from("<I", data, 0x270)[0])
    return _checksum(0xFFFF_FFFF, data[0x68:0x78])


def read_ext(part: Window) -> FileSystem:
    """What the file system tells; where a structure is broken the state is ``damaged`` and the rest stays unknown."""
    data = part.read(SUPER_AT, 1024)
    if struct.unpack_from("<I", data, 0x60)[0] & JOURNAL_DEVICE:
        return FileSystem("unknown", label=_label(data), uuid=_uuid(data), detail="external ext journal")
    try:
        sb = read_super(data)
    except Unsound:
        return FileSystem(_kind(*struct.unpack_from("<III", data, 0x5C)), state="damaged")
    known = FileSystem(_kind_of(sb), label=sb.label, uuid=sb.uuid, cluster_bytes=Bytes(sb.cluster), state="damaged")
    if sb.blocks * sb.block > part.size:
        return known
    known = known.but(size_bytes=Bytes(sb.blocks * sb.block))
    try:
        groups = list(_groups(part, sb))
        clusters = div_up(sb.blocks - sb.first_block, sb.ratio)
        counter = BitCounter(clusters)
        for bitmap in _bitmaps(part, sb, groups):
            counter.add(bitmap)
    except (Unsound, struct.error, IndexError):
        return known
    counted = counter.result()
    before = sb.first_block * sb.block
    size = sb.blocks * sb.block
    free = clusters - counted.used
    recorded = sum(group.free for group in groups)
    notes = _notes(sb, counts_agree=free == recorded == sb.free_clusters)
    return known.but(
        used_bytes=Bytes(max(0, size - free * sb.cluster)),
        used_kind="counted",
        last_used_byte=Bytes(min(size, before + counted.end * sb.cluster)),
        usage_map=counted.usage_map(sb.cluster, before=before, size=size),
        end_owner="files" if counted.end else "",
        state=_state(sb, notes),
        notes=notes,
        ext=_layout(sb, groups),
    )


def _label(data: bytes) -> str:
    return data[0x78:0x88].split(b"\0")[0].decode("utf-8", "replace")


def _uuid(data: bytes) -> str:
    return str(uuid.UUID(bytes=bytes(data[0x68:0x78])))


def _kind(compatible: int, incompatible: int, read_only: int) -> Kind:
    """By the features that only the later kinds know."""
    if incompatible & ~OLD_INCOMPATIBLE or read_only & ~OLD_READ_ONLY:
        return "ext4"
    return "ext3" if compatible & HAS_JOURNAL else "ext2"


def _kind_of(sb: Super) -> Kind:
    return _kind(sb.compatible, sb.incompatible, sb.read_only)


def _notes(sb: Super, *, counts_agree: bool) -> tuple[FileSystemNote, ...]:
    found: tuple[tuple[bool, FileSystemNote], ...] = (
        (bool(sb.read_only & BIGALLOC), "bigalloc"),
        (bool(sb.compatible & STABLE_INODES), "stable-inodes"),
        (not counts_agree, "counts-differ"),
    )
    return tuple(note for holds, note in found if holds)


def _state(sb: Super, notes: tuple[FileSystemNote, ...]) -> State:
    if sb.state & ERRORS:
        return "damaged"
    unclean = sb.incompatible & NEEDS_RECOVERY or not sb.state & VALID or "counts-differ" in notes
    return "dirty" if unclean else "clean"


def _layout(sb: Super, groups: list["_Group"]) -> ExtLayout:
    """What the least size follows from; files have what is neither free nor a group's own."""
    per_block = sb.descriptors_per_block
    meta = sb.incompatible & META_BG
    own = sum(sb.inode_blocks + 2 + _base_blocks(sb, number) for number in range(sb.groups))
    free = sum(group.free for group in groups) * sb.ratio
    backups: Backups = "two" if sb.compatible & SPARSE_SUPER2 else "sparse" if sb.read_only & SPARSE_SUPER else "every"
    return ExtLayout(
        block_bytes=Bytes(sb.block),
        blocks=sb.blocks,
        first_block=sb.first_block,
        blocks_per_group=sb.per_group,
        inodes_per_group=sb.inodes_per_group,
        inodes_used=sb.inodes_used,
        inode_table_blocks=sb.inode_blocks,
        data_blocks=max(0, sb.blocks - own - free),
        descriptor_blocks=sb.first_meta if meta else div_up(sb.groups, per_block) + sb.reserved_gdt,
        backups=backups,
        flex_groups=sb.flex,
        extents=bool(sb.incompatible & EXTENTS),
        meta_from=sb.first_meta * per_block if meta else None,
        meta_groups=per_block,
    )


class _Group(NamedTuple):
    """Where a group's bitmaps and table of inodes stand, in blocks of the file system, and its free clusters.

    ``checksum``: of the bitmap of blocks, as many bits of it as the descriptor has room for, and None where unchecked.
    """

    block_bitmap: int
    inode_bitmap: int
    inode_table: int
    unwritten: bool
    free: int = 0
    checksum: tuple[int, int] | None = None


def _groups(part: Window, sb: Super) -> Iterator[_Group]:
    """The descriptors of all groups, in order. Raises Unsound where a group's bitmap cannot stand where it says."""
    per_block = sb.descriptors_per_block
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
            group = number + at // sb.descriptor
            first, stop = (0, sb.blocks) if sb.incompatible & FLEX_BG else (sb.start_of(group), sb.start_of(group + 1))
            if not max(1, first) <= blocks < min(stop, sb.blocks) and not unwritten:
                raise Unsound(f"the bitmap of group {group}")
            yield _Group(blocks, inodes, table, unwritten, *_counts(sb, data, at))


def _counts(sb: Super, data: bytes, at: int) -> tuple[int, tuple[int, int] | None]:
    """Free clusters of a group, and the checksum of its bitmap with the bits that are kept of it."""
    wide = sb.descriptor >= 64
    free = struct.unpack_from("<H", data, at + 0x0C)[0] | (
        struct.unpack_from("<H", data, at + 0x2C)[0] << 16 if wide else 0
    )
    if sb.seed is None:
        return free, None
    checksum = struct.unpack_from("<H", data, at + 0x18)[0]
    if wide:
        return free, (checksum | struct.unpack_from("<H", data, at + 0x38)[0] << 16, 0xFFFF_FFFF)
    return free, (checksum, 0xFFFF)


def _descriptor_block(sb: Super, index: int) -> int:
    """Where the ``index``-th block of descriptors stands: after the superblock, or with meta_bg in its own groups."""
    if not sb.incompatible & META_BG or index < sb.first_meta:
        return sb.first_block + 1 + index + (1 if sb.block == 1024 and sb.first_block == 0 else 0)
    first = index * sb.descriptors_per_block
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


def _bitmaps(part: Window, sb: Super, groups: list[_Group]) -> Iterator[bytes]:
    """The bitmaps of all groups in order. Those that stand in a row on the disk are read in one go."""
    length = sb.clusters_per_group // 8
    waiting: list[_Group] = []
    for number, group in enumerate(groups):
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
        for group, at in zip(row, range(0, len(data), sb.block), strict=True):
            bitmap = data[at : at + length]
            if group.checksum is not None and sb.seed is not None:
                expected, mask = group.checksum
                if _checksum(sb.seed, bitmap) & mask != expected:
                    raise Unsound("the checksum of a bitmap")
            yield bitmap


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
    per_block = sb.descriptors_per_block
    own = int(_has_super(sb, number))
    meta = number // per_block
    if sb.incompatible & META_BG and meta >= sb.first_meta:
        inside = number % per_block
        return own + (1 if inside in (0, 1, per_block - 1) else 0)
    if not own:
        return 0
    whole = sb.first_meta if sb.incompatible & META_BG else div_up(sb.groups, per_block)
    return own + whole + sb.reserved_gdt
