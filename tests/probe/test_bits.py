"""Counting bitmaps, against the plainest way to do it."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ylemorph.probe.bits import BUCKETS, BitCounter, bucket_clusters, count_bitmap, last_set_before
from ylemorph.probe.media.medium import Unsound


def plainly(data, clusters):
    """Each bit looked at on its own."""
    flags = [data[i // 8] >> i % 8 & 1 for i in range(clusters)]
    return sum(flags), max((i + 1 for i, flag in enumerate(flags) if flag), default=0), flags


def reader(data):
    def read(offset, length):
        if offset + length > len(data):
            raise Unsound("outside")
        return data[offset : offset + length]

    return read


bitmaps = st.integers(1, 5000).flatmap(
    lambda clusters: st.tuples(
        st.just(clusters),
        st.binary(min_size=-(-clusters // 8), max_size=-(-clusters // 8))
        | st.just(bytes(-(-clusters // 8)))
        | st.just(b"\xff" * -(-clusters // 8)),
    )
)


@given(bitmaps)
def test_used_end_and_buckets(case):
    clusters, data = case
    counted = count_bitmap(clusters, reader(data))
    used, end, flags = plainly(data, clusters)
    step = counted.bucket_clusters
    assert (counted.used, counted.end) == (used, end)
    assert list(counted.buckets) == [sum(flags[at : at + step]) for at in range(0, clusters, step)]
    assert len(counted.buckets) <= BUCKETS


@given(bitmaps, st.lists(st.integers(1, 40), max_size=30))
def test_in_whatever_pieces_it_comes(case, pieces):
    clusters, data = case
    counter, at = BitCounter(clusters), 0
    for piece in pieces:
        counter.add(data[at : at + piece])
        at += piece
    counter.add(data[at:])
    assert counter.result() == count_bitmap(clusters, reader(data))


@given(bitmaps)
def test_flags_count_as_bits_do(case):
    clusters, data = case
    flags = bytes(plainly(data, clusters)[2])
    counter = BitCounter(clusters)
    for at in range(0, len(flags), 700):
        counter.add_flags(flags[at : at + 700])
    assert counter.result() == count_bitmap(clusters, reader(data))


@given(bitmaps, st.integers(0, 5000))
def test_the_last_one_before_a_place(case, index):
    clusters, data = case
    index = min(index, clusters)
    flags = plainly(data, clusters)[2]
    expected = max((i + 1 for i in range(index) if flags[i]), default=0)
    assert last_set_before(index, reader(data)) == expected


@pytest.mark.parametrize(
    ("clusters", "expected"),
    [(1, 8), (2048, 8), (2049, 16), (256 * 8 * 100, 800), (256 * 8 * 100 + 1, 808), (488_378_645, 1_907_736)],
)
def test_buckets_are_whole_bytes(clusters, expected):
    assert bucket_clusters(clusters) == expected
    assert expected * BUCKETS >= clusters


def test_padding_past_the_last_cluster_does_not_count():
    assert count_bitmap(3, reader(b"\xff")).used == 3


def test_a_bitmap_that_is_too_short_is_unsound():
    with pytest.raises(Unsound):
        count_bitmap(100, reader(b"\xff"))


def test_what_stands_before_the_first_cluster_is_in_the_map():
    """ext with 1 KiB blocks has a boot block that no group speaks of; the last bucket is cut at the end."""
    usage = count_bitmap(16, reader(b"\x0f\xff")).usage_map(1024, before=1024, size=12 * 1024)
    assert usage.bucket_bytes == 8192
    assert usage.used == (5 * 1024, 4 * 1024)
