"""What a file system lets you do (rule 3), its least size and its ceiling (rules 5.3, 5.6)."""

import struct
from types import SimpleNamespace

import pytest

from tests.make import fs, part, row_of
from tests.real.volumes import present, run, sparse
from ylemorph.core.disk.ext_least import _copies
from ylemorph.core.disk.filesystems import (
    ABILITIES,
    FIXED,
    KIND_NAMES,
    ability_of,
    ceiling_bytes,
    is_estimate,
    least_bytes,
    state_of,
)
from ylemorph.core.disk.model import STATES
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import NOMINAL_GB
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.rows import rows_of
from ylemorph.core.fit.source_rows import look_at
from ylemorph.core.sizes import MAX_BYTES, GiB, KiB, MiB, TiB


def test_a_figure_that_counts_the_tables_is_not_counted_twice():
    """Of an ext whose layout is not known: what was counted or mounted holds its own tables, what is typed does not."""
    least = {
        kind: least_bytes(fs("ext4", 20 * GiB, used_kind=kind), 100 * GiB) for kind in ("counted", "mounted", "typed")
    }
    assert least["counted"] == least["mounted"]
    assert GiB < least["typed"] - least["counted"] < 2 * GiB  # the tables of 100 GiB


def test_the_table_says_what_the_rule_says():
    can = {kind: (ability.smaller, ability.larger) for kind, ability in ABILITIES.items()}
    for kind in ("ntfs", "ext2", "ext3", "ext4", "btrfs", "hfs+", "apfs", "fat16", "fat32"):
        assert can[kind] == (True, True)
    for kind in ("xfs", "refs", "f2fs"):
        assert can[kind] == (False, True)
    for kind in ("exfat", "lvm", "luks", "bitlocker", "unknown"):
        assert can[kind] == (False, False)
    assert ABILITIES["swap"].made_new
    assert set(KIND_NAMES) == set(ABILITIES)


@pytest.mark.parametrize("state", STATES)
def test_states(state):
    free = state in ("clean", "unknown")
    assert (ability_of(part(1, MiB, GiB, filesystem=fs(state=state)), reserved=False) != FIXED) == free


def test_without_a_file_system_nothing_may_be_done_but_a_reserved_row_is_made_new():
    bare = part(1, MiB, GiB)
    assert ability_of(bare, reserved=False) == FIXED
    assert ability_of(bare, reserved=True).made_new


@pytest.mark.parametrize(
    ("kind", "cluster", "ceiling"),
    [
        ("fat32", 4096, 2 * TiB),
        ("fat16", 4096, 65_524 * 4096),
        ("ntfs", 4096, (2**32 - 1) * 4096),
        ("ntfs", 64 * KiB, (2**32 - 1) * 64 * KiB),
        ("ntfs", None, (2**32 - 1) * 4096),
        ("ext4", 4096, 16 * TiB),
        ("ext4", 1024, 4 * TiB),
        ("xfs", 4096, MAX_BYTES),
        ("btrfs", 4096, MAX_BYTES),
        ("exfat", 4096, GiB),
    ],
)
def test_ceilings(kind, cluster, ceiling):
    disk = row_of((GiB, BASIC_DATA, fs(kind, cluster_bytes=cluster)))
    partition = disk.partitions[0]
    assert ceiling_bytes(disk, partition, ABILITIES[kind]) == ceiling


@pytest.mark.parametrize(
    ("kind", "cluster", "least"),
    [
        # Clusters, two tables of 4 or 2 bytes an entry on whole 4 KiB, and what stands before them.
        ("fat32", 4096, 65_525 * 4096 + 2 * 262_144 + 131_072), ("fat16", 2048, 4_085 * 2048 + 2 * 8192 + 131_072),
        ("fat32", None, 0), ("ntfs", 4096, 0),
    ],
)  # fmt: skip
def test_least_sizes(kind, cluster, least):
    """Microsoft FAT specification (fatgen103, from memory)."""
    assert least_bytes(fs(kind, cluster_bytes=cluster), GiB) == least


