"""A physical volume of LVM by its extents, by hand; read from real ones in tests/real."""

import pytest

from tests.make import fs
from ylemorph.core.disk.extents import first_past, with_extents
from ylemorph.core.sizes import MiB

EXTENT, START, COUNT = 4 * MiB, MiB, 100


def volume(*used, packs=False):
    return with_extents(fs("lvm"), START, EXTENT, COUNT, used, packs=packs)


@pytest.mark.parametrize(
    ("used", "extents", "end"),
    [
        ((), 0, 0),
        (((50, 60), (0, 10)), 20, 60),
        (((0, 10), (10, 20)), 20, 20),  # one after the other
        (((7, 7),), 0, 7),
        (((0, 100),), 100, 100),
    ],
)
def test_what_is_in_use_and_where_it_ends(used, extents, end):
    made = volume(*used)
    assert (made.size_bytes, made.cluster_bytes) == (START + COUNT * EXTENT, EXTENT)
    assert made.used_bytes == START + extents * EXTENT
    assert made.last_used_byte == made.immovable_end_byte == START + end * EXTENT
    assert volume(*used, packs=True).immovable_end_byte is None
    assert sum(made.usage_map.used) == made.used_bytes
    assert (made.usage_map.bucket_bytes, len(made.usage_map.used)) == (EXTENT, 101)


def test_the_usage_map_says_where():
    taken = volume((1, 2)).usage_map.used  # its first extent begins behind the head of one MiB
    assert taken[:3] == (MiB, 3 * MiB, MiB)
    assert not any(taken[3:])
    many = with_extents(fs("lvm"), START, EXTENT, 10_000, ((0, 10_000),), packs=True).usage_map
    assert (many.bucket_bytes, len(many.used)) == (40 * EXTENT, 251)
    assert set(many.used[:-1]) == {40 * EXTENT}


@pytest.mark.parametrize("used", [((0, 10), (9, 20)), ((-1, 3),), ((90, 101),), ((5, 4),), ((0, 1), (90, 101))])
def test_runs_that_cannot_be(used):
    with pytest.raises(ValueError, match="overlap or lie outside"):
        volume(*used)


def test_the_first_that_does_not_fit():
    made = volume()
    assert first_past(made, START + 30 * EXTENT) == 30
    assert first_past(made, START + 30 * EXTENT + EXTENT - 1) == 30
    assert first_past(fs("lvm"), 30 * EXTENT) is None
