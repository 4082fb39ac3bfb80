"""Random changes to tables and metadata: no exception but ours, within bounds of time and memory."""

import os
import random
import resource

import pytest

from ylemorph.core.errors import YlemorphError
from ylemorph.probe.disks import survey_medium

CASES = 20_000 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 2_000
# Reads and bytes of one run, in those of the image as it is and of the whole image: a guard against loops.
MOST_READS, MOST_TIMES_OVER = 200, 4
MOST_BYTES = 200 << 20
NASTY = (
    b"\0",
    b"\xff",
    b"\x7f",
    b"\x80",
    b"\x01",
    b"\xff\xff\xff\xff",
    b"\0\0\0\0",
    b"\xff\xff\xff\x7f",
    b"\0\0\0\x80",
)
NAMES = (
    "disk-8-gib", "disk-mbr-logicals", "disk-4k", "ntfs-fragments", "ntfs-hibernated", "fat12", "fat16", "fat32",
    "exfat", "swap", "ext3", "ext2", "ext4-1k-uninit", "ext4-bigalloc", "ext4-meta-bg", "xfs", "btrfs",
)  # fmt: skip


class Changed:
    """A medium whose bytes are those of an image with a few of them changed; it notes where it was read."""

    sector = physical = None
    name = "changed"

    def __init__(self, path):
        self._file = path.open("rb")
        self.size = path.stat().st_size
        self.read_at = []
        self.changes = {}

    def read(self, offset, length):
        from ylemorph.probe.media.medium import Unsound

        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound("outside")
        self.read_at.append((offset, length))
        data = bytearray(os.pread(self._file.fileno(), length, offset))
        for at, value in self.changes.items():
            if offset <= at < offset + length:
                data[at - offset : at - offset + len(value)] = value[: length - (at - offset)]
        return bytes(data)

    def close(self):
        self._file.close()


@pytest.mark.parametrize("name", NAMES)
def test_changed_bytes_never_break_the_reader(image, name):
    medium = Changed(image(name))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    survey_medium(medium)
    usual = len(medium.read_at)
    places = [at for at in medium.read_at if at[1] <= 65_536]
    rng = random.Random(name)
    outcomes = set()
    for _ in range(CASES // len(NAMES) + 1):
        medium.changes = {}
        for _ in range(rng.choice((1, 1, 2, 5, 20))):
            offset, length = rng.choice(places)
            value = rng.choice(NASTY) if rng.random() < 0.6 else rng.randbytes(rng.randint(1, 8))
            medium.changes[offset + min(int(rng.expovariate(1 / 64)), length - 1)] = value
        medium.read_at = []
        try:
            survey_medium(medium)
            outcomes.add("read")
        except YlemorphError as error:
            outcomes.add("refused" if error.mend else "refused without a mend")
        assert len(medium.read_at) < MOST_READS * usual, medium.changes
        assert sum(length for _, length in medium.read_at) < MOST_TIMES_OVER * medium.size, medium.changes
    medium.close()
    assert "read" in outcomes
    assert "refused without a mend" not in outcomes
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024 < MOST_BYTES
