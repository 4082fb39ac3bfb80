"""The order of steps in place on one disk (rule 10): smaller, then moved, then larger; each thing once.

Rows that must pass each other need free space to pass through: one of them is put aside there.
"""

from functools import lru_cache
from heapq import heappop, heappush
from typing import NamedTuple

from ..sizes import Extent, div_up


class Shift(NamedTuple):
    """One row from where it is to where it must be, in LBAs."""

    row: int
    now: Extent
    goal: Extent


class Blocked(NamedTuple):
    """No order leads there: the row that cannot pass, and the sectors of free space that are missing."""

    row: int
    missing: int


Move = tuple[int, Extent, Extent]  # row, from, to with the length kept
MOST_SEARCHED = 9  # rows; of more, only so many that still wait
MOST_STATES, MOST_STATES_OF_MANY = 1000, 100


class Moves(NamedTuple):
    """Moves in their order."""

    made: tuple[Move, ...]
    blocked: Blocked | None = None


@lru_cache(maxsize=256)  # the facts of a bench change nothing in it, and many are tried
def order_moves(shifts: tuple[Shift, ...], usable: Extent, grain: int) -> Moves:
    """Moves that bring every row, already made smaller where it must be, to its place without writing over another.

    What is put aside stands on whole grains of so many sectors too. Where rows must pass each other, the cheapest order
    is searched for; a row that stands aside is moved twice.
    """
    now = {shift.row: shift.now for shift in shifts}
    goals = {s.row: Extent(s.goal.start, s.goal.start + s.now.length) for s in shifts}
    waiting = [s.row for s in sorted(shifts, key=lambda s: s.now.start) if s.now.start != s.goal.start]
    made: list[Move] = []
    stood_aside: set[int] = set()
    while waiting:
        row = _free_to_go(waiting, now, goals)
        if row is not None:
            waiting.remove(row)
            move = (row, now[row], goals[row])
        elif len(waiting) <= MOST_SEARCHED:
            passed = _pass_through(waiting, now, goals, usable, grain)
            if passed is None:
                return Moves(tuple(made), _missing(waiting, now, usable, grain))
            return Moves((*made, *passed))
        else:
            aside = _aside(waiting, now, goals, usable, grain, stood_aside)
            if aside is None:
                return Moves(tuple(made), _missing(waiting, now, usable, grain))
            move = aside
            stood_aside.add(move[0])
        made.append(move)
        now[move[0]] = move[2]
    return Moves(tuple(made))


def _free_to_go(waiting: list[int], now: dict[int, Extent], goals: dict[int, Extent]) -> int | None:
    """Toward the start first to last, toward the end last to first."""
    ahead = [row for row in waiting if goals[row].start < now[row].start]
    behind = [row for row in waiting if goals[row].start > now[row].start]
    for row in [*ahead, *reversed(behind)]:
        if not _in_the_way(row, goals[row], now):
            return row
    return None


def _in_the_way(row: int, place: Extent, now: dict[int, Extent]) -> bool:
    start, stop = place
    return any(own[0] < stop and start < own[1] and other != row for other, own in now.items())


def _overlap(one: Extent, two: Extent) -> bool:
    return one.start < two.stop and two.start < one.stop


def _aside(
    waiting: list[int],
    now: dict[int, Extent],
    goals: dict[int, Extent],
    usable: Extent,
    grain: int,
    stood_aside: set[int],
) -> Move | None:
    """The smallest waiting row that a gap holds, at the end of the gap or in nobody's way; each stands aside once."""
    gaps = _gaps(list(now.values()), usable, grain)
    for row in sorted((row for row in waiting if row not in stood_aside), key=lambda row: now[row].length):
        length = now[row].length
        places = [(gap.stop - length) // grain * grain for gap in gaps if gap.length >= length]
        others = [goals[other] for other in waiting if other != row]
        for start in sorted(places, key=lambda at: sum(_overlap(Extent(at, at + length), goal) for goal in others)):
            return row, now[row], Extent(start, start + length)
    return None


def _pass_through(
    waiting: list[int], now: dict[int, Extent], goals: dict[int, Extent], usable: Extent, grain: int
) -> tuple[Move, ...] | None:
    """The order with the fewest sectors moved, within ``MOST_STATES`` places of the rows; None where none leads there.

    Of many rows only those that wait may move; the others are at their places.
    """
    rows = sorted(now) if len(now) <= MOST_SEARCHED else sorted(waiting)
    still = [extent for row, extent in now.items() if row not in rows]
    first = tuple(now[row].start for row in rows)
    wanted = tuple(goals[row].start for row in rows)
    lengths = [now[row].length for row in rows]

    def left(starts: tuple[int, ...]) -> int:
        """What must be moved at least: every row that is not at its place, once."""
        return sum([n for n, start, goal in zip(lengths, starts, wanted, strict=True) if start != goal])

    heap: list[tuple[int, int, int, tuple[int, ...], tuple[Move, ...]]] = [(left(first), 0, 0, first, ())]
    seen: set[tuple[int, ...]] = set()
    pushed = 0
    most = MOST_STATES if len(now) <= MOST_SEARCHED else MOST_STATES_OF_MANY
    while heap and len(seen) < most:
        _, _, cost, starts, path = heappop(heap)
        if starts == wanted:
            return path
        if starts in seen:
            continue
        seen.add(starts)
        extents = [Extent(start, start + length) for start, length in zip(starts, lengths, strict=True)]
        for place, row in enumerate(rows):
            others = still + extents[:place] + extents[place + 1 :]
            for to in _places(extents[place], goals[row], others, usable, grain):
                after = (*starts[:place], to.start, *starts[place + 1 :])
                if after not in seen:
                    pushed, spent = pushed + 1, cost + to.length
                    heappush(heap, (spent + left(after), -pushed, spent, after, (*path, (row, extents[place], to))))
    return None


def _places(own: Extent, goal: Extent, others: list[Extent], usable: Extent, grain: int) -> list[Extent]:
    """Where a row could go: its place, or either end of a gap that holds it."""
    length = own.length
    starts = [] if any(_overlap(other, goal) for other in others) else [goal.start]
    for gap in _gaps(others, usable, grain):
        if gap.length >= length:
            starts += [gap.start, (gap.stop - length) // grain * grain]
    return [Extent(start, start + length) for start in dict.fromkeys(starts) if start != own.start]


def _missing(waiting: list[int], now: dict[int, Extent], usable: Extent, grain: int) -> Blocked:
    """The smallest row that no gap holds, and what a gap lacks."""
    largest = max((gap.length for gap in _gaps(list(now.values()), usable, grain)), default=0)
    too_long = [row for row in waiting if now[row].length > largest] or waiting
    least = min(too_long, key=lambda row: now[row].length)
    return Blocked(least, max(grain, now[least].length - largest))


def _gaps(taken: list[Extent], usable: Extent, grain: int) -> list[Extent]:
    """What stands free, from the first whole grain on."""
    gaps, at = [], usable.start
    for extent in [*sorted(taken), Extent(usable.stop, usable.stop)]:
        start = div_up(at, grain) * grain
        if extent.start > start:
            gaps.append(Extent(start, extent.start))
        at = max(at, extent.stop)
    return gaps
