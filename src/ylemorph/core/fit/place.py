"""Where the rows stand on the target (rule 7): in order, without gaps, on whole grains."""

from collections.abc import Sequence
from typing import NamedTuple

from ..sizes import Extent
from .frame import Frame


class Placed(NamedTuple):
    """Extents in grains: one for each row that was given, and what stays unallocated, first to last."""

    rows: tuple[Extent, ...]
    unallocated: tuple[Extent, ...]


def place(frame: Frame, sizes: Sequence[int], logical: Sequence[bool], free_after: int | None) -> Placed:
    """Rules 7.1 and 7.2: the free space stands at the end or after the row with index ``free_after``.

    The tail reserve always stands at the end; a logical's record takes the grain before it (rule 2.3).
    """
    free = frame.end - frame.first - frame.tail - sum(sizes) - sum(logical)
    cursor: int = frame.first
    rows: list[Extent] = []
    gaps: list[Extent] = []
    for index, size in enumerate(sizes):
        start = cursor + logical[index]
        cursor = start + size
        rows.append(Extent(start, cursor))
        if index == free_after and free:
            gaps.append(Extent(cursor, cursor + free))
            cursor += free
    if cursor < frame.end:
        if gaps and gaps[-1].stop == cursor:
            gaps[-1] = Extent(gaps[-1].start, frame.end)
        else:
            gaps.append(Extent(cursor, frame.end))
    return Placed(tuple(rows), tuple(gaps))
