"""Disks that one could buy: the nominal sizes in the trade (common practice, no source)."""

from ..sizes import GB, div_up, nominal_sectors
from .model import Disk

NOMINAL_GB = (
    120, 128, 240, 250, 256, 480, 500, 512, 960, 1000, 1920, 2000, 3840, 4000, 6000, 8000, 10_000, 12_000, 16_000,
    20_000, 24_000,
)  # fmt: skip


def label_of(gigabytes: int) -> str:
    """As a size is typed: ``480GB``, ``2TB``."""
    return f"{gigabytes}GB" if gigabytes % 1000 else f"{gigabytes // 1000}TB"


def as_read(label: str) -> str:
    """As a size is read: ``480 GB``, ``2 TB``."""
    return f"{label[:-2]} {label[-2:]}"


def nominal_disk(label_bytes: int, sector: int = 512) -> Disk:
    """A blank disk of a nominal size (rule 1.3). Most disks with 512-byte sectors have 4096-byte physical ones."""
    return Disk(sectors=nominal_sectors(label_bytes, sector), logical_sector_bytes=sector, physical_sector_bytes=4096)


def shelf_disks(sector: int) -> list[tuple[int, Disk]]:
    """Nominal sizes in GB with their disks, smallest first."""
    return [(gigabytes, nominal_disk(gigabytes * GB, sector)) for gigabytes in NOMINAL_GB]


def smallest_holding(held_bytes: int, sector: int) -> Disk:
    """The smallest disk of a usual size that holds so many bytes; past the largest, one of just that size."""
    for _, disk in shelf_disks(sector):
        if disk.size_bytes >= held_bytes:
            return disk
    return Disk(sectors=div_up(held_bytes, sector), logical_sector_bytes=sector)
