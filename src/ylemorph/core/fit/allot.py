"""Share grains among rows (rules 6.1 to 6.3). Integers only; no I/O, clock, random or framework.

Each row has a floor, a ceiling and a weight, all in grains; the sizes must add up to the capacity. Every sharing is one
number lambda: a row gets ``clamp(lambda x weight, floor, ceiling)``. What follows from that:

- The sum of the sizes never falls when lambda rises, and is linear between *bends*: a row leaves its floor at
  ``floor / weight`` and stops at its ceiling at ``ceiling / weight``. Between two bends the sum is
  ``constant + slope x lambda``, where the slope is the weights of the rows that are on their way, and the constant is
  the floors and ceilings at which the others stand.
- So the bends are sorted once and swept in order, with constant and slope kept up to date and the whole sum at each
  bend remembered. The first bend at which the capacity is reached ends the stretch that holds it, and one division
  gives lambda exactly: ``(capacity - constant) / slope``. The sweep does not depend on the capacity, so one
  `Sharing` serves any number of targets, and goes only as far as one asked for.
- Lambda times a weight is rarely whole. Each row is rounded down, and the grains that are left (fewer than there are
  rows on their way) go one each to the largest remainders, of equals to the earlier row (rule 6.2). A row at a bound
  has no remainder, so nobody is lifted over a ceiling.

Kept true: every size lies between floor and ceiling; the sum is the capacity, or every row with a weight is at its
ceiling. No float takes part: bends are compared as integers after a shift that keeps different fractions apart.

Example: capacity 10, floors (1, 2, 0), ceilings (9, 3, 9), weights (2, 1, 1). Bends: the third row leaves 0 at 0, the
first leaves 1 at 1/2, the second leaves 2 at 2 and reaches 3 at 3; then 9/2 and 9. At lambda = 2 the sum is 4 + 2 + 2 =
8, at 3 it is 6 + 3 + 3 = 12: the capacity lies between, where all three are on their way (slope 4, constant 0). Lambda
is 10/4, the sizes are 5, 2.5 and 2.5; rounded down 9 are given, and the one left goes to the second row: (5, 3, 2).
"""

from bisect import bisect_left
from collections.abc import Sequence
from typing import NamedTuple

# Bends are fractions ``bound / weight``. Two different ones differ by at least one over the product of their weights,
# so their integer parts after a shift by twice the bits of the largest weight stand in the order of the fractions.


class Share(NamedTuple):
    """``num / den`` in lowest or any other terms, ``den`` positive."""

    num: int
    den: int


class Sharing:
    """Rows among which grains are shared in proportion to weights, between floors and ceilings (rules 6.1, 6.2, 6.6).

    Made once for any number of capacities: the sweep over the bends does not depend on the capacity, and goes only as
    far as one asked for. Not for several threads at once.
    """

    __slots__ = ("_bends", "_constant", "_passed", "_reached", "_slope", "ceilings", "floors", "weights")

    def __init__(self, floors: Sequence[int], ceilings: Sequence[int], weights: Sequence[int]) -> None:
        if floors and not any(weights):
            raise ValueError("weights must not all be zero")
        self.floors = tuple(floors)
        self.ceilings = tuple(ceilings)
        self.weights = tuple(weights)
        self._bends = _bends(floors, ceilings, weights)
        # Swept only as far as a capacity asked for: constant and slope before each bend, and the whole sum at it.
        self._passed: list[tuple[int, int]] = []
        self._reached: list[int] = []
        self._constant, self._slope = sum(floors), 0

    def _sweep(self, capacity: int) -> int:
        """The place of the first bend at which ``capacity`` is reached; past the last where none is."""
        reached, constant, slope = self._reached, self._constant, self._slope
        if reached and reached[-1] >= capacity:
            return bisect_left(reached, capacity)
        for place in range(len(reached), len(self._bends)):
            _, num, den, more_slope, more_constant = self._bends[place]
            self._passed.append((constant, slope))
            reached.append(constant + slope * num // den)
            slope += more_slope
            constant += more_constant
            if reached[-1] >= capacity:
                break
        self._constant, self._slope = constant, slope
        return bisect_left(reached, capacity)

    def sizes(self, capacity: int) -> tuple[int, ...]:
        """Whole grains ``clamp(lambda x weight, floor, ceiling)`` that add up to ``capacity``.

        Needs ``sum(floors) <= capacity`` and each floor at most its ceiling; the sizes add up to less than
        ``capacity`` only where every row is at its ceiling, or has no weight and so stays at its floor.
        """
        place = self._sweep(capacity)
        rows = zip(self.floors, self.ceilings, self.weights, strict=True)
        if place == len(self._bends):
            return tuple([hi if w else lo for lo, hi, w in rows])
        _, num, den, _, _ = self._bends[place]
        constant, slope = self._passed[place]
        if slope:  # else a flat stretch: capacity is met at the bend itself
            num, den = capacity - constant, slope
        whole: list[int] = []
        parts: list[int] = []
        for lo, hi, weight in rows:
            size, part = divmod(num * weight, den)
            if size < lo:
                size, part = lo, 0
            elif size >= hi:
                size, part = hi, 0
            whole.append(size)
            parts.append(part)
        return _give_out(capacity, whole, parts)


def between(capacity: int, floors: Sequence[int], comforts: Sequence[int]) -> tuple[tuple[int, ...], Share]:
    """``floor + tau x (comfort - floor)`` in whole grains that add up to ``capacity``, and tau (rule 6.3).

    Needs ``sum(floors) <= capacity < sum(comforts)``.
    """
    least = sum(floors)
    tau = Share(capacity - least, sum(comforts) - least)
    whole: list[int] = []
    parts: list[int] = []
    for lo, hi in zip(floors, comforts, strict=True):
        more, part = divmod((hi - lo) * tau.num, tau.den)
        whole.append(lo + more)
        parts.append(part)
    return _give_out(capacity, whole, parts), tau


def _bends(
    floors: Sequence[int], ceilings: Sequence[int], weights: Sequence[int]
) -> list[tuple[int, int, int, int, int]]:
    """Where rows leave their floors and reach their ceilings, in order.

    Each as (order, numerator, denominator, change of slope, change of constant).
    """
    shift = 2 * max(weights).bit_length() + 1 if weights else 0
    bends = [((lo << shift) // w, lo, w, w, -lo) for lo, w in zip(floors, weights, strict=True) if w]
    bends += [((hi << shift) // w, hi, w, -w, hi) for hi, w in zip(ceilings, weights, strict=True) if w]
    bends.sort()
    return bends


def _give_out(capacity: int, whole: list[int], parts: list[int]) -> tuple[int, ...]:
    """One grain each to the largest fractions until ``capacity`` is reached, ties to the earlier row (rule 6.2)."""
    left = capacity - sum(whole)
    if left > 0:
        for index in sorted(range(len(parts)), key=lambda i: -parts[i])[:left]:
            whole[index] += 1
    return tuple(whole)
