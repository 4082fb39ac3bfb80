"""The least size of a btrfs from its chunks, by hand; made smaller for real in tests/real."""

import pytest

from ylemorph.core.disk.btrfs_least import least_btrfs_bytes
from ylemorph.core.sizes import Extent, MiB


def chunks(*pieces):
    return [Extent(start * MiB, stop * MiB) for start, stop in pieces]


@pytest.mark.parametrize(
    ("pieces", "least"),
    [
        ([], 256),  # the least device
        ([(1, 101)], 256),
        ([(1, 401)], 401),  # one that nothing has to leave
        ([(1, 201), (201, 501)], 501),
        ([(1, 201), (301, 401)], 401),  # could move, but would need more beside it than it saves
        ([(1, 201), (600, 700)], 301 + 100 + 32),  # moves into the room behind the first
        ([(1, 201), (600, 700), (900, 950)], 351 + 100 + 32),  # the largest that moves counts, once
        ([(1, 201), (300, 600)], 600),  # no room in front that is long enough: it stays
        ([(1, 51), (100, 300), (900, 950)], 301 + 50 + 32),
        ([(1, 301), (400, 450), (500, 550)], 450 + 50 + 32),
        # Holes just as long as what moves into them.
        ([(1, 101), (201, 301), (401, 501), (601, 1000), (1000, 1100), (1100, 1200), (1200, 1300)], 1000 + 100 + 32),
    ],
)
def test_the_least_size_follows_from_the_chunks(pieces, least):
    assert least_btrfs_bytes(chunks(*pieces)) == least * MiB
