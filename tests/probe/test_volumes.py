"""Volumes made by the mkfs utilities, against what other programs read in them (see scripts/make_images.py).

NTFS is compared with ntfscat's copy of $Bitmap and with The Sleuth Kit (pytsk3, which does not read 2 MiB clusters),
FAT with fsck.fat and mshowfat, exFAT with dump.exfat, ext with dumpe2fs. The figures of the utilities were written
down when the images were made.
"""

import struct

import pytest

from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium
from ylemorph.stand_ins.extents import unpack

from .conftest import EXPECTED, IMAGES


def read(path):
    with open_medium(path) as medium:
        return read_filesystem(medium)


@pytest.mark.parametrize("name", [name for name, facts in EXPECTED.items() if "used" in facts])
def test_used_and_last_byte_are_those_of_the_utilities(image, name):
    found = read(image(name))
    assert found.used_bytes == EXPECTED[name]["used"]
    if "last" in EXPECTED[name]:  # dump.exfat counts clusters and does not say where the last one is
        assert found.last_used_byte == EXPECTED[name]["last"]


@pytest.mark.parametrize(
    ("name", "cluster"),
    [
        ("ntfs-512", 512),
        ("ntfs-4096", 4096),
        ("ntfs-65536", 65536),
        ("ntfs-4k-sectors", 4096),
        ("ntfs-fragments", 512),
    ],
)
def test_ntfs_is_what_the_sleuth_kit_reads(image, name, cluster):
    pytsk3 = pytest.importorskip("pytsk3")
    volume = pytsk3.FS_Info(pytsk3.Img_Info(str(image(name))))
    bitmap = volume.open_meta(6)
    data = bitmap.read_random(0, bitmap.info.meta.size)
    clusters = volume.info.block_count
    bits = int.from_bytes(data, "little") & ((1 << clusters) - 1)  # the reference gives the padding too
    found = read(image(name))
    assert found.cluster_bytes == volume.info.block_size == cluster
    assert found.used_bytes == bits.bit_count() * cluster
    assert found.last_used_byte == bits.bit_length() * cluster
    assert sum(found.usage_map.used) == found.used_bytes
    bucket = found.usage_map.bucket_bytes // cluster
    assert list(found.usage_map.used) == [
        (bits >> at & ((1 << bucket) - 1)).bit_count() * cluster for at in range(0, clusters, bucket)
    ]


@pytest.mark.parametrize(
    ("name", "kind", "label", "state"),
    [
        ("ntfs-4096", "ntfs", "Harrow", "clean"),
        ("ntfs-dirty", "ntfs", "Harrow", "dirty"),
        ("ntfs-hibernated", "ntfs", "Harrow", "hibernated"),
        ("ntfs-resumed", "ntfs", "Harrow", "clean"),
        ("fat12", "unknown", "HARROW", "unknown"),
        ("fat16", "fat16", "HARROW", "clean"),
        ("fat32", "fat32", "HARROW", "clean"),
        ("exfat", "exfat", "Harrow", "clean"),
        ("ext2", "ext2", "harrow", "clean"),
        ("ext3", "ext3", "harrow", "clean"),
        ("ext4", "ext4", "harrow", "clean"),
        ("xfs", "xfs", "harrow", "unknown"),
        ("btrfs", "btrfs", "harrow", "unknown"),
        ("swap", "swap", "harrow", "clean"),
    ],
)
def test_kind_label_and_state(image, name, kind, label, state):
    found = read(image(name))
    assert (found.kind, found.label, found.state) == (kind, label, state)
    assert len(found.uuid) >= 9


def test_the_end_of_a_new_volume_belongs_to_its_own_records(image):
    """$LogFile or the mirror stand in the middle of a new volume; the data end before."""
    found = read(image("ntfs-new"))
    assert found.end_owner in ("$MFTMirr", "$LogFile")
    assert (found.data_end_byte, found.immovable_end_byte) == (0, None)
    assert found.last_used_byte > found.size_bytes // 2


def test_page_and_hibernation_files_hold_the_end_fast(image):
    found = read(image("ntfs-hibernated"))
    assert 6_000_000 < found.immovable_end_byte <= found.last_used_byte
    assert (found.system_hint, read(image("ntfs-4096")).system_hint) == ("hiberfil.sys", "")


def test_xfs_and_btrfs_tell_their_used_space(image):
    """xfs_db: 81920 blocks of 4096; the log alone is over 10 MiB. btrfs: mkfs states 147456 bytes used, from memory."""
    xfs, btrfs = read(image("xfs")), read(image("btrfs"))
    assert xfs.size_bytes == 320 << 20
    assert 10 << 20 < xfs.used_bytes < 80 << 20
    assert btrfs.used_bytes == 147_456
    assert xfs.usage_map is btrfs.usage_map is None


def test_a_lost_boot_sector_is_taken_from_its_copy(image, tmp_path):
    damaged = tmp_path / "damaged"
    damaged.write_bytes(bytes(512) + image("ntfs-4096").read_bytes()[512:])
    found, whole = read(damaged), read(image("ntfs-4096"))
    assert found.state == "damaged"
    assert found.used_bytes == whole.used_bytes


def changed(image, tmp_path, name, *pieces, cut=0):
    """An image with some of its bytes changed, or cut at its end."""
    path = tmp_path / "changed"
    with (IMAGES / f"{name}.xz").open("rb") as packed:
        size = unpack(packed, path)  # with its holes, which a copy would write out
    with path.open("r+b") as file:
        for offset, piece in pieces:
            file.seek(offset)
            file.write(piece)
        file.truncate(size - cut)
    return path


