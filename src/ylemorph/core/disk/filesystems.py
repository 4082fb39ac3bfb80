"""What a file system lets you do (rule 3), its least size (rule 5.3) and its ceiling (rule 5.6)."""

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

from ..sizes import MAX_BYTES, GiB, TiB, div_up
from .btrfs_least import LEAST_DEVICE
from .ext_least import least_ext_bytes, own_ext_bytes, shed_ext_bytes, usual_ext_layout
from .model import Disk, FileSystem, FileSystemNote, Kind, Partition, State


class Ability(NamedTuple):
    """May it be made smaller, larger; is it made new on the target without content."""

    smaller: bool
    larger: bool
    made_new: bool = False


FREE = Ability(True, True)
GROW_ONLY = Ability(False, True)
FIXED = Ability(False, False)
MADE_NEW = Ability(True, True, made_new=True)

ABILITIES: dict[Kind, Ability] = {
    "ntfs": FREE, "ext2": FREE, "ext3": FREE, "ext4": FREE, "btrfs": FREE, "hfs+": FREE, "apfs": FREE,
    "fat16": FREE, "fat32": FREE,
    "xfs": GROW_ONLY, "refs": GROW_ONLY, "f2fs": GROW_ONLY,
    "exfat": FIXED, "lvm": FIXED, "luks": FIXED, "bitlocker": FIXED, "unknown": FIXED,
    "swap": MADE_NEW,
}  # fmt: skip

EXT_KINDS: frozenset[Kind] = frozenset(("ext2", "ext3", "ext4"))

# How each kind is written for people.
KIND_NAMES: dict[Kind, str] = {
    "ntfs": "NTFS", "fat16": "FAT16", "fat32": "FAT32", "exfat": "exFAT", "ext2": "ext2", "ext3": "ext3",
    "ext4": "ext4", "xfs": "XFS", "btrfs": "btrfs", "f2fs": "F2FS", "refs": "ReFS", "apfs": "APFS", "hfs+": "HFS+",
    "swap": "swap", "lvm": "LVM member", "luks": "LUKS", "bitlocker": "BitLocker", "unknown": "unknown",
}  # fmt: skip

# States in which nothing may be resized, and what frees it.
BLOCKING: dict[State, str] = {
    "damaged": "repair it on the source, then survey again",
    "dirty": "check it and shut the machine down cleanly, then survey again",
    "hibernated": "start the machine and shut it down fully, then survey again",
    "locked": "unlock or decrypt it on the source, then survey again",
}

# Least cluster counts of a FAT that is made, by Microsoft's FAT specification (fatgen103, from memory). One with fewer
# is read all the same; its floor is then its present size.
LEAST_CLUSTERS: dict[Kind, int] = {"fat32": 65_525, "fat16": 4_085}

# The tables stand on whole sectors of up to 4 KiB; before them 32 reserved ones, which for a FAT16 are one and the root
# folder (the same specification).
FAT_UNIT, FAT_BEFORE = 4096, 32 * 4096

# Rule 5.6: clusters that the file system can number, with the cluster size taken where the survey has none.
MOST_CLUSTERS: dict[Kind, int] = {
    "ntfs": 2**32 - 1,
    "ext2": 2**32,
    "ext3": 2**32,
    "ext4": 2**32,
    "fat16": 65_524,
}
USUAL_CLUSTER_BYTES = 4096
MOST_BYTES: dict[Kind, int] = {"fat16": 2 * TiB, "fat32": 2 * TiB}

# btrfs: the largest piece of a device that a shrink moves at once: a chunk, 1 GiB or a tenth of it (the project's
# documentation, from memory; checked by shrinking).
BTRFS_CHUNK_MOST = GiB
# What a count by a mounted btrfs, or a typed one, leaves out: room in chunks that are not full; common practice.
BTRFS_LEFT_OUT_PERCENT = 10


def kind_of(partition: Partition) -> Kind:
    return partition.filesystem.kind if partition.filesystem else "unknown"


def state_of(partition: Partition) -> State:
    return partition.filesystem.state if partition.filesystem else "unknown"


# Features for which the usual resizer refuses: without force at all, or only to make it smaller (resize2fs, tried).
REFUSED: dict[FileSystemNote, Ability] = {"bigalloc": FIXED, "stable-inodes": GROW_ONLY}


def ability_of(partition: Partition, *, reserved: bool) -> Ability:
    """What may be done with a partition as it stands: a damaged, dirty, hibernated or locked one counts as unknown."""
    if reserved:
        return MADE_NEW
    fs = partition.filesystem
    if fs is None or fs.state in BLOCKING:
        return FIXED
    if fs.kind == "lvm" and fs.used_kind == "counted":
        return FREE  # its metadata were read (rule 3)
    if fs.notes:
        return next((REFUSED[note] for note in fs.notes if note in REFUSED), ABILITIES[fs.kind])
    return ABILITIES[fs.kind]


