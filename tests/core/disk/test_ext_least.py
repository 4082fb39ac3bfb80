"""The least size of an ext by hand, and how it follows what is lightened; shrunk for real in tests/real."""

from tests.make import fs
from ylemorph.core.disk.ext_least import least_ext_bytes, shed_ext_bytes
from ylemorph.core.disk.filesystems import shed_bytes, was_read
from ylemorph.core.disk.model import ExtLayout
from ylemorph.core.sizes import GiB, MiB

BLOCK, GROUP = 4096, 32_768
# 64 groups of 128 MiB, 8,192 inodes each (512 blocks of table), 4 blocks of descriptors beside each superblock.
LAYOUT = ExtLayout(
    BLOCK, 64 * GROUP, 0, GROUP, 8192, 1000, 512, 600_000, descriptor_blocks=4, extents=False
)  # fmt: skip


def bare(**fields):
    return ExtLayout(**{**{name: getattr(LAYOUT, name) for name in LAYOUT.__slots__}, **fields})


def test_groups_for_the_data_and_what_each_keeps_for_itself():
    """A group keeps 514 blocks (bitmaps and table), with a superblock 519: 600,000 blocks of data need 19 groups. The
    first 18 hold 18 x 32,768 less 18 x 514 and 5 for each of groups 0, 1, 3, 5, 7 and 9: 580,542. So the last needs
    19,458 and its own 514."""
    assert least_ext_bytes(LAYOUT) == (18 * GROUP + 514 + 19_458) * BLOCK


def test_an_empty_one_needs_its_first_group_and_fifty_blocks():
    assert least_ext_bytes(bare(data_blocks=0)) == (519 + 50) * BLOCK
    assert least_ext_bytes(bare(data_blocks=51)) == (519 + 51) * BLOCK


def test_inodes_in_use_keep_their_groups():
    assert least_ext_bytes(bare(data_blocks=0, inodes_used=8192)) == (519 + 50) * BLOCK
    assert least_ext_bytes(bare(data_blocks=0, inodes_used=8193)) == (GROUP + 519 + 50) * BLOCK


def test_what_is_lightened_lowers_it_by_just_that_within_a_group():
    assert least_ext_bytes(LAYOUT, 8 * MiB) == least_ext_bytes(LAYOUT) - 8 * MiB
    assert least_ext_bytes(LAYOUT, 8 * MiB + 1) == least_ext_bytes(LAYOUT) - 8 * MiB  # whole blocks alone
    assert least_ext_bytes(LAYOUT, 10**13) == least_ext_bytes(bare(data_blocks=0))


def test_what_does_not_fit_smaller_stays_as_large_as_it_is():
    assert least_ext_bytes(bare(data_blocks=64 * GROUP)) == 64 * GROUP * BLOCK


def test_what_the_groups_that_go_kept_for_themselves():
    """Of 64 groups 19 stay: 45 x 514 blocks go, and 5 for each of groups 25, 27 and 49."""
    assert shed_ext_bytes(LAYOUT) == (45 * 514 + 3 * 5) * BLOCK
    assert shed_ext_bytes(LAYOUT, GiB) == ((45 + 8) * 514 + 3 * 5) * BLOCK  # eight groups less
    assert shed_ext_bytes(bare(data_blocks=64 * GROUP)) == 0


def test_a_file_system_sheds_what_its_layout_does():
    assert shed_bytes(fs("ext4", ext=LAYOUT), GiB) == shed_ext_bytes(LAYOUT, GiB) > 0
    assert shed_bytes(fs("ext4")) == 0
    assert was_read(fs("ext4", ext=LAYOUT))
    assert not was_read(fs("ext4", last_used_byte=5))
    assert was_read(fs("ntfs", last_used_byte=5))


def test_sets_of_two_groups_as_the_resizer_says():
    """resize2fs -P 1.47.0 of mke2fs -t ext4 -b 1024 -G 2 -O ^has_journal,^resize_inode, 200 MiB, a file of 9 MiB."""
    layout = ExtLayout(
        1024, 204_800, 1, 8192, 2048, 12, 512, 9230, descriptor_blocks=2, flex_groups=2, meta_groups=16, flex=True
    )  # fmt: skip
    assert least_ext_bytes(layout) == 10_892 * 1024
