"""ext2, ext3 and ext4 (the kernel's documentation of the on-disk layout, from memory).

A group that was never written has no bitmap on the disk: it is derived. With bigalloc a bit stands for a cluster of
blocks. A journal that waits to be played means that bitmaps may be stale. Checksums of the superblock and the bitmaps
are checked where the file system has them.
"""

import struct
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.model import Backups, ExtLayout, FileSystem, FileSystemNote, Kind, State
from ..core.sizes import Bytes, div_up
from .bits import BitCounter
from .ext_super import (
    BIGALLOC,
    BLOCK_UNINIT,
    ERRORS,
    EXTENTS,
    FLEX_BG,
    GDT_CSUM,
    HAS_JOURNAL,
    JOURNAL_DEVICE,
    META_BG,
    METADATA_CSUM,
    NEEDS_RECOVERY,
    OLD_INCOMPATIBLE,
    OLD_READ_ONLY,
    SPARSE_SUPER,
    SPARSE_SUPER2,
    STABLE_INODES,
    SUPER_AT,
    VALID,
    Super,
    checksum_of,
    label_of,
    read_super,
    uuid_of,
)
from .media.medium import Unsound, Window

BATCH = 256


def read_ext(part: Window) -> FileSystem:
    """What the file system tells; where a structure is broken the state is ``damaged`` and the rest stays unknown."""
    data = part.read(SUPER_AT, 1024)
    if struct.unpack_from("<I", data, 0x60)[0] & JOURNAL_DEVICE:
        return FileSystem("unknown", label=label_of(data), uuid=uuid_of(data), detail="external ext journal")
    try:
        sb = read_super(data)
    except Unsound:
        return FileSystem(_kind(*struct.unpack_from("<III", data, 0x5C)), state="damaged")
    known = FileSystem(_kind_of(sb), label=sb.label, uuid=sb.uuid, cluster_bytes=Bytes(sb.cluster), state="damaged")
    if sb.blocks * sb.block > part.size:
        return known
    known = known.but(size_bytes=Bytes(sb.blocks * sb.block))
    try:
        groups = list(groups_of(part, sb))
        clusters = div_up(sb.blocks - sb.first_block, sb.ratio)
        counter = BitCounter(clusters)
        for bitmap in bitmaps_of(part, sb, groups):
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
        state=_state(sb, notes) if all(group.sound for group in groups) else "damaged",
        notes=notes,
        files=sb.inodes_used,
        ext=_layout(sb, groups),
    )


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


def _layout(sb: Super, groups: list["ExtGroup"]) -> ExtLayout:
    """What the least size follows from; files have what is neither free nor a group's own."""
    per_block = sb.descriptors_per_block
    meta = sb.incompatible & META_BG
    own = sum(sb.inode_blocks + 2 + base_blocks(sb, number) for number in range(sb.groups))
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
        flex=bool(sb.incompatible & FLEX_BG),
        extents=bool(sb.incompatible & EXTENTS),
        meta_from=sb.first_meta * per_block if meta else None,
        meta_groups=per_block,
    )


class ExtGroup(NamedTuple):
    """Where a group's bitmaps and table of inodes stand, in blocks of the file system, and its free clusters.

    ``sound``: whether its bitmap and table of inodes can stand where it says; the resizer refuses a volume where they
    cannot. ``checksum``: of the bitmap of blocks, as many bits of it as the descriptor has room for, and None where
    unchecked.
    """

    block_bitmap: int
    inode_bitmap: int
    inode_table: int
    unwritten: bool
    sound: bool
    free: int = 0
    checksum: tuple[int, int] | None = None


def groups_of(part: Window, sb: Super) -> Iterator[ExtGroup]:
    """The descriptors of all groups, in order. Raises Unsound where a group's bitmap of blocks cannot stand where it
    says."""
    per_block = sb.descriptors_per_block
    for number in range(0, sb.groups, per_block):
        block = _descriptor_block(sb, number // per_block)
        count = min(per_block, sb.groups - number)
        data = part.read(block * sb.block, count * sb.descriptor)
        for at in range(0, len(data), sb.descriptor):
            words = struct.unpack_from("<III", data, at)
            upper = struct.unpack_from("<III", data, at + 0x20) if sb.descriptor >= 64 else (0, 0, 0)
            flags = struct.unpack_from("<H", data, at + 0x12)[0]
            unwritten = bool(flags & BLOCK_UNINIT and sb.read_only & (GDT_CSUM | METADATA_CSUM))
            blocks, inodes, table = (a | b << 32 for a, b in zip(words, upper, strict=True))
            group = number + at // sb.descriptor
            first, stop = (0, sb.blocks) if sb.incompatible & FLEX_BG else (sb.start_of(group), sb.start_of(group + 1))
            low, high = max(1, first), min(stop, sb.blocks)
            if not low <= blocks < high and not unwritten:
                raise Unsound(f"the bitmap of group {group}")
            sound = unwritten or (low <= inodes < high and low <= table <= high - sb.inode_blocks)
            yield ExtGroup(blocks, inodes, table, unwritten, sound, *_counts(sb, data, at))


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


def bitmaps_of(part: Window, sb: Super, groups: list[ExtGroup]) -> Iterator[bytes]:
    """The bitmaps of all groups in order. Those that stand in a row on the disk are read in one go."""
    length = sb.clusters_per_group // 8
    waiting: list[ExtGroup] = []
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


def _read_row(part: Window, sb: Super, row: list[ExtGroup], length: int) -> Iterator[bytes]:
    if row:
        data = part.read(row[0].block_bitmap * sb.block, len(row) * sb.block)
        for group, at in zip(row, range(0, len(data), sb.block), strict=True):
            bitmap = data[at : at + length]
            if group.checksum is not None and sb.seed is not None:
                expected, mask = group.checksum
                if checksum_of(sb.seed, bitmap) & mask != expected:
                    raise Unsound("the checksum of a bitmap")
            yield bitmap


def _derived(sb: Super, number: int, group: ExtGroup) -> bytes:
    """The bitmap of a group that was never written: its copy of the superblock and descriptors, and its own tables."""
    start, count = sb.start_of(number), sb.blocks_in(number)
    taken: list[tuple[int, int]] = [(start, start + base_blocks(sb, number))]
    for block, length in ((group.block_bitmap, 1), (group.inode_bitmap, 1), (group.inode_table, sb.inode_blocks)):
        taken.append((block, block + length))
    bits = 0
    for first, stop in taken:
        low, high = max(first, start) - start, min(stop, start + count) - start
        if low < high:
            low, high = low // sb.ratio, div_up(high, sb.ratio)
            bits |= (1 << high) - (1 << low)
    return bits.to_bytes(sb.clusters_per_group // 8, "little")


def base_blocks(sb: Super, number: int) -> int:
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
