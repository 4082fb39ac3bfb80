"""Counting a bitmap: how many clusters are in use, in 256 equal stretches, and where the last one stands.

Chunks are counted as whole integers, which is the quickest way that the standard library has; no bitmap is held whole.
"""

from collections.abc import Callable
from typing import NamedTuple

from ..core.disk.model import UsageMap
from ..core.sizes import Bytes, div_up
from .media.medium import MOST_AT_ONCE

BUCKETS = 256


class Counted(NamedTuple):
    """Clusters in use, the index just past the last one in use, and the clusters in use of each bucket."""

    used: int
    end: int
    buckets: tuple[int, ...]
    bucket_clusters: int

    def usage_map(self, cluster: int, *, before: int = 0, size: int | None = None) -> UsageMap:
        """Used bytes by bucket; ``before`` bytes that the bitmap does not speak of are in use and stand in front.

        What does not fit its bucket is counted in the next, so that the map adds up to the used space.
        """
        bucket = self.bucket_clusters * cluster
        used, carry = [], before
        for index, count in enumerate(self.buckets):
            room = bucket if size is None else max(0, min(bucket, size - index * bucket))
            held = min(count * cluster + carry, room)
            carry += count * cluster - held
            used.append(held)
        return UsageMap(Bytes(bucket), tuple(used))


def bucket_clusters(clusters: int) -> int:
    """Clusters in a bucket: a multiple of eight, so that a bucket is whole bytes of the bitmap."""
    return max(8, div_up(div_up(clusters, BUCKETS), 8) * 8)


class BitCounter:
    """Adds up a bitmap's bytes in order, bit 0 of byte 0 first; bits past ``clusters`` are not counted."""

    def __init__(self, clusters: int) -> None:
        self.clusters = clusters
        self.at = 0
        self._bucket = bucket_clusters(clusters)
        self._counts = [0] * div_up(clusters, self._bucket)
        self._last = (0, b"")

    def add(self, data: bytes) -> None:
        """The next ``len(data) * 8`` clusters; what lies past the last cluster is masked off."""
        left = self.clusters - self.at
        if left < len(data) * 8:
            data = _cut(data, max(0, left))
        place = 0
        while place < len(data):
            index, inside = divmod(self.at, self._bucket)
            piece = data[place : place + (self._bucket - inside) // 8]
            count = int.from_bytes(piece, "little").bit_count()
            if count:
                self._counts[index] += count
                self._last = (self.at, piece)
            place += len(piece)
            self.at += len(piece) * 8

    def add_flags(self, flags: bytes) -> None:
        """The next ``len(flags)`` clusters, one byte each, zero where free."""
        flags = flags[: self.clusters - self.at]
        place = 0
        while place < len(flags):
            index, inside = divmod(self.at, self._bucket)
            piece = flags[place : place + self._bucket - inside]
            count = len(piece) - piece.count(0)
            if count:
                self._counts[index] += count
                self._last = (self.at + len(piece.rstrip(b"\0")), b"")
            place += len(piece)
            self.at += len(piece)

    def result(self) -> Counted:
        at, piece = self._last
        return Counted(sum(self._counts), at + _length(piece), tuple(self._counts), self._bucket)


def _cut(data: bytes, bits: int) -> bytes:
    """The first ``bits`` bits, the padding after them cleared."""
    whole, rest = divmod(bits, 8)
    return data[:whole] + (bytes((data[whole] & ((1 << rest) - 1),)) if rest else b"")


def _length(data: bytes) -> int:
    """Bits up to and with the last one that is set."""
    kept = data.rstrip(b"\0")
    return len(kept) * 8 - 8 + kept[-1].bit_length() if kept else 0


def count_bitmap(clusters: int, read: Callable[[int, int], bytes]) -> Counted:
    """Count a bitmap that ``read(offset, length)`` gives, whole buckets at a time where they are small enough."""
    counter = BitCounter(clusters)
    total = div_up(clusters, 8)
    bucket = bucket_clusters(clusters) // 8
    step = max(1, MOST_AT_ONCE // bucket) * bucket if bucket <= MOST_AT_ONCE else MOST_AT_ONCE
    for offset in range(0, total, step):
        counter.add(read(offset, min(step, total - offset)))
    return counter.result()


def last_set_before(index: int, read: Callable[[int, int], bytes]) -> int:
    """The index just past the last bit that is set among the first ``index`` bits; 0 where none is."""
    limit, step = index, 4096
    while limit > 0:
        start = max(0, div_up(limit, 8) - step)
        found = _length(_cut(read(start, div_up(limit, 8) - start), limit - start * 8))
        if found:
            return start * 8 + found
        limit, step = start * 8, min(2 * step, MOST_AT_ONCE)  # an empty volume is stepped over quickly
    return 0