@pytest.mark.skipif(not present("mkfs.fat"), reason="mkfs.fat is needed")
@pytest.mark.parametrize(("kind", "bits", "least"), [("fat32", 32, 65_525), ("fat16", 16, 4_085)])
@pytest.mark.parametrize("sectors", [1, 2, 4, 8])
def test_a_fat_of_its_least_size_is_one_of_its_kind(kind, bits, least, sectors, tmp_path):
    """By the count of clusters alone a FAT is told to be of 16 or 32 bits (fatgen103)."""
    size = -(-least_bytes(fs(kind, cluster_bytes=sectors * 512), GiB) // MiB) * MiB
    volume = sparse(tmp_path / "volume", size)
    run("mkfs.fat", "-F", bits, "-s", sectors, volume)
    boot = volume.read_bytes()[:64]
    total, reserved = struct.unpack_from("<H", boot, 19)[0] or struct.unpack_from("<I", boot, 32)[0], boot[14]
    table = struct.unpack_from("<H", boot, 22)[0] or struct.unpack_from("<I", boot, 36)[0]
    root = struct.unpack_from("<H", boot, 17)[0] * 32 // 512
    assert (total - reserved - 2 * table - root) // sectors >= least


def test_copies_of_the_superblock():
    """sparse_super2 keeps two beside the first; sparse_super keeps groups 0, 1 and powers of 3, 5 and 7 (mke2fs(8))."""
    counted = {
        kind: [_copies(SimpleNamespace(backups=kind), n) for n in (1, 2, 3, 4, 6, 10, 26)]
        for kind in ("every", "two", "sparse")
    }
    assert counted["every"] == [1, 2, 3, 4, 6, 10, 26]
    assert counted["two"] == [1, 2, 3, 3, 3, 3, 3]
    assert counted["sparse"] == [1, 2, 2, 3, 4, 6, 7]


def test_the_state_is_the_file_systems_own():
    assert state_of(part(1, MiB, GiB, filesystem=fs("ntfs", GiB // 2, state="dirty"))) == "dirty"
    assert state_of(part(1, MiB, GiB)) == "unknown"


def test_the_sizes_that_one_can_buy():
    """Common practice, no source."""
    assert NOMINAL_GB == (
        120, 128, 240, 250, 256, 480, 500, 512, 960, 1000, 1920, 2000, 3840, 4000, 6000, 8000, 10_000, 12_000, 16_000,
        20_000, 24_000,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("filesystem", "least", "estimated"),
    [
        (fs("ext4", 10 * GiB, told_least_bytes=12 * GiB, told_by="resizer"), 12 * GiB, False),
        (fs("ntfs", 10 * GiB, told_least_bytes=12 * GiB, told_by="resizer"), 12 * GiB, False),
        (fs("btrfs", 10 * GiB, told_least_bytes=12 * GiB, told_by="resizer"), 12 * GiB, False),
        # What was read itself needs nobody's word; a running Windows' word is no floor.
        (fs("ntfs", 10 * GiB, last_used_byte=GiB, told_least_bytes=12 * GiB, told_by="resizer"), 0, False),
        (fs("ntfs", 10 * GiB, told_least_bytes=12 * GiB, told_by="windows"), 0, False),
        (fs("btrfs", GiB, allocated_bytes=3 * GiB, told_least_bytes=12 * GiB, told_by="resizer"), 4 * GiB, False),
        (fs("btrfs", 10 * GiB), 12 * GiB, True),
        (fs("btrfs", 10 * GiB, told_least_bytes=9 * GiB), 12 * GiB, True),
    ],
)
def test_who_says_how_small_it_can_be(filesystem, least, estimated):
    assert least_bytes(filesystem, 100 * GiB) == least
    assert is_estimate(filesystem) is estimated


def test_the_resizers_word_is_the_hard_floor():
    row = (100 * GiB, BASIC_DATA, fs("ntfs", GiB, told_least_bytes=30 * GiB + 1, told_by="resizer"), {"role": "data"})
    source = row_of(row, label_gb=250)
    (row,) = rows_of(source, "gpt", Options())[0]
    assert (row.floors.hard, row.floors.binding) == (30 * 1024 + 1, "minimum")
    (look,) = look_at(source, Options())
    assert look.sentence().endswith("Its own resizer says 30 GiB.")
