"""Pairs of disks with what was wished and known, whose whole answers were read once and then agreed upon."""

import os
from pathlib import Path
from typing import NamedTuple

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.model import Disk, Health, Lightened, NamedPlace, StartCode
from ylemorph.core.disk.roles import BASIC_DATA, BIOS_BOOT, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.sizes import GB, GiB, MiB

ROOMY = Facts(both_attached="yes", change_source="yes", workspace=2**42, backup="yes", backup_size=200 * GiB)


class Scene(NamedTuple):
    source: Disk
    target: Disk
    options: Options = Options()
    facts: Facts = ROOMY


def till() -> Disk:
    """An MBR with a system that starts by code before the first row, and two logicals."""
    return disk(
        1_953_525_168,
        part(
            1,
            MiB,
            100 * GiB,
            "0x07",
            fs("ntfs", 41 * GiB, label="Till", named_start_lba=2048),
            role="system",
            flags=frozenset(("active",)),
        ),
        part(2, 100 * GiB + MiB, 600 * GiB, "0x0F"),
        part(5, 100 * GiB + 2 * MiB, 300 * GiB, "0x07", fs("ntfs", 120 * GiB, label="Receipts"), logical=True),
        part(6, 400 * GiB + 3 * MiB, 200 * GiB, "0x0B", fs("fat32", 9 * GiB, label="Scans"), logical=True),
        table="mbr",
        table_id="0x1a2b3c4d",
        start_code=StartCode(63, "ab" * 32),
        model="Brindle K4",
        serial="BK4-0007",
    )


def reading_room() -> Disk:
    """Rows of a Linux, one of them locked, one that nobody can look into, one with an end that cannot be moved."""
    return row_of(
        (512 * MiB, EFI_SYSTEM, fs("fat32", 12 * MiB, fallback_loader=False)),
        (60 * GiB, LINUX_DATA, fs("ext4", 21 * GiB, label="root", immovable_end_byte=30 * GiB), {"role": "system"}),
        (8 * GiB, LINUX_SWAP, fs("swap", state="hibernated")),
        (120 * GiB, LINUX_DATA, fs("btrfs", 30 * GiB, label="Shelves", allocated_bytes=70 * GiB), {"role": "data"}),
        (80 * GiB, LINUX_DATA, fs("xfs", 15 * GiB, label="Index"), {"role": "data"}),
        (50 * GiB, LINUX_DATA, fs("luks", state="locked")),
        (40 * GiB, BASIC_DATA, None, {"name": "Old"}),
        label_gb=500,
        model="Quillon S2",
    )


def tired() -> Disk:
    """A worn disk whose data stand near its end, with folders that need not go over."""
    held = fs(
        "ntfs", 300 * GiB, label="Stacks", last_used_byte=700 * GiB, data_end_byte=650 * GiB, end_owner="a film",
        lightened=(Lightened("Films", 90 * GiB), Lightened("Old scans", 60 * GiB)),
    )  # fmt: skip
    return row_of(
        (900 * GiB, BASIC_DATA, held, {"role": "data"}),
        (20 * GiB, BASIC_DATA, fs("ntfs", 3 * GiB, label="Tools", state="dirty"), {"role": "tools"}),
        label_gb=1000,
        rotational=True,
        health=Health("worn", 41_000, 12, 0, None),
    )


def by_bios() -> Disk:
    """A GPT that a BIOS starts, with start data that name the disk and a row."""
    named = (NamedPlace("11111111-2222-4333-8444-555555555555", "22222222-2222-4333-8444-555555555555"),)
    return row_of(
        (MiB, BIOS_BOOT, None),
        (90 * GiB, LINUX_DATA, fs("ext4", 33 * GiB, label="desk"), {"role": "system"}),
        (200 * GiB, BASIC_DATA, fs("ntfs", 80 * GiB, label="Lent", start_data=named),
         {"role": "data", "uuid": "22222222-2222-4333-8444-555555555555"}),
        label_gb=320,
        table_id="11111111-2222-4333-8444-555555555555",
        start_code=StartCode(1, "cd" * 32, loader_lba=2048, rest_sha256="ef" * 32),
    )  # fmt: skip


def sticks() -> Disk:
    """Data alone, in file systems that few utilities resize."""
    return row_of(
        (30 * GiB, BASIC_DATA, fs("exfat", 11 * GiB, label="Loan"), {"role": "data"}),
        (1 * GiB, BASIC_DATA, fs("fat16", 100 * MiB, label="Keys"), {"role": "data"}),
        (20 * GiB, BASIC_DATA, fs("ntfs", 0, label="Empty"), {"role": "data"}),
        label_gb=64,
    )


SCENES: dict[str, Scene] = {
    "desk-smaller": Scene(desk(model="Brindle K4", serial="BK4-0001"), nominal_disk(480 * GB).but(model="Quillon S2")),
    "desk-larger": Scene(desk(), nominal_disk(2000 * GB), Options(fit="rest-to-one", grow=4, tail=Tail(0, 500))),
    "desk-too-small": Scene(desk(), nominal_disk(240 * GB), facts=ROOMY.but(change_source="no")),
    "desk-much-too-small": Scene(
        desk(), nominal_disk(120 * GB), Options(fit="same", pins=((3, 300 * GiB),), tail=Tail(5 * GiB))
    ),
    "desk-4k": Scene(
        desk(), Disk(250_000_000, 4096, 4096), Options(fit="even-fill", free_after=3, growth=((4, 40 * GiB),))
    ),
    "desk-nothing-known": Scene(desk(), nominal_disk(480 * GB), Options(firmware="legacy"), Facts()),
    "till-smaller": Scene(till(), nominal_disk(480 * GB), Options(firmware="legacy")),
    "till-larger-held": Scene(till(), nominal_disk(4000 * GB), Options(fit="snug", hold=frozenset((5,)))),
    "till-to-gpt": Scene(till(), nominal_disk(2000 * GB), Options(table="gpt", leave=frozenset((6,)))),
    "reading-room": Scene(reading_room(), nominal_disk(320 * GB), facts=ROOMY.but(both_attached="no")),
    "reading-room-larger": Scene(reading_room(), nominal_disk(1000 * GB), Options(order=(1, 2, 4, 3, 5, 6, 7))),
    "tired": Scene(tired(), nominal_disk(500 * GB), Options(cleared=frozenset((1,))), Facts(health="failing")),
    "tired-to-mbr": Scene(tired(), nominal_disk(4000 * GB), Options(table="mbr", fit="same")),
    "by-bios": Scene(by_bios(), nominal_disk(500 * GB), Options(firmware="legacy", identity="new", order=(2, 1, 3))),
    "sticks": Scene(sticks(), nominal_disk(32 * GB), facts=Facts(both_attached="yes", encryption="active")),
    "sticks-larger": Scene(sticks(), nominal_disk(128 * GB), Options(fit="same"), Facts(both_attached="yes")),
}


def agreed(place: Path, text: str) -> None:
    """``text`` is what stands in that file; ``AGREE=1`` writes it, to be read before it is kept."""
    if os.environ.get("AGREE"):
        place.parent.mkdir(exist_ok=True)
        place.write_text(text)
    assert text == place.read_text()
