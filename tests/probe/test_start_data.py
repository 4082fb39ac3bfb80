"""Rule 14.6: what start data name is read exactly, kept in the survey, and held against plan and finished disk."""

import random

import pytest

from tests.real.hives import gpt_device, mbr_device, start_hive
from tests.real.starts import Part, made_disk, put_files
from tests.real.volumes import present, run, sparse
from ylemorph.core.disk.model import NamedPlace
from ylemorph.core.disk.roles import EFI_SYSTEM
from ylemorph.core.sizes import MiB
from ylemorph.probe.disks import survey_path
from ylemorph.probe.media.opening import open_medium
from ylemorph.probe.ntfs import Volume, file_by_path
from ylemorph.probe.ntfs_records import read_boot
from ylemorph.probe.start_data import places_in

needs_hives = pytest.mark.skipif(not present("hivexsh"), reason="hivexsh is needed")
DISK, ROW, OTHER = (f"0F3C1B6A-8D2E-4F7A-9B1C-00000000000{n}" for n in range(3))
MANAGER, SYSTEM = "11000001", "21000001"


@needs_hives
def test_what_the_elements_of_a_gpt_name(tmp_path):
    """The partition's GUID at 32, the disk's at 56 (as a public registry library has it)."""
    objects = [
        {MANAGER: gpt_device(DISK, ROW)},
        {MANAGER: gpt_device(DISK, OTHER, 200), SYSTEM: gpt_device(DISK, ROW, 72)},
        {MANAGER: gpt_device(DISK, OTHER)[:71]},  # too short to name a disk
        {"12000004": gpt_device(OTHER, OTHER)},  # no device
        {SYSTEM: gpt_device(OTHER, OTHER)[:16] + b"\x05" + bytes(71)},  # whatever was started from
    ]
    hive = start_hive(tmp_path / "hive", objects)
    assert set(places_in(hive, "gpt")) == {NamedPlace(DISK, ROW), NamedPlace(DISK, OTHER)}
    assert places_in(start_hive(tmp_path / "none", []), "gpt") == ()


@needs_hives
def test_what_the_elements_of_an_mbr_name(tmp_path):
    """The byte where the partition starts at 32, the signature at 56 (from memory)."""
    objects = [
        {MANAGER: mbr_device(0x1A2B3C4D, 1048576)}, {SYSTEM: mbr_device(0x1A2B3C4D, 32256, 60)},
        {SYSTEM: mbr_device(7, 512)[:59]}, {SYSTEM: mbr_device(7, 2**64 - 1)},
    ]  # fmt: skip
    hive = start_hive(tmp_path / "hive", objects)
    first, second = NamedPlace("0x1a2b3c4d", start_byte=1048576), NamedPlace("0x1a2b3c4d", start_byte=32256)
    assert set(places_in(hive, "mbr")) == {first, second}


@needs_hives
def test_a_damaged_hive_is_not_known(tmp_path):
    hive = start_hive(tmp_path / "hive", [{MANAGER: gpt_device(DISK, ROW)} for _ in range(20)])
    rnd = random.Random(3)
    for _ in range(150):
        data = bytearray(hive)
        for _ in range(rnd.choice((1, 3, 40))):
            data[rnd.randrange(len(data))] = rnd.randrange(256)
        places_in(bytes(data[: rnd.choice((len(data), rnd.randrange(len(data))))]), "gpt")
    for data in (b"", b"regf", bytes(9000), hive[:4096], hive[:5000]):
        assert places_in(data, "gpt") == ()


@needs_hives
@pytest.mark.skipif(not present("sfdisk", "mkfs.fat", "mcopy"), reason="sfdisk, mkfs.fat and mcopy are needed")
def test_start_data_are_found_by_their_path(tmp_path):
    hive = start_hive(tmp_path / "hive", [{MANAGER: gpt_device(DISK, ROW), SYSTEM: mbr_device(9, 1048576)}])
    efi = Part(1, 2048, 48, EFI_SYSTEM, "fat32", files={"EFI/Microsoft/Boot/BCD": hive})
    image = made_disk(tmp_path, "gpt", (efi,), 64)
    assert survey_path(image).disk.partitions[0].filesystem.start_data[0] == NamedPlace(DISK, ROW)
    old = Part(1, 2048, 48, "c", "fat32", active=True, files={"Boot/BCD": hive})
    image = made_disk(tmp_path, "dos", (old,), 64)
    assert NamedPlace("0x00000009", start_byte=1048576) in survey_path(image).disk.partitions[0].filesystem.start_data
    image = made_disk(tmp_path, "dos", (old._replace(active=False),), 64)
    assert survey_path(image).disk.partitions[0].filesystem.start_data == ()
    put_files(tmp_path, image, {"Boot/BCD": b"no hive"}, old.start * 512)


@pytest.mark.skipif(not present("mkfs.ntfs"), reason="mkfs.ntfs is needed")
def test_files_of_an_ntfs_by_their_path(tmp_path):
    volume = sparse(tmp_path / "volume", 20 * MiB)
    run("mkfs.ntfs", "-F", "-Q", "-q", volume)
    with open_medium(volume) as medium:
        own = Volume(medium, read_boot(medium.read(0, 512)))
        assert file_by_path(own, ("$extend", "$OBJID")) == 25
        assert file_by_path(own, ("$Extend", "nothing")) is None
        assert file_by_path(own, ("nothing", "$ObjId")) is None
