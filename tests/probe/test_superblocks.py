"""Parameter blocks and superblocks of FAT, exFAT and ext: figures worked out by hand, and figures that cannot be."""

import struct

import pytest

from ylemorph.probe.exfat import read_boot
from ylemorph.probe.ext import ExtGroup, _derived, _has_super
from ylemorph.probe.ext_super import read_super
from ylemorph.probe.fat import _any_byte, _entries12, looks_like_fat, read_bpb
from ylemorph.probe.media.medium import Unsound


def bpb(sector=512, per_cluster=8, reserved=32, fats=2, root=0, small=0, fat16=0, large=614_400, fat32=600):
    data = bytearray(512)
    data[0] = 0xEB
    struct.pack_into("<HBHBHHBH", data, 0x0B, sector, per_cluster, reserved, fats, root, small, 0xF8, fat16)
    struct.pack_into("<II", data, 0x20, large, fat32)
    struct.pack_into("<I", data, 0x2C, 2)
    data[510:512] = b"\x55\xaa"
    return bytes(data)


SMALL = {"per_cluster": 1, "reserved": 1, "fats": 1}


@pytest.mark.parametrize(
    ("fields", "bits", "clusters"),
    [
        ({}, 32, 76_646),  # (614400 - 32 - 1200) / 8
        # Microsoft's FAT specification (fatgen103, from memory): FAT12 up to 4084 clusters, FAT16 up to 65524.
        ({**SMALL, "root": 16, "small": 4084 + 14, "fat16": 12, "fat32": 0}, 12, 4084),
        ({**SMALL, "root": 16, "small": 4085 + 19, "fat16": 17, "fat32": 0}, 16, 4085),
        ({**SMALL, "root": 16, "large": 65_524 + 258, "fat16": 256, "fat32": 0}, 16, 65_524),
        ({**SMALL, "large": 65_525 + 513, "fat32": 512}, 32, 65_525),
        # BPB_FATSz16 = 0 decides, however few the clusters are: mkfs.fat -F 32 makes such for 4096-byte sectors.
        ({**SMALL, "large": 4000 + 33, "fat32": 32}, 32, 4000),
    ],
)  # fmt: skip
def test_the_kind_of_a_fat_is_told_by_its_clusters(fields, bits, clusters):
    found = read_bpb(bpb(**fields))
    assert (found.bits, found.clusters) == (bits, clusters)
    assert looks_like_fat(bpb(**fields))


@pytest.mark.parametrize(
    "fields",
    [{"sector": 0}, {"sector": 768}, {"per_cluster": 3}, {"fats": 0}, {"fats": 3}, {"reserved": 0}, {"fat32": 0},
     {"fat32": 5}, {"large": 100}, {"root": 512},
     {**SMALL, "root": 16, "large": 65_525 + 259, "fat16": 257, "fat32": 0}],
)  # fmt: skip
def test_fat_blocks_that_cannot_be(fields):
    with pytest.raises(Unsound):
        read_bpb(bpb(**fields))
    assert not looks_like_fat(bpb(**fields))


def test_entries_of_a_fat12_stand_in_one_and_a_half_bytes():
    assert _entries12(b"\x03\x40\x00\xff\x6f\x12") == [0x003, 0x004, 0xFFF, 0x126]


@pytest.mark.parametrize(
    ("entries", "width", "used"),
    [((0, 1, 0xFFFF, 0x100, 0), 2, [0, 1, 1, 1, 0]), ((0, 0x0FFFFFFF, 0xF0000000, 0x10000, 5), 4, [0, 1, 0, 1, 1])],
)
def test_an_entry_that_is_not_zero_is_a_cluster_in_use(entries, width, used):
    """The top four bits of a FAT32 entry are reserved and do not count."""
    data = b"".join(entry.to_bytes(width, "little") for entry in entries)
    assert [int(byte != 0) for byte in _any_byte(data, width)] == used


def exfat(length=614_400, heap=4096, clusters=9536, sector_bits=9, cluster_bits=6, fats=1):
    data = bytearray(512)
    struct.pack_into(
        "<QIIIIIIHHBBB", data, 0x48, length, 2048, 128, heap, clusters, 4, 7, 0, 0, sector_bits, cluster_bits, fats
    )
    return bytes(data)


def test_exfat_figures():
    found = read_boot(exfat())
    assert (found.cluster, found.heap_at, found.size, found.fat_bytes) == (32_768, 2_097_152, 314_572_800, 65_536)


@pytest.mark.parametrize(
    "fields",
    [{"sector_bits": 8}, {"sector_bits": 13}, {"cluster_bits": 17}, {"fats": 0}, {"clusters": 0}, {"length": 900}],
)
def test_exfat_figures_that_cannot_be(fields):
    with pytest.raises(Unsound):
        read_boot(exfat(**fields))


def ext(blocks=524_288, first=0, log=2, log_cluster=2, per_group=32_768, incompatible=0, read_only=1, compatible=0):
    data = bytearray(1024)
    struct.pack_into("<11I", data, 0, 131_072, blocks, 0, 0, 0, first, log, log_cluster, per_group, per_group, 8192)
    struct.pack_into("<HH", data, 0x38, 0xEF53, 1)
    struct.pack_into("<IH", data, 0x4C, 1, 0)
    struct.pack_into("<H", data, 0x58, 256)
    struct.pack_into("<III", data, 0x5C, compatible, incompatible, read_only)
    return bytes(data)


def test_ext_figures():
    found = read_super(ext())
    assert (found.block, found.groups, found.inode_blocks, found.descriptor, found.ratio) == (4096, 16, 512, 32, 1)
    assert read_super(ext(read_only=0x201, log_cluster=6)).cluster == 65_536


@pytest.mark.parametrize(
    "fields",
    [{"blocks": 0}, {"log": 7}, {"per_group": 0}, {"per_group": 100}, {"per_group": 32_769}, {"per_group": 65_536},
     {"first": 2}, {"incompatible": 0x80}],
)  # fmt: skip
def test_ext_figures_that_cannot_be(fields):
    with pytest.raises(Unsound):
        read_super(ext(**fields))


@pytest.mark.parametrize(
    ("read_only", "expected"), [(1, [0, 1, 3, 5, 7, 9, 25, 27]), (0, list(range(28)))], ids=["sparse", "every group"]
)
def test_groups_that_hold_a_copy_of_the_superblock(read_only, expected):
    sb = read_super(ext(read_only=read_only))
    assert [group for group in range(28) if _has_super(sb, group)] == expected


def test_the_bitmap_of_a_group_that_was_never_written():
    """Group 3 holds a copy of the superblock and one block of descriptors; its tables stand elsewhere but one."""
    sb = read_super(ext(read_only=0x11))
    start = 3 * 32_768
    bits = int.from_bytes(_derived(sb, 3, ExtGroup(start + 10, 50, 60, True, True)), "little")
    assert [i for i in range(64) if bits >> i & 1] == [0, 1, 10]
    inside = int.from_bytes(_derived(sb, 3, ExtGroup(40, 50, start + 100, True, True)), "little")
    assert inside.bit_count() == 2 + 512