def least_bytes(fs: FileSystem, size: int, lightened: int = 0) -> int:
    """The least that the usual resizer makes of it (rule 5.3), in a partition of ``size`` bytes with ``lightened``
    bytes of files gone; 0 where the kind has no minimum of its own, or nothing is known of it.

    Where the file system was not read itself (rule 5.1b) it is what its resizer said on the machine that has it, else
    an estimate from its usual layout. Its resizer's word knows of no files that go, so lightening does not lower it.
    """
    if fs.told_by == "resizer" and fs.told_least_bytes is not None and not was_read(fs):
        return fs.told_least_bytes
    least = _LEAST.get(fs.kind)
    return least(fs, size, lightened) if least else 0


def shed_bytes(fs: FileSystem, lightened: int = 0) -> int:
    """Of the used space, what the file system keeps for stretches that it gives up when made as small as it can be."""
    return shed_ext_bytes(fs.ext, lightened) if fs.ext is not None else 0


def was_read(fs: FileSystem) -> bool:
    """Whether its least size follows from its own structures."""
    read = fs.ext if fs.kind in EXT_KINDS else fs.allocated_bytes if fs.kind == "btrfs" else fs.last_used_byte
    return read is not None


def is_estimate(fs: FileSystem) -> bool:
    """Whether the least size is worked out from a usual layout, since nothing that knows it was asked."""
    return (fs.kind in EXT_KINDS or fs.kind == "btrfs") and not was_read(fs) and fs.told_by != "resizer"


def told_least(fs: FileSystem | None) -> int | None:
    """How small the running Windows makes it by itself, in bytes; a resizer from outside may go further."""
    return fs.told_least_bytes if fs is not None and fs.told_by == "windows" else None


def is_sealed(fs: FileSystem | None) -> bool:
    """Whether its bytes on the disk are encrypted although it is open: only the system that runs from it reads them."""
    return fs is not None and fs.encryption in ("paused", "active")


def _least_fat(fs: FileSystem, _size: int, _lightened: int) -> int:
    """The clusters, both tables of them, and what stands before these."""
    if not fs.cluster_bytes:
        return 0
    clusters = LEAST_CLUSTERS[fs.kind]
    table = div_up((clusters + 2) * (4 if fs.kind == "fat32" else 2), FAT_UNIT) * FAT_UNIT
    return clusters * fs.cluster_bytes + 2 * table + FAT_BEFORE


def _least_ext(fs: FileSystem, size: int, lightened: int) -> int:
    if fs.ext is not None:
        return least_ext_bytes(fs.ext, lightened)
    if fs.used_bytes is None:
        return 0
    whole = usual_ext_layout(size, fs.used_bytes)
    if fs.used_kind in ("counted", "mounted"):  # these count the tables too
        whole = usual_ext_layout(size, max(0, fs.used_bytes - own_ext_bytes(whole)))
    return least_ext_bytes(whole, lightened)


def _least_btrfs(fs: FileSystem, size: int, _lightened: int) -> int:
    """Chunks are not given up by taking files away, so lightening does not lower it."""
    if fs.least_bytes is not None:
        return fs.least_bytes
    if fs.allocated_bytes is not None:
        return max(LEAST_DEVICE, fs.allocated_bytes + min(BTRFS_CHUNK_MOST, size // 10))
    if fs.used_bytes is None:
        return 0
    return max(LEAST_DEVICE, fs.used_bytes * (100 + BTRFS_LEFT_OUT_PERCENT) // 100 + min(BTRFS_CHUNK_MOST, size // 10))


def _least_lvm(fs: FileSystem, _size: int, _lightened: int) -> int:
    """Extents are whole, and are not given up by taking files away."""
    return fs.used_bytes or 0


HAS_LEAST = frozenset(("fat16", "fat32", "ext2", "ext3", "ext4", "btrfs", "lvm"))
# Kinds whose least size is exact, so that nothing is added to what is in use (rule 5.2).
WITHOUT_SLACK: frozenset[Kind] = frozenset(("lvm",))
_LEAST: dict[Kind, Callable[[FileSystem, int, int], int]] = {
    "fat16": _least_fat,
    "fat32": _least_fat,
    "ext2": _least_ext,
    "ext3": _least_ext,
    "ext4": _least_ext,
    "btrfs": _least_btrfs,
    "lvm": _least_lvm,
}


def ceiling_bytes(disk: Disk, partition: Partition, ability: Ability) -> int:
    """The most that the partition's file system can fill (rule 5.6)."""
    if not ability.larger:
        return partition.sectors * disk.logical_sector_bytes
    fs = partition.filesystem
    if fs is None or ability.made_new:
        return MAX_BYTES
    return _ceiling(fs.kind, fs.cluster_bytes)


@lru_cache(maxsize=256)
def _ceiling(kind: Kind, cluster: int | None) -> int:
    most, clusters = MOST_BYTES.get(kind, MAX_BYTES), MOST_CLUSTERS.get(kind)
    if clusters is None or (kind == "fat16" and cluster is None):
        return most  # clusters of a FAT16 may be anything from 512 bytes on
    return min(most, clusters * (cluster or USUAL_CLUSTER_BYTES))
