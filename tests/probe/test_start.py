"""Rule 14.5: code before the first row, starts that boot sectors name, loaders by path and in a row of their own."""

import hashlib
import json
import struct

import pytest

from tests.real.starts import Part, core_at, made_disk, put, put_files
from tests.real.volumes import present
from ylemorph.core.disk.model import NO_CODE
from ylemorph.core.disk.roles import BIOS_BOOT, EFI_SYSTEM, LINUX_DATA
from ylemorph.formats.own.survey import survey_from_data
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.probe.disks import survey_path
from ylemorph.probe.fat_files import find_file, read_file
from ylemorph.probe.media.opening import open_medium

pytestmark = pytest.mark.skipif(
    not present("sfdisk", "mkfs.fat", "mkfs.ntfs", "mkfs.exfat", "mcopy", "mke2fs"), reason="mkfs utilities are needed"
)


@pytest.mark.parametrize("at", [0, 1, 439])
@pytest.mark.parametrize("behind", [0, 1, 300, 62 * 512])
def test_how_far_the_code_reaches(tmp_path, at, behind):
    image = made_disk(tmp_path, "dos", (Part(1, 63, 4, "83", "ext4"),), 8)
    assert survey_path(image).disk.start_code == NO_CODE
    put(image, at, b"\x90")
    put(image, 512, b"c" * behind)
    code = survey_path(image).disk.start_code
    assert code.sectors == 1 + -(-behind // 512)
    data = image.read_bytes()
    assert code.sha256 == hashlib.sha256(data[:440] + data[512 : code.sectors * 512]).hexdigest()
    put(image, 446, data[446:447])  # the table is no code
    assert survey_path(image).disk.start_code == code


def test_what_was_looked_for_and_is_not_there_is_not_what_was_not_read(tmp_path):
    image = made_disk(tmp_path, "dos", (Part(1, 63, 4, "83", "ext4"),), 8)
    survey = survey_path(image)
    data = json.loads(write_survey(survey))
    assert data["disk"]["start_code"] is None
    assert survey_from_data(data).disk.start_code == NO_CODE
    del data["disk"]["start_code"]
    assert survey_from_data(data).disk.start_code is None
    put(image, 5, b"\x90")
    again = survey_path(image)
    assert survey_from_data(json.loads(write_survey(again))) == again


def test_behind_a_gpt_there_is_no_code(tmp_path):
    image = made_disk(tmp_path, "gpt", (Part(1, 2048, 8, LINUX_DATA, "ext4"),), 16)
    assert survey_path(image).disk.start_code == NO_CODE
    put(image, 0, b"\xeb\x63")
    assert survey_path(image).disk.start_code.sectors == 1


@pytest.mark.parametrize(("kind", "mib"), [("fat16", 20), ("fat32", 40), ("ntfs", 20), ("exfat", 20)])
def test_the_start_that_a_boot_sector_names(tmp_path, kind, mib):
    image = made_disk(tmp_path, "dos", (Part(1, 4096, mib, "7", kind),), 64)
    fs = survey_path(image).disk.partitions[0].filesystem
    assert (fs.kind, fs.named_start_lba) == (kind, 4096)
    assert fs.copy_named_start_lba == (None if kind == "fat16" else 4096)
    assert "named_start_lba" in write_survey(survey_path(image))


def test_a_fallback_loader_is_looked_for_by_its_path(tmp_path):
    efi = Part(1, 2048, 48, EFI_SYSTEM, "fat32", files={"EFI/Harrow Lane Library/loader file.efi": b"x" * 5000})
    image = made_disk(tmp_path, "gpt", (efi,), 64)
    assert survey_path(image).disk.partitions[0].filesystem.fallback_loader is False
    put_files(tmp_path, image, {"EFI/boot/bootx64.efi": b"y" * 70_000}, efi.start * 512)
    assert survey_path(image).disk.partitions[0].filesystem.fallback_loader is True
    other = made_disk(tmp_path, "gpt", (efi._replace(type=LINUX_DATA),), 64)
    assert survey_path(other).disk.partitions[0].filesystem.fallback_loader is None


def test_files_of_a_fat_by_long_and_short_names(tmp_path):
    long = "a name that is much longer than eight and three.txt"
    files = {f"many/{number:03}.txt": b"%d" % number for number in range(200)} | {long: b"found" * 9000}
    image = made_disk(tmp_path, "gpt", (Part(1, 2048, 48, LINUX_DATA, "fat32", files=files),), 64)
    with open_medium(image) as medium:
        from ylemorph.probe.media.medium import Part as Window

        part = Window(medium, 2048 * 512, 48 << 20)
        assert read_file(part, find_file(part, (long.upper(),))) == b"found" * 9000
        assert read_file(part, find_file(part, ("MANY", "199.txt"))) == b"199"
        assert find_file(part, ("many", "200.txt")) is None
        assert find_file(part, (long, "below a file")) is None


@pytest.mark.skipif(not present("grub-mkimage"), reason="grub-mkimage is needed")
def test_a_loader_in_a_row_of_its_own(tmp_path):
    rows = (Part(1, 2048, 1, BIOS_BOOT, ""), Part(2, 4096, 8, LINUX_DATA, "ext4"))
    image = made_disk(tmp_path, "gpt", rows, 16)
    core_at(image, tmp_path, rows[1].uuid, 2048)
    known = survey_path(image).disk.start_code
    assert (known.sectors, known.loader_lba) == (1, 2048)
    put(image, 0x5C, struct.pack("<Q", 4096))  # it names another place, and so is not told by it
    other = survey_path(image).disk.start_code
    assert (other.loader_lba, other.rest_sha256) == (None, "")
    assert known.rest_sha256 != known.sha256 != other.sha256
