"""What start data name, held against the disk that they stand on (rule 14.6)."""

import pytest

from tests.make import disk as made
from tests.make import fs, part
from ylemorph.core.disk.model import NO_CODE, NamedPlace
from ylemorph.core.disk.roles import EFI_SYSTEM
from ylemorph.core.disk.starting import finds_all, named_rows, names_its_start, starting_in_words
from ylemorph.core.sizes import GiB, MiB

DISK, ROW, OTHER = (f"0F3C1B6A-8D2E-4F7A-9B1C-00000000000{n}" for n in range(3))
SIGNATURE = "0x1a2b3c4d"


def gpt(*places, table_id=DISK):
    rows = (
        part(1, MiB, GiB, filesystem=fs(used=MiB, start_data=places), uuid=OTHER),
        part(2, 2 * GiB, 20 * GiB, filesystem=fs(used=GiB), uuid=ROW),
    )
    return made(488_397_168, *rows, table_id=table_id)


def mbr(*places):
    rows = (
        part(1, MiB, GiB, "0x07", fs(used=MiB, start_data=places)),
        part(2, 2 * GiB, 20 * GiB, "0x07", fs(used=GiB)),
    )
    return made(488_397_168, *rows, table="mbr", table_id=SIGNATURE)


@pytest.mark.parametrize(
    ("disk", "rows"),
    [
        (gpt(NamedPlace(DISK, ROW)), {2}),
        (gpt(NamedPlace(DISK.lower(), ROW.lower()), NamedPlace(DISK, OTHER)), {1, 2}),
        (gpt(NamedPlace(OTHER, ROW)), set()),  # on another disk
        (gpt(NamedPlace("", ROW), table_id=""), set()),  # without an identity nothing is this disk
        (mbr(NamedPlace(SIGNATURE, start_byte=2 * GiB)), {2}),
        (mbr(NamedPlace(SIGNATURE, start_byte=2 * GiB + 512)), set()),
        (gpt(), set()),
    ],
)
def test_rows_that_are_named(disk, rows):
    assert named_rows(disk) == rows


@pytest.mark.parametrize(
    ("disk", "of", "found"),
    [
        (gpt(NamedPlace(DISK, ROW)), DISK, True),
        (gpt(NamedPlace(DISK, ROW), NamedPlace(DISK, DISK)), DISK, False),  # one of the two is gone
        (gpt(NamedPlace(OTHER, ROW)), OTHER, False),  # it still names the disk that this one was made from
        (gpt(NamedPlace(OTHER, ROW)), DISK, True),  # of a disk that is no concern of this one
        (mbr(NamedPlace(SIGNATURE, start_byte=3 * GiB)), SIGNATURE, False),
        (gpt(), DISK, True),
    ],
)
def test_whether_all_that_is_named_is_there(disk, of, found):
    assert finds_all(disk, of) is found


EFI = part(1, MiB, GiB, EFI_SYSTEM, fs("fat32", MiB, fallback_loader=None))


@pytest.mark.parametrize(
    ("rows", "code", "words"),
    [
        ((), None, "How it starts was not read."),
        ((), NO_CODE, "Nothing on it starts a machine."),
        ((EFI,), None, "Starts in UEFI mode from row 1."),
        ((EFI,), NO_CODE, "Starts in UEFI mode from row 1."),
    ],
)
def test_how_it_starts_in_words(rows, code, words):
    disk = made(488_397_168, *rows, part(2, 2 * GiB, GiB, filesystem=fs(used=MiB)), start_code=code)
    assert starting_in_words(disk) == words


@pytest.mark.parametrize(
    ("held", "names"),
    [
        (None, False),
        (fs("ext4", named_start_lba=2048), False),  # a kind that names none
        (fs("ntfs"), None),
        (fs("ntfs", named_start_lba=2048), True),
        (fs("exfat", named_start_lba=63), False),
    ],
)
def test_whether_a_boot_sector_names_its_place(held, names):
    assert names_its_start(part(1, MiB, GiB, filesystem=held)) is names
