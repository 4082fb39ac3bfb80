"""Where the rows stand on the target (rule 7): in order, on whole grains, without gaps but where a row should stay."""

from collections.abc import Sequence
from typing import NamedTuple

from ..sizes import Extent
from .frame import Frame


class Placed(NamedTuple):
    """Extents in grains: one for each row that was given, and what stays unallocated, first to last."""

    rows: tuple[Extent, ...]
    unallocated: tuple[Extent, ...]


class Wanted(NamedTuple):
    """The grain at which a row should start, and how much that counts beside other rows."""

    start: int
    weight: int


def place(
    frame: Frame,
    sizes: Sequence[int],
    logical: Sequence[bool],
    free_after: int | None,
    wanted: Sequence[Wanted | None] | None = None,
) -> Placed:
    """Rules 7.1 to 7.3b: the free space stands at the end or after the row with index ``free_after``.

    The tail reserve always stands at the end; a logical's record takes the grain before it (rule 2.3). A row stays at
    its ``wanted`` start where the rows before it leave that free, and there is room for the gap that it opens.
    """
    end = frame.end - frame.tail
    lengths = [size + one for size, one in zip(sizes, logical, strict=True)]  # with the record
    free = end - frame.first - sum(lengths)
    behind = [] if free_after is None else lengths[free_after + 1 :]
    ahead = len(lengths) - len(behind)
    if wanted is None or not free:
        starts = _one_by_one(frame.first, lengths[:ahead])
    else:
        firsts = [(None if want is None else want._replace(start=want.start - one))
                  for want, one in zip(wanted, logical, strict=True)]  # fmt: skip
        starts = _staying(frame.first, end - sum(behind), lengths[:ahead], firsts)
    starts += _one_by_one(end - sum(behind), behind)
    rows = [Extent(start + one, start + length) for start, one, length in zip(starts, logical, lengths, strict=True)]
    return Placed(tuple(rows), tuple(_gaps(frame, starts, rows)))


def _one_by_one(cursor: int, lengths: Sequence[int]) -> list[int]:
    starts = []
    for length in lengths:
        starts.append(cursor)
        cursor += length
    return starts


class _Best(NamedTuple):
    """How the rows so far stand: where they end, and the starts back to the first."""

    end: int
    start: int = 0
    before: "_Best | None" = None


def _staying(first: int, end: int, lengths: Sequence[int], wanted: Sequence[Wanted | None]) -> list[int]:
    """The starts under which the rows that stay weigh most; among those the ones that end first.

    For each weight that can be reached the earliest end is kept: whatever the next rows want, an earlier end never
    leaves them less. So one pass over the rows finds the best of all subsets.
    """
    best: dict[int, _Best] = {0: _Best(first)}
    rest = sum(lengths)
    for length, want in zip(lengths, wanted, strict=False):
        rest -= length
        reached: dict[int, _Best] = {}
        for weight, before in best.items():
            choices = [(before.end, weight)]
            if want is not None and want.start >= before.end:
                choices.append((want.start, weight + want.weight))
            for start, total in choices:
                known = reached.get(total)
                if start + length + rest <= end and (known is None or start + length < known.end):
                    reached[total] = _Best(start + length, start, before)
        best = reached
    step = best[max(best)]
    starts: list[int] = []
    while step.before is not None:
        starts.append(step.start)
        step = step.before
    return starts[::-1]


def _gaps(frame: Frame, starts: list[int], rows: list[Extent]) -> list[Extent]:
    """What stays unallocated between the rows, before the first and behind the last."""
    edges = [frame.first, *[row.stop for row in rows]]
    return [Extent(stop, start) for stop, start in zip(edges, [*starts, frame.end], strict=True) if stop < start]
