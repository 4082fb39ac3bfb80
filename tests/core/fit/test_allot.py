"""Sharing against scipy.optimize (HiGHS): the same sums and bounds, every size within one grain of the optimum; and in
small numbers against the rules in fractions, to the grain."""

from fractions import Fraction
from itertools import product

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from ylemorph.core.fit.allot import Sharing, between


def allot(capacity, floors, ceilings, weights):
    return Sharing(floors, ceilings, weights).sizes(capacity)


def test_the_example_of_the_theory():
    assert allot(10, (1, 2, 0), (9, 3, 9), (2, 1, 1)) == (5, 3, 2)


MOST = 2**40


@pytest.mark.parametrize(
    ("capacity", "floors", "ceilings", "weights", "expected"),
    [
        (300, (0, 0), (MOST, MOST), (100, 200), (100, 200)),
        (10, (0, 0, 0), (MOST,) * 3, (1, 1, 1), (4, 3, 3)),  # ties to the earlier row
        (11, (0, 0, 0), (MOST,) * 3, (1, 1, 1), (4, 4, 3)),
        (100, (60, 0), (MOST, MOST), (1, 1), (60, 40)),  # the floor holds
        (100, (0, 0), (30, MOST), (1, 1), (30, 70)),  # the ceiling holds
        (100, (0, 0), (30, 40), (1, 1), (30, 40)),  # ceilings leave 30 over
        (70, (0, 0), (30, 40), (1, 1), (30, 40)),
        (50, (20, 30), (MOST, MOST), (7, 1), (20, 30)),  # nothing to share
        (50, (10, 5), (MOST, MOST), (0, 3), (10, 40)),  # no weight stays at its floor
        (5, (0, 0), (MOST, MOST), (2**62, 1), (5, 0)),
    ],
)
def test_by_hand(capacity, floors, ceilings, weights, expected):
    assert allot(capacity, floors, ceilings, weights) == expected


rows = st.lists(
    st.tuples(st.integers(0, 5000), st.integers(0, 90_000), st.integers(1, 100_000)), min_size=1, max_size=8
)


def least_factor(capacity, lows, highs, weights):
    """HiGHS: the least lambda with sizes in [low, min(high, max(low, lambda x weight))] that add up to capacity.

    A row's size may exceed lambda x weight only at its floor: size - low <= excess is modelled by giving each
    row a part over its floor, at most lambda x weight - low where that is positive; so lambda is found by
    bisection over linear feasibility problems.
    """
    below, above = 0.0, max(h / w for h, w in zip(highs, weights, strict=True)) + 1
    for _ in range(45):  # halves from 10^5 to under 10^-8: a weight of 10^5 is then met to a thousandth of a grain
        middle = (below + above) / 2
        tops = [min(h, max(lo, middle * w)) for lo, h, w in zip(lows, highs, weights, strict=True)]
        most = linprog([-1.0] * len(lows), bounds=list(zip(lows, tops, strict=True)), method="highs")
        below, above = (middle, above) if -most.fun < capacity else (below, middle)
    return above


