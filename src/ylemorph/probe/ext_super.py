"""The superblock of an ext file system, checked (the kernel's documentation of the on-disk layout, from memory)."""

import struct
import uuid
from typing import NamedTuple

from ..core.sizes import div_up
from .media.medium import Unsound

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
    first_meta = _long(data, 0x104) if incompatible & META_BG else -1
    if first_meta > div_up(div_up(blocks - first, shape.per_group), shape.block // shape.descriptor):
        raise Unsound("the groups of descriptors")
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
        first_meta=first_meta,
        reserved_gdt=_word(data, 0xCE),
        backups=struct.unpack_from("<II", data, 0x24C),
        inodes_per_group=shape.inodes_per_group,
        inodes_used=inodes - free_inodes,
        free_clusters=free // shape.ratio,  # the superblock counts blocks, the groups clusters
        flex=1 << log_flex,
        seed=_checked_seed(data, incompatible) if read_only & METADATA_CSUM else None,
        uuid=uuid_of(data),
        label=label_of(data),
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


def checksum_of(seed: int, data: bytes) -> int:
    """CRC-32C as the file system keeps it: begun with ``seed`` and not inverted at the end."""
    import google_crc32c

    return int(google_crc32c.extend(seed ^ 0xFFFF_FFFF, data)) ^ 0xFFFF_FFFF


def _checked_seed(data: bytes, incompatible: int) -> int:
    """What the checksums begin with. Raises Unsound where the superblock's own does not hold."""
    if checksum_of(0xFFFF_FFFF, data[:0x3FC]) != struct.unpack_from("<I", data, 0x3FC)[0]:
        raise Unsound("the checksum of the superblock")
    if incompatible & CHECKSUM_SEED:
        return int(struct.unpack_from("<I", data, 0x270)[0])
    return checksum_of(0xFFFF_FFFF, data[0x68:0x78])


def label_of(data: bytes) -> str:
    return data[0x78:0x88].split(b"\0")[0].decode("utf-8", "replace")


def uuid_of(data: bytes) -> str:
    return str(uuid.UUID(bytes=bytes(data[0x68:0x78])))
