"""A physical volume of LVM by its extents: what is in use, where that ends, and how small it can be made."""

from collections.abc import Iterable
from itertools import pairwise

from ..sizes import Bytes, div_up
from .model import FileSystem, UsageMap

STRETCHES = 256  # of a usage map
Run = tuple[int, int]  # extents, half-open


def with_extents(
    known: FileSystem, start: int, extent: int, count: int, used: Iterable[Run], *, packs: bool
) -> FileSystem:
    """The facts of a physical volume with ``count`` extents of ``extent`` bytes from byte ``start`` on.

    ``packs``: whether what is in use may be moved to the front; else it cannot be smaller than where that ends. Raises
    ValueError where runs overlap or lie outside.
    """
    runs = sorted(used)
    if any(before[1] > after[0] for before, after in pairwise(runs)) or any(not 0 <= a <= b <= count for a, b in runs):
        raise ValueError("extents that overlap or lie outside")
    size, end = start + count * extent, start + (runs[-1][1] if runs else 0) * extent
    return known.but(
        cluster_bytes=Bytes(extent),
        size_bytes=Bytes(size),
        used_bytes=Bytes(start + sum(stop - first for first, stop in runs) * extent),
        last_used_byte=Bytes(end),
        immovable_end_byte=None if packs else Bytes(end),
        used_kind="counted",
        usage_map=_usage([(0, start), *((start + a * extent, start + b * extent) for a, b in runs)], extent, size),
        state="clean",
    )


def _usage(stretches: list[Run], extent: int, size: int) -> UsageMap:
    """Used bytes in equal stretches of whole extents."""
    bucket = max(1, div_up(size, extent * STRETCHES)) * extent
    taken = [0] * div_up(size, bucket)
    for first, stop in stretches:
        at = first
        while at < stop:
            index = at // bucket
            until = min(stop, (index + 1) * bucket)
            taken[index] += until - at
            at = until
    return UsageMap(Bytes(bucket), tuple(taken))


def first_past(fs: FileSystem, size: int) -> int | None:
    """The first extent that does not fit a physical volume of ``size`` bytes; None where nothing is known of them."""
    if fs.size_bytes is None or not fs.cluster_bytes:
        return None
    return (size - fs.size_bytes % fs.cluster_bytes) // fs.cluster_bytes
