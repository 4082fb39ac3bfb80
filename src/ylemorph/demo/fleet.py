"""The demo's shelf, and the fleet of the library's branches: forty machines as their surveys came in. All invented."""

import sqlite3
from dataclasses import replace

from ..core.buy.fleet import Trouble
from ..core.buy.shelf import FormFactor, ShelfDisk
from ..core.disk.model import Disk, FileSystem, Link, Survey
from ..core.disk.roles import BASIC_DATA, EFI_SYSTEM, MICROSOFT_RESERVED, RECOVERY
from ..core.fit.options import Options
from ..core.sizes import GB, Bytes, GiB, MiB, nominal_sectors
from ..formats.listings.fleet_read import Found, read_item
from ..store import fleets, shelf
from .scenario import SECTOR, TAKEN, _Layout, disk, fs, lending_desk

# Name, size on the label in GB, link, form, price in hundredths of a euro, in stock, note.
SHELF: tuple[tuple[str, int, Link, FormFactor, int | None, int | None, str], ...] = (
    ("Quillon S2 240", 240, "sata", "2.5-inch", 24_90, 6, ""),
    ("Quillon S2 480", 480, "sata", "2.5-inch", 39_50, 14, "our usual"),
    ("Quillon S2 960", 960, "sata", "2.5-inch", 68_00, None, ""),
    ("Quillon S2 1920", 1920, "sata", "2.5-inch", 131_00, 2, ""),
    ("Quillon N3 256", 256, "nvme", "m.2", 27_90, 4, ""),
    ("Quillon N3 512", 512, "nvme", "m.2", 44_00, 9, ""),
    ("Quillon N3 1000", 1000, "nvme", "m.2", 66_50, None, ""),
    ("Quillon N3 2000", 2000, "nvme", "m.2", 118_00, None, ""),
    ("Brindle K5 500", 500, "sata", "2.5-inch", 21_00, 3, "mechanical, from old stock"),
    ("Brindle K5 1000", 1000, "sata", "2.5-inch", 38_00, 5, "mechanical"),
    ("Brindle V4 4000", 4000, "sata", "3.5-inch", 89_00, 2, "for data only"),
    ("Brindle V4 8000", 8000, "sata", "3.5-inch", 164_00, None, "to be ordered"),
)
BRANCHES = ("Orchard", "Mill", "Tollgate", "Hillside", "Bridge")
FULL = (11, 21, 29)  # machines that fit a 480 GB disk only tightly
PLACES = ("counter", "catalogue", "office", "study room", "story corner", "map table", "printer room", "returns")


def demo_shelf() -> list[ShelfDisk]:
    return [
        ShelfDisk(
            name,
            Disk(nominal_sectors(label * GB, SECTOR), physical_sector_bytes=4096, link=link),
            form,
            price,
            "EUR" if price is not None else "",
            stock,
            note,
        )
        for name, label, link, form, price, stock, note in SHELF
    ]


def _machine(number: int) -> Survey:
    """A branch's machine: what it holds follows from its number, so that the demo is the same every time."""
    label = (500, 1000, 500, 250, 1000)[number % 5]
    system = {250: 190, 500: 250, 1000: 400}[label]
    used, held = 48 + (number * 37) % 120 + (90 if number % 11 == 0 else 0), 0
    data = max(0, label * GB // GiB - system - 4) if label > 250 else 0
    if data:
        held = (number * 53) % 170 + (data - 20 if number % 13 == 5 else 0)
        used, held = (250, 165) if number in FULL else (used, held)
    parts = _Layout()
    parts.add(100 * MiB, EFI_SYSTEM, fs("fat32", "", 100 * MiB, 29 * MiB))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(system * GiB, BASIC_DATA, fs("ntfs", "System", system * GiB, used * GiB, reach=0.8), role="system")
    if data:
        parts.add(data * GiB, BASIC_DATA, fs("ntfs", "Data", data * GiB, min(held, data - 8) * GiB), role="data")
    parts.add(600 * MiB, RECOVERY, fs("ntfs", "Recovery", 600 * MiB, 440 * MiB), flags=("required", "no-auto"))
    return disk("Brindle K4", f"BK4-2{number:04}", label, parts, rotational=True)


def _encrypted() -> Survey:
    parts = _Layout()
    parts.add(100 * MiB, EFI_SYSTEM, fs("fat32", "", 100 * MiB, 29 * MiB))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(464 * GiB, BASIC_DATA, FileSystem("bitlocker", state="locked"), role="system")
    return disk("Quillon S1", "QS1-2907", 500, parts)


def earlier(survey: Survey, day: str, *used: int) -> Survey:
    """The same disk as it was on another day, with so many GiB in its rows that hold more than 20."""
    left = list(used)
    parts = tuple(
        part.but(filesystem=part.filesystem.but(used_bytes=Bytes(left.pop(0) * GiB), usage_map=None))
        if part.filesystem and (part.filesystem.used_bytes or 0) > 20 * GiB and left
        else part
        for part in survey.disk.partitions
    )
    return Survey(replace(survey.disk, partitions=parts), day)


def branches() -> list[Found | Trouble]:
    """Forty machines: one encrypted, one twice, one surveyed at three times, one file damaged."""
    found: list[Found | Trouble] = []
    for number in range(37):
        name = f"{BRANCHES[number % 5]} {PLACES[number // 5]}"
        found.append(Found(name, f"branches/{name}.json", _machine(number)))
    found.append(Found("Bridge office laptop", "branches/Bridge office laptop.json", _encrypted()))
    found.append(Found("Mill counter again", "branches/Mill counter again.json", _machine(1)))
    desk = lending_desk()
    for day, used in (("2025-05-20T09:00:00Z", (101, 90)), ("2026-02-02T09:00:00Z", (118, 92)), (TAKEN, (131, 96))):
        found.append(Found("Lending desk", f"branches/Lending desk {day[:10]}.json", earlier(desk, day, *used)))
    found.extend(read_item("branches/Hillside returns.json", b'{"format": "ylemorph.disk/1", "disk": {"sectors": 97'))
    return found


def load_fleet(connection: sqlite3.Connection) -> None:
    """The shelf, and the fleet against four of its disks; what it says is worked out when it is opened."""
    items = demo_shelf()
    shelf.write(connection, items)
    targets = tuple(item for item in items if item.name in FLEET_TARGETS)
    fleet = fleets.create(connection, "Branches, autumn", fleets.Wishes(targets, ("proportional", "snug"), Options()))
    fleets.add(connection, fleet, branches())


FLEET_TARGETS = ("Quillon S2 480", "Quillon N3 512", "Quillon S2 960", "Brindle K5 500")