@pytest.mark.parametrize("how", ["zeroed", "cut"])
def test_an_ntfs_that_lacks_only_its_backup_boot_sector_is_read(image, tmp_path, how):
    found = read(image("ntfs-4096"))
    end = found.size_bytes - 512
    path = changed(image, tmp_path, "ntfs-4096", *([(end, bytes(512))] if how == "zeroed" else []))
    if how == "cut":
        with path.open("r+b") as file:
            file.truncate(end)
    lacking = read(path)
    assert (lacking.state, lacking.used_bytes) == (found.state, found.used_bytes)
    assert (lacking.notes, found.notes) == (("backup-boot-missing",), ())


# Offsets of the superblock's fields are those of the kernel's documentation of the layout (from memory).
@pytest.mark.parametrize(
    ("offset", "piece", "state"),
    [
        (1024 + 0x78, b"Harrow", "damaged"),  # the label, and with it the checksum
        (1024 + 0x58, b"\0\0", "damaged"),  # inodes of no size
        (1024 + 0x0C, b"\x01\x02\x03\0", "damaged"),  # recorded free blocks, and with them the checksum
    ],
)
def test_an_ext4_whose_superblock_does_not_hold_is_never_clean(image, tmp_path, offset, piece, state):
    assert read(image("ext4")).state == "clean"
    assert read(changed(image, tmp_path, "ext4", (offset, piece))).state == state


def test_an_ext2_without_checksums_whose_counts_differ_is_to_be_checked(image, tmp_path):
    found = read(changed(image, tmp_path, "ext2", (1024 + 0x0C, b"\x01\x02\0\0")))
    assert (found.state, found.notes) == ("dirty", ("counts-differ",))


@pytest.mark.parametrize(("word", "block"), [(4, 0), (4, 2**24), (8, 2**24), (8, 32_767)])
def test_an_ext2_whose_inodes_stand_nowhere_is_damaged(image, tmp_path, word, block):
    """The descriptor of its first group, and in it the bitmap and the table of inodes; the resizer refuses it."""
    whole = read(image("ext2"))
    at = 4096 if whole.ext.block_bytes == 4096 else 2048
    found = read(changed(image, tmp_path, "ext2", (at + word, struct.pack("<I", block))))
    assert (found.state, found.used_bytes) == ("damaged", whole.used_bytes)


def test_an_ext4_whose_own_groups_of_descriptors_begin_past_the_last_is_damaged(image, tmp_path):
    whole = read(image("ext4-meta-bg"))
    assert whole.state == "clean"
    found = read(changed(image, tmp_path, "ext4-meta-bg", (1024 + 0x104, struct.pack("<I", 2**20))))
    assert (found.state, found.used_bytes) == ("damaged", None)


def test_features_that_make_it_an_ext4(image, tmp_path):
    for word in (0x10000, 0x400):  # encrypt, ea_inode
        path = changed(image, tmp_path, "ext2", (1024 + 0x60, struct.pack("<I", 0x2 | word)))
        assert read(path).kind == "ext4"


@pytest.mark.parametrize(("name", "at"), [("fat12", 0x25), ("fat16", 0x25), ("fat32", 0x41)])
def test_the_mark_in_the_boot_sector_of_a_fat_says_dirty(image, tmp_path, name, at):
    assert read(image(name)).state != "dirty"
    assert read(changed(image, tmp_path, name, (at, b"\x01"))).state == "dirty"


def test_a_map_adds_up_to_the_used_space(image):
    names = [name for name, facts in EXPECTED.items() if "used" in facts]
    for name in names:
        found = read(image(name))
        assert sum(found.usage_map.used) == found.used_bytes, name


SIGNED = [
    (0, b"LUKS\xba\xbe\x00\x02", "luks", "LUKS 2", "locked"),
    (3, b"-FVE-FS-", "bitlocker", "", "locked"),
    (3, b"ReFS\0\0\0\0", "refs", "", "unknown"),
    (512, b"LABELONE", "lvm", "", "unknown"),
    (32, b"NXSB", "apfs", "", "unknown"),
    (1024, b"H+\0\x04", "hfs+", "", "unknown"),
    (1024, b"\x10\x20\xf5\xf2", "f2fs", "", "unknown"),
    (4096, b"\xfc\x4e\x2b\xa9", "unknown", "md member", "unknown"),
]


@pytest.mark.parametrize(("offset", "magic", "kind", "detail", "state"), SIGNED)
def test_signatures(tmp_path, offset, magic, kind, detail, state):
    path = tmp_path / "image"
    path.write_bytes(bytes(offset) + magic + bytes(200_000))
    found = read(path)
    assert (found.kind, found.detail, found.state) == (kind, detail, state)


def test_a_member_of_a_mirror_is_no_file_system_of_its_own(image, tmp_path):
    """The mark at the end of the partition lies behind the file system: an array uses it."""
    path = tmp_path / "member"
    data = image("ext2").read_bytes()
    path.write_bytes(data + bytes(1 << 20))
    assert read(path).kind == "ext2"
    place = (len(data) + (1 << 20) & ~0xFFFF) - 0x10000
    with path.open("r+b") as file:
        file.seek(place)
        file.write(b"\xfc\x4e\x2b\xa9")
    assert read(path).detail == "md member"


def test_nothing_is_none(tmp_path):
    path = tmp_path / "empty"
    path.write_bytes(bytes(1 << 20))
    assert read(path) is None
