"""How a disk starts, as far as its own bytes say so (rules 14.1, 14.2 and 14.5)."""

from typing import NamedTuple

from .model import Disk, NamedPlace, Partition
from .roles import BIOS_BOOT, EFI_SYSTEM

# File systems whose boot sector names where they start: hidden sectors of FAT (Microsoft FAT specification,
# "BPB_HiddSec") and NTFS (from memory), partition offset of exFAT (Microsoft exFAT specification, "PartitionOffset").
HIDDEN_AT, HIDDEN_BYTES = 0x1C, 4  # of FAT and NTFS
NAMING_KINDS = frozenset(("fat16", "fat32", "ntfs", "exfat"))
# Code of the first sector ends where signature and table begin (UEFI specification, "Legacy Master Boot Record").
CODE_BYTES = 440
# A row starts here at the latest on a disk whose first rows were not taken out; further on lies what they left.
MOST_REACH_BYTES = 1 << 20
# Sector numbers of a loader that stands in a BIOS boot row: in the first sector, and in the row's own first sector,
# where they begin the list of the rest (as widely used loaders have it; no published source).
LOADER_AT, LIST_AT, LOADER_BYTES = 0x5C, 0x1F4, 8
EFI_TYPES = frozenset((EFI_SYSTEM, "0xEF"))


class Starting(NamedTuple):
    """``has_code``: of the first sector, None where it was not read. ``core_sectors``: what stands behind it.

    ``bios_row`` and ``efi_row``: what firmware of either mode starts from; ``active``: the row that is marked so.
    """

    has_code: bool | None
    core_sectors: int
    bios_row: Partition | None
    efi_row: Partition | None
    active: Partition | None

    @property
    def legacy(self) -> bool:
        """Whether firmware in legacy mode finds something to start here."""
        return bool(self.has_code) and (self.bios_row is not None or self.active is not None or self.core_sectors > 0)

    @property
    def uefi(self) -> bool:
        return self.efi_row is not None

    @property
    def fallback(self) -> bool | None:
        fs = self.efi_row.filesystem if self.efi_row is not None else None
        return None if fs is None else fs.fallback_loader


def starting_of(disk: Disk) -> Starting:
    code = disk.start_code
    return Starting(
        None if code is None else code.sectors > 0,
        max(0, code.sectors - 1) if code is not None else 0,
        next((row for row in disk.rows if row.type == BIOS_BOOT), None),
        next((row for row in disk.rows if row.type in EFI_TYPES), None),
        next((row for row in disk.rows if "active" in row.flags), None),
    )


def starting_in_words(disk: Disk) -> str:
    """One sentence."""
    start = starting_of(disk)
    ways = [*_uefi_words(start), *_legacy_words(start)]
    if ways:
        return f"Starts {', and '.join(ways)}."
    if start.has_code is None:
        return "How it starts was not read."
    return "Nothing on it starts a machine."


def _uefi_words(start: Starting) -> list[str]:
    if start.efi_row is None:
        return []
    loader = {
        True: "; firmware that does not know this disk finds its loader too",
        False: "; only firmware that was told of it finds its loader",
        None: "",
    }
    return [f"in UEFI mode from row {start.efi_row.number}{loader[start.fallback]}"]


def _legacy_words(start: Starting) -> list[str]:
    if not start.legacy:
        return []
    parts = ["code in the first sector"]
    if start.core_sectors:
        parts.append("1 sector behind it" if start.core_sectors == 1 else f"{start.core_sectors} sectors behind it")
    if start.bios_row is not None:
        parts.append(f"row {start.bios_row.number}")
    if start.active is not None:
        parts.append(f"row {start.active.number}, which is active")
    listed = parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}"
    return [f"in legacy mode by {listed}"]


def names_its_start(partition: Partition) -> bool | None:
    """Whether the boot sector names the place where the row stands; None where that is not known."""
    fs = partition.filesystem
    if fs is None or fs.kind not in NAMING_KINDS:
        return False
    return None if fs.named_start_lba is None else fs.named_start_lba == partition.first_lba


def start_data_of(disk: Disk) -> tuple[NamedPlace, ...]:
    """What start data anywhere on the disk name."""
    return tuple(place for row in disk.rows if row.filesystem for place in row.filesystem.start_data)


def named_rows(disk: Disk) -> frozenset[int]:
    """Numbers of the disk's own rows that its start data name."""
    places = [place for place in start_data_of(disk) if is_this(place, disk)]
    return frozenset(row.number for row in disk.rows if any(_is(place, row, disk) for place in places))


def is_this(place: NamedPlace, disk: Disk) -> bool:
    return bool(disk.table_id) and place.disk.upper() == disk.table_id.upper()


def _is(place: NamedPlace, row: Partition, disk: Disk) -> bool:
    if place.partition:
        return row.uuid.upper() == place.partition.upper()
    return place.start_byte == row.first_lba * disk.logical_sector_bytes


def finds_all(disk: Disk, of: str) -> bool:
    """Whether what start data name, on this disk or under the identity ``of``, is there."""
    return all(
        is_this(place, disk) and any(_is(place, row, disk) for row in disk.rows)
        for place in start_data_of(disk)
        if is_this(place, disk) or place.disk.upper() == of.upper()
    )
