"""Roles (rule 4): proposed from the type, then the flags, then the label. Never guessed silently."""

import re
from collections.abc import Mapping
from typing import NamedTuple

from ..sizes import GiB
from .filesystems import ABILITIES, kind_of
from .model import Disk, Partition, Role

# GPT type GUIDs: UEFI specification, Microsoft's partition type list, Discoverable Partitions Specification
# (all from memory).
BIOS_BOOT = "21686148-6449-6E6F-744E-656564454649"
EFI_SYSTEM = "C12A7328-F81F-11D2-BA4B-00A0C93EC93B"
MICROSOFT_RESERVED = "E3C9E316-0B5C-4DB8-817D-F92DF00215AE"
BASIC_DATA = "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"
RECOVERY = "DE94BBA4-06D1-4D40-A16A-BFD50179D6AC"
LINUX_DATA = "0FC63DAF-8483-4772-8E79-3D69D8477DE4"
LINUX_SWAP = "0657FD6D-A4AB-43C4-84E5-0933C84B4F4F"

ROLE_BY_TYPE: dict[str, Role] = {
    EFI_SYSTEM: "start",
    BIOS_BOOT: "start",
    "BC13C2FF-59E6-4262-A352-B275FD6F7172": "start",  # extended boot loader partition
    MICROSOFT_RESERVED: "reserved",
    RECOVERY: "recovery",
    LINUX_SWAP: "swap",
    "4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709": "system",  # Linux root, x86-64
    "44479540-F297-41B2-9AF7-D131D5F0458A": "system",  # Linux root, x86
    "B921B045-1DF0-41C3-AF44-4C6F280D3FAE": "system",  # Linux root, ARM 64
    "933AC7E1-2EB4-4F13-B844-0E14E2AEF915": "data",  # Linux home
    "3B8F8425-20E0-4F3B-907F-1A25A76F98E8": "data",  # Linux server data
    "0xEF": "start",
    "0x27": "recovery",
    "0x12": "tools",
    "0x82": "swap",
}

# Whole words in a label. Common practice, no source.
_LABEL_WORDS: tuple[tuple[str, Role], ...] = (
    ("recovery|restore", "recovery"),
    ("tools|utilities|diagnostics|support", "tools"),
    ("efi|esp|boot|system reserved", "start"),
    ("windows|system|root|os", "system"),
)
ROLE_BY_LABEL = tuple((re.compile(rf"\b(?:{words})\b", re.IGNORECASE), role) for words, role in _LABEL_WORDS)

START_MOST_BYTES = 2 * GiB  # "small" in rule 4.1. Common practice, no source
WINDOWS_KINDS = frozenset(("ntfs", "refs", "bitlocker"))
SYSTEM_KINDS = WINDOWS_KINDS | {"ext2", "ext3", "ext4", "btrfs", "xfs", "f2fs", "apfs", "hfs+", "luks", "lvm"}


class Roles(NamedTuple):
    """Role by partition number, and the numbers that could each hold the operating system where none was told apart."""

    by_number: dict[int, Role]
    in_doubt: tuple[int, ...]


def propose_roles(disk: Disk, given: Mapping[int, Role] | None = None) -> Roles:
    """Roles of the disk's rows: ``given`` ones first, then the survey's own, then rule 4.1's.

    Where one partition alone could hold the operating system of a disk that starts, or one alone of several shows
    traces of it, it is the system; where several could, they stay ``data`` and are named in ``in_doubt`` for the user
    to choose from.
    """
    found: dict[int, Role | None] = {p.number: p.role or _role_told(disk, p) for p in disk.rows}
    found.update(given or {})
    in_doubt = _choose_system(disk, found)
    return Roles({p.number: found[p.number] or _rest_role(p) for p in disk.rows}, in_doubt)


def _choose_system(disk: Disk, found: dict[int, Role | None]) -> tuple[int, ...]:
    """Set the system in ``found`` where one row alone can be it; else the numbers of those that could."""
    known = set(found.values())
    starts = "start" in known or any("active" in p.flags for p in disk.rows)
    if "system" in known or None not in known or not starts:
        return ()
    candidates = [p for p in disk.rows if found[p.number] is None and kind_of(p) in SYSTEM_KINDS]
    hinted = [p for p in candidates if _has_hint(p)]
    if len(candidates) == 1 or len(hinted) == 1:
        found[(hinted or candidates)[0].number] = "system"
        return ()
    return tuple(p.number for p in candidates)


def _has_hint(partition: Partition) -> bool:
    """Whether the reader saw there what only an operating system leaves."""
    return partition.filesystem is not None and bool(partition.filesystem.system_hint)


class RoleNote(NamedTuple):
    """A row's role and how sure it is: ``proposed`` by flags, label or elimination; ``in_doubt`` to be chosen."""

    number: int
    role: Role
    proposed: bool
    in_doubt: bool


def role_notes(disk: Disk, given: Mapping[int, Role]) -> tuple[RoleNote, ...]:
    """What the source screen says of each row's role; the user, the survey and the type are sure (rule 4.1)."""
    roles = propose_roles(disk, given)
    return tuple(
        RoleNote(
            p.number,
            roles.by_number[p.number],
            p.number not in given and p.role is None and p.type not in ROLE_BY_TYPE,
            p.number in roles.in_doubt,
        )
        for p in disk.rows
    )


def _role_told(disk: Disk, partition: Partition) -> Role | None:
    """The role that type, flags or label tell, None where they do not."""
    by_type = ROLE_BY_TYPE.get(partition.type)
    if by_type is not None:
        return by_type
    if kind_of(partition) == "swap":
        return "swap"
    if _is_active_start(disk, partition):
        return "start"
    for pattern, role in ROLE_BY_LABEL:
        if pattern.search(partition.label):
            return role
    return None


def _is_active_start(disk: Disk, partition: Partition) -> bool:
    """The active small boot partition of an MBR disk, which has another one that can hold the system."""
    if disk.table != "mbr" or "active" not in partition.flags:
        return False
    others = any(p is not partition and kind_of(p) in SYSTEM_KINDS for p in disk.rows)
    return others and partition.sectors * disk.logical_sector_bytes <= START_MOST_BYTES


def _rest_role(partition: Partition) -> Role:
    """A file system that can be resized or read holds data; anything else is unknown."""
    kind = kind_of(partition)
    return "data" if kind == "exfat" or any(ABILITIES[kind][:2]) or kind in SYSTEM_KINDS else "unknown"
