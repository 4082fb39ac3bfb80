"""What is said to fit is shrunk to exactly that by the real utility, without force, and comes out clean and whole.

Rule 5.3's measure. A handful of cases runs with every test; ``make test-deep`` runs all and prints how much higher than
the utility's own least size each hard floor is.
"""

import os
import statistics

import pytest

from tests.make import part
from ylemorph.core.disk.filesystems import ability_of
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.rows import floors_for
from ylemorph.core.sizes import MiB
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium

from .volumes import CASES, FAMILIES, Failed, present, run

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
ALWAYS = (
    "ext4",
    "ext4, sets of one group",
    "ext4 1 KiB blocks",
    "ext3 half removed",
    "ext2",
    "ntfs many files",
    "btrfs small files",
    "btrfs half-empty chunks",
    "fat16 2 KiB clusters",
    "fat32 4 KiB clusters",
)
MOST_MEDIAN_PERCENT = 10
TABLE: list[tuple[str, int, int, int, int]] = []


def may_mount(work) -> bool:
    """Whether this machine lets a test mount a btrfs through a loop device."""
    image = work / "probe"
    image.write_bytes(b"")
    os.truncate(image, 256 << 20)
    try:
        run("mkfs.btrfs", "-q", image)
        run("mount", "-o", "loop", image, work)
        run("umount", work)
    except Failed:
        return False
    return True


@pytest.mark.parametrize("case", [c for c in CASES if DEEP or c.name in ALWAYS], ids=lambda case: case.name)
def test_the_hard_floor_is_accepted_and_nothing_is_lost(case, tmp_path):
    family = FAMILIES[case.family]
    if not present(*family.utilities):
        pytest.skip(f"{', '.join(family.utilities)} are not installed")
    if case.family == "btrfs" and not may_mount(tmp_path / "."):
        pytest.skip("this machine does not let a test mount a btrfs")
    image = case.make(tmp_path)
    with open_medium(image) as medium:
        found = read_filesystem(medium)
    size = image.stat().st_size
    partition = part(1, MiB, size, filesystem=found)
    assert ability_of(partition, reserved=False).smaller
    hard = floors_for(partition, "data", ability_of(partition, reserved=False), size, Options(), 0).hard * MiB
    least, before = family.least(image), family.files(image, tmp_path)
    if hard < size:
        family.shrink(image, hard)
    assert image.stat().st_size == min(hard, size)
    assert family.files(image, tmp_path) == before
    assert before
    assert hard >= least or case.family == "btrfs"  # which counts room to move where nothing has to
    TABLE.append((case.name, size, found.used_bytes, least, hard))


@pytest.mark.skipif(not DEEP, reason="the whole table is printed by make test-deep")
def test_floors_are_not_much_higher_than_the_utilities_own(capsys):
    said = [row for row in TABLE if row[3]]
    over = [100 * (hard - least) / least for _, _, _, least, hard in said]
    with capsys.disabled():
        print("\n| file system | size | used | utility's least | hard floor | higher by |\n|---|---|---|---|---|---|")
        for (name, *figures), percent in zip(said, over, strict=True):
            print(
                f"| {name} | " + " | ".join(f"{figure / MiB:.0f} MiB" for figure in figures) + f" | {percent:.1f} % |"
            )
        print(f"median {statistics.median(over):.1f} %, {len(over)} file systems")
    assert len(TABLE) >= 50
    btrfs = [percent for (name, *_), percent in zip(said, over, strict=True) if name.startswith("btrfs")]
    assert statistics.median(btrfs) <= MOST_MEDIAN_PERCENT
    assert statistics.median(over) <= MOST_MEDIAN_PERCENT


# Refused by the utility without force: held here, and said.
@pytest.mark.parametrize("feature", ["bigalloc", "stable_inodes"])
def test_what_the_resizer_refuses_is_held(feature, tmp_path):
    if not present("mke2fs", "resize2fs", "debugfs"):
        pytest.skip("e2fsprogs is not installed")
    image = tmp_path / "image"
    image.write_bytes(b"")
    os.truncate(image, 512 * MiB)
    run("mke2fs", "-q", "-F", "-t", "ext4", "-O", feature, image)
    with open_medium(image) as medium:
        found = read_filesystem(medium)
    assert not ability_of(part(1, MiB, 512 * MiB, filesystem=found), reserved=False).smaller
    with pytest.raises(Failed, match=feature):
        run("resize2fs", image, "500M")
