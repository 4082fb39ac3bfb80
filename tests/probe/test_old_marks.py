"""Marks of what stood on a disk before: found where their own layouts put them, and nowhere else."""

import struct

import pytest

from tests.real.volumes import present, run, sparse
from ylemorph.core.sizes import MiB
from ylemorph.probe.disks import survey_path
from ylemorph.probe.signatures import MD_MAGIC

pytestmark = pytest.mark.skipif(not present("sfdisk", "mke2fs", "mkfs.fat"), reason="the utilities are needed")
START, SIZE = 4 * MiB, 40 * MiB + 512 * 7


def disk(work, label="gpt", make=("mkfs.fat", "-F", "16")):
    image = sparse(work / "disk.img", 64 * MiB)
    kind = "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7" if label == "gpt" else "7"
    run("sfdisk", "--quiet", image, send=f"label: {label}\n\nstart={START // 512}, size={SIZE // 512}, type={kind}\n")
    volume = sparse(work / "volume", SIZE)
    run(*make, volume)
    put(image, START, volume.read_bytes())
    return image


def put(image, at, data):
    with image.open("r+b") as file:
        file.seek(at)
        file.write(data)


def marks(image):
    return [(mark.what, mark.byte, mark.row) for mark in survey_path(image).disk.old_marks]


def md(version):
    return MD_MAGIC + struct.pack("<I", version)


@pytest.mark.parametrize(
    ("at", "version"),
    [
        (START + SIZE // 65_536 * 65_536 - 65_536, 0),  # version 0.90
        (START + (SIZE - 8192) // 4096 * 4096, 1),  # version 1.0
    ],
)
def test_a_superblock_of_an_array_at_the_end_of_a_row(at, version, tmp_path):
    image = disk(tmp_path)
    assert marks(image) == []
    put(image, at, md(version))
    assert marks(image) == [("Linux array", at, 1)]
    put(image, at, md(7))  # no version that there was
    assert marks(image) == []
    put(image, at, bytes(8))
    put(image, at - 4096, md(version))  # not where its layout puts it
    assert marks(image) == []


def test_a_superblock_of_an_array_over_the_whole_disk(tmp_path):
    image = disk(tmp_path)
    at = (64 * MiB - 8192) // 4096 * 4096
    put(image, at, md(1))
    found = survey_path(image).disk
    assert ("array-member" in found.table_notes) != bool(found.old_marks)


def test_the_backup_of_a_table_of_another_kind(tmp_path):
    image = disk(tmp_path, "dos")
    put(image, 64 * MiB - 512, b"EFI PART")
    assert marks(image) == [("GPT", 64 * MiB - 512, None)]
    put(image, 64 * MiB - 512, bytes(8))
    assert marks(image) == []


def test_a_file_system_under_another(tmp_path):
    image = disk(tmp_path)
    put(
        image, START + 1024, struct.pack("<II", 1000, 4000) + bytes(16) + struct.pack("<I", 2) + bytes(28) + b"\x53\xef"
    )
    assert marks(image) == [("ext", START + 1024, 1)]
    put(image, START + 1024 + 24, struct.pack("<I", 99))  # no block size that there is
    assert marks(image) == []
    assert marks(disk(tmp_path, make=("mke2fs", "-q", "-t", "ext4"))) == []
