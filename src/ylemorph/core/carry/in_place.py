"""The order of steps in place on one disk (rule 10): smaller, then moved, then larger; each thing once.

Rows stand on one disk, already as short as they must become, and have to come to other places without one being written
over another. Two things are tried, the cheap one first:

1. *Straight away.* A row goes to its place as soon as nothing else stands there. Rows that go toward the start are
   looked at first to last, rows that go toward the end last to first: so the one in front makes room for the one
   behind. As long as the rows keep their order this always leads to the end: among those that go toward the start the
   first has only rows before it that are at their places already, and likewise from the end.
2. *Through free space.* Where rows must pass each other, every one that waits can be in another's way. Then one of
   them is put into a gap and moved a second time. Which one, and where, is searched for: a state is the places of the
   rows, a step moves one row to its goal or to either end of a gap that holds it, the cost is the sectors moved.
   The search is A*: what must be moved at least is each row that is not at its place, once, which never overstates,
   so the first state taken that is the goal is the cheapest. It ends after ``MOST_STATES`` places. Of very many rows
   the smallest that a gap holds stands aside, each at most once, until few enough wait.

Kept true after every move: no two rows overlap, and none leaves the usable part. It ends: a move straight away takes
a row from those that wait, each row stands aside once, and no state is looked at twice. Where no gap holds any row that
waits, the answer is the row and the sectors that are missing.

Example: 10 sectors, A at 0 to 4, B at 4 to 7, free from 7; wanted is B first: B at 0, A at 3. Neither can go: each
stands in the other's place. The gap of 3 holds B: B to 7, A to 3, B to 0; 3 + 4 + 3 = 10 sectors are moved. A does not
fit the gap; were the disk one sector shorter, that one would be missing.
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
MOST_EXACT = 5  # rows, of which every order is looked at
MOST_STATES_EXACT, MOST_STATES, MOST_STATES_OF_MANY = 2500, 1000, 100


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
    moves = _one_by_one(shifts, now.copy(), goals, usable, grain)
    moved = [move[0] for move in moves.made]
    if (moves.blocked is None and len(set(moved)) == len(moved)) or len(shifts) > MOST_EXACT:
        return moves  # nothing is moved twice, which no other order betters
    waiting = [shift.row for shift in shifts]
    known = sum(move[1].length for move in moves.made) if moves.blocked is None else None
    exact = _pass_through(waiting, now, goals, usable, grain, _anchors(now, goals), known)
    return moves if exact is None else Moves(exact)


def _anchors(now: dict[int, Extent], goals: dict[int, Extent]) -> frozenset[int]:
    """Where something begins or ends, now or at the end: beside it a row that stands aside is in nobody's way."""
    return frozenset(edge for extents in (now.values(), goals.values()) for extent in extents for edge in (*extent,))


def _one_by_one(
    shifts: tuple[Shift, ...], now: dict[int, Extent], goals: dict[int, Extent], usable: Extent, grain: int
) -> Moves:
    """Straight away as long as that goes, and through free space from there on."""
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
    waiting: list[int],
    now: dict[int, Extent],
    goals: dict[int, Extent],
    usable: Extent,
    grain: int,
    anchors: frozenset[int] = frozenset(),
    known: int | None = None,
) -> tuple[Move, ...] | None:
    """The order with the fewest sectors moved, within ``MOST_STATES`` places of the rows; None where none leads there.

    Of many rows only those that wait may move; the others are at their places. ``anchors``: where a row may stand aside
    beside the ends of gaps. ``known``: sectors of an order that is known; only one that moves less is looked for.
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
    most = MOST_STATES_EXACT if anchors else MOST_STATES if len(now) <= MOST_SEARCHED else MOST_STATES_OF_MANY
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
            for to in _places(extents[place], goals[row], others, usable, grain, anchors):
                after = (*starts[:place], to.start, *starts[place + 1 :])
                spent = cost + to.length
                least = spent + left(after)
                if after not in seen and (known is None or least < known):
                    pushed += 1
                    heappush(heap, (least, -pushed, spent, after, (*path, (row, extents[place], to))))
    return None


def _places(
    own: Extent, goal: Extent, others: list[Extent], usable: Extent, grain: int, anchors: frozenset[int]
) -> list[Extent]:
    """Where a row could go: its place, either end of a gap that holds it, or in it beside an anchor."""
    length = own.length
    starts = [] if any(_overlap(other, goal) for other in others) else [goal.start]
    for gap in _gaps(others, usable, grain):
        if gap.length >= length:
            starts += [gap.start, (gap.stop - length) // grain * grain]
            beside = {at for anchor in anchors for at in (anchor, anchor - length) if at % grain == 0}
            starts += sorted(at for at in beside if gap.start <= at and at + length <= gap.stop)
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
