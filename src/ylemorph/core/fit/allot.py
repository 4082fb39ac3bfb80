"""Share grains among rows (rules 6.1 to 6.3). Integers only; no I/O, clock, random or framework.

Every sharing is one number lambda in ``clamp(lambda x weight, lo, hi)``. The sum of these is piecewise
linear in lambda and never falls, so a sweep over the points where a row leaves its floor or reaches its
ceiling finds the stretch that holds the capacity, and one division gives lambda exactly.
"""

from collections.abc import Sequence
from typing import NamedTuple

# Breakpoints are fractions of integers below 2^63. Two different ones differ by more than 2^-126, so their
# integer parts after a shift by 128 bits stand in the same order as the fractions themselves.
_SHIFT = 128


class Share(NamedTuple):
    """``num / den`` in lowest or any other terms, ``den`` positive."""

    num: int
    den: int


def allot(capacity: int, floors: Sequence[int], ceilings: Sequence[int], weights: Sequence[int]) -> tuple[int, ...]:
    """Whole grains ``clamp(lambda x weight, floor, ceiling)`` that add up to ``capacity`` (rules 6.1, 6.2, 6.6).

    Needs ``sum(floors) <= capacity`` and each floor at most its ceiling; the sizes add up to less than
    ``capacity`` only where every row is at its ceiling, or has no weight and so stays at its floor.
    """
    if not any(weights):
        raise ValueError("weights must not all be zero")
    share = _lambda(capacity, floors, ceilings, weights)
    if share is None:
        return tuple(hi if w else lo for lo, hi, w in zip(floors, ceilings, weights, strict=True))
    num, den = share
    whole: list[int] = []
    parts: list[int] = []
    for lo, hi, weight in zip(floors, ceilings, weights, strict=True):
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


def _lambda(capacity: int, floors: Sequence[int], ceilings: Sequence[int], weights: Sequence[int]) -> Share | None:
    """The lambda of rule 6.1; None where even the ceilings together do not reach ``capacity``."""
    # (order, numerator, denominator, change of slope, change of constant)
    bends: list[tuple[int, int, int, int, int]] = []
    for lo, hi, weight in zip(floors, ceilings, weights, strict=True):
        if weight:
            bends.append(((lo << _SHIFT) // weight, lo, weight, weight, -lo))
            bends.append(((hi << _SHIFT) // weight, hi, weight, -weight, hi))
    bends.sort()
    constant, slope = sum(floors), 0
    for _, num, den, more_slope, more_constant in bends:
        if constant * den + slope * num >= capacity * den:
            # Reached before this bend. A flat stretch means that capacity is met at the bend itself.
            return Share(capacity - constant, slope) if slope else Share(num, den)
        slope += more_slope
        constant += more_constant
    return None


def _give_out(capacity: int, whole: list[int], parts: list[int]) -> tuple[int, ...]:
    """One grain each to the largest fractions until ``capacity`` is reached, ties to the earlier row (rule 6.2)."""
    left = capacity - sum(whole)
    if left > 0:
        for index in sorted(range(len(parts)), key=lambda i: -parts[i])[:left]:
            whole[index] += 1
    return tuple(whole)
