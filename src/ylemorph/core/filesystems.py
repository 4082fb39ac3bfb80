"""What a file system lets you do (rule 3), its least size (rule 5.3) and its ceiling (rule 5.6)."""

from typing import NamedTuple

from .disk import Disk, FileSystem, Kind, Partition, State
from .sizes import MAX_BYTES, TiB


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

# Least cluster counts by Microsoft's FAT specification (fatgen103, from memory).
LEAST_CLUSTERS: dict[Kind, int] = {"fat32": 65_525, "fat16": 4_085}

# Rule 5.6: clusters that the file system can number, with the cluster size taken where the survey has none.
MOST_CLUSTERS: dict[Kind, int] = {"ntfs": 2**32 - 1, "ext2": 2**32, "ext3": 2**32, "ext4": 2**32}
USUAL_CLUSTER_BYTES = 4096
MOST_BYTES: dict[Kind, int] = {"fat16": 2 * TiB, "fat32": 2 * TiB}


def kind_of(partition: Partition) -> Kind:
    return partition.filesystem.kind if partition.filesystem else "unknown"


def state_of(partition: Partition) -> State:
    return partition.filesystem.state if partition.filesystem else "unknown"


def ability_of(partition: Partition, *, reserved: bool) -> Ability:
    """What may be done with a partition as it stands: a damaged, dirty, hibernated or locked one counts as unknown."""
    if reserved:
        return MADE_NEW
    fs = partition.filesystem
    return FIXED if fs is None or fs.state in BLOCKING else ABILITIES[fs.kind]


def least_bytes(fs: FileSystem) -> int:
    """The file system's own minimum, as far as it is known; 0 where nothing is known of it."""
    return LEAST_CLUSTERS.get(fs.kind, 0) * (fs.cluster_bytes or 0)


def ceiling_bytes(disk: Disk, partition: Partition, ability: Ability) -> int:
    """The most that the partition's file system can fill (rule 5.6)."""
    fs = partition.filesystem
    if not ability.larger:
        return partition.sectors * disk.logical_sector_bytes
    if fs is None or ability.made_new:
        return MAX_BYTES
    if fs.kind in MOST_BYTES:
        return MOST_BYTES[fs.kind]
    if fs.kind in MOST_CLUSTERS:
        return MOST_CLUSTERS[fs.kind] * (fs.cluster_bytes or USUAL_CLUSTER_BYTES)
    return MAX_BYTES