@settings(max_examples=settings().max_examples // 2)  # each asks the solver 45 times
@given(rows, st.integers(0, 100))
def test_sizes_are_the_linear_optimum_in_whole_grains(rows, share):
    lows = [low for low, _, _ in rows]
    highs = [low + more for low, more, _ in rows]
    weights = [weight for _, _, weight in rows]
    capacity = sum(lows) + (sum(highs) - sum(lows)) * share // 100
    sizes = allot(capacity, lows, highs, weights)
    assert sum(sizes) == capacity
    assert all(lo <= size <= hi for lo, size, hi in zip(lows, sizes, highs, strict=True))
    factor = least_factor(capacity, lows, highs, weights)
    for size, lo, hi, weight in zip(sizes, lows, highs, weights, strict=True):
        assert abs(size - min(hi, max(lo, factor * weight))) <= 1.001


@given(rows, st.integers(0, 99))
def test_cut_headroom_is_the_linear_optimum_in_whole_grains(rows, share):
    floors = [low for low, _, _ in rows]
    comforts = [low + more for low, more, _ in rows]
    gap = sum(comforts) - sum(floors)
    assume(gap > 0)
    capacity = sum(floors) + gap * share // 100
    sizes, kept = between(capacity, floors, comforts)
    # Highest tau for which floor + tau x (comfort - floor) stays within the capacity.
    best = linprog([-1.0], A_ub=[[float(gap)]], b_ub=[float(capacity - sum(floors))], bounds=[(0, 1)], method="highs")
    assert sum(sizes) == capacity
    assert abs(kept.num / kept.den - best.x[0]) < 1e-6
    for size, lo, hi in zip(sizes, floors, comforts, strict=True):
        assert lo <= size <= hi
        assert abs(size - (lo + best.x[0] * (hi - lo))) <= 1.001


# --- small numbers, which meet every edge ----------------------------------------------------------------------------


def by_definition(capacity, lows, highs, weights):
    """Rules 6.1 and 6.2 word by word, in fractions: the first lambda at which the clamped shares reach the capacity."""

    def shares(factor):
        return [min(hi, max(lo, factor * w)) for lo, hi, w in zip(lows, highs, weights, strict=True)]

    bends = sorted(
        {Fraction(bound, w) for lo, hi, w in zip(lows, highs, weights, strict=True) if w for bound in (lo, hi)}
    )
    at = next((place for place, bend in enumerate(bends) if sum(shares(bend)) >= capacity), None)
    if at is None:
        return tuple(hi if w else lo for lo, hi, w in zip(lows, highs, weights, strict=True))
    factor, before = bends[at], bends[at - 1] if at else Fraction(0)
    rise = sum(shares(factor)) - sum(shares(before))
    if rise:
        factor = before + (factor - before) * (capacity - sum(shares(before))) / rise
    whole = [int(share) for share in shares(factor)]
    parts = [share - int(share) for share in shares(factor)]
    for row in sorted(range(len(parts)), key=lambda row: (-parts[row], row))[: capacity - sum(whole)]:
        whole[row] += 1
    return tuple(whole)


SMALL_ROWS = [(lo, lo + more, weight) for lo in range(3) for more in range(3) for weight in range(4)]


def test_every_small_pair_is_shared_as_the_rules_say():
    """Floor = share = ceiling, capacity one off, rows of nothing, ties: all of them stand among these."""
    seen = 0
    for rows in product(SMALL_ROWS, repeat=2):
        lows, highs, weights = zip(*rows, strict=True)
        if not any(weights):
            continue
        for capacity in range(sum(lows), sum(highs) + 2):
            sizes = allot(capacity, lows, highs, weights)
            assert sizes == by_definition(capacity, lows, highs, weights), (capacity, rows)
            assert all(lo <= size <= hi for lo, size, hi in zip(lows, sizes, highs, strict=True))
            seen += 1
    assert seen > 4000


def test_every_small_triple_is_shared_as_the_rules_say():
    """A row at its ceiling beside two whose fractions tie with what it would have had: it gets no grain more."""
    assert allot(2, (0, 0, 0), (1, 9, 9), (3, 1, 1)) == (1, 1, 0)
    for rows in product([(0, hi, weight) for hi in range(3) for weight in range(1, 4)], repeat=3):
        lows, highs, weights = zip(*rows, strict=True)
        sharing = Sharing(lows, highs, weights)  # one for all capacities, asked for up and down
        capacities = range(sum(highs) + 2)
        for capacity in (*capacities, *reversed(capacities)):
            assert sharing.sizes(capacity) == by_definition(capacity, lows, highs, weights), (capacity, rows)


@given(st.lists(st.sampled_from(SMALL_ROWS), min_size=3, max_size=5), st.integers(0, 12))
def test_small_rows_are_shared_as_the_rules_say(rows, more):
    lows, highs, weights = zip(*rows, strict=True)
    assume(any(weights))
    capacity = sum(lows) + more
    assert allot(capacity, lows, highs, weights) == by_definition(capacity, lows, highs, weights)


@pytest.mark.parametrize(
    ("capacity", "floors", "comforts", "sizes"),
    [
        (3, (1, 1), (2, 3), (1, 2)), (3, (1, 1), (2, 2), (2, 1)), (2, (1, 1), (2, 2), (1, 1)),
        (4, (1, 1, 1), (3, 3, 3), (2, 1, 1)), (5, (2, 2), (2, 4), (2, 3)), (6, (0, 0, 0), (1, 2, 4), (1, 2, 3)),
    ],
)  # fmt: skip
def test_headroom_cut_in_small_numbers(capacity, floors, comforts, sizes):
    """Derived by hand from rule 6.3: floor + tau x gap, whole grains, then one each to the largest fractions."""
    assert between(capacity, floors, comforts)[0] == sizes


def test_rows_that_want_nothing_cannot_share():
    with pytest.raises(ValueError, match="must not all be zero"):
        Sharing([1, 2], [3, 4], [0, 0])
    assert Sharing([1, 2], [3, 4], [0, 1]).floors == (1, 2)
    assert Sharing([], [], []).floors == ()
