"""How many places are compared, and what is said of the rest."""

import math

import pytest

from tests.core.checkback.test_compare import GPT, finished
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.checkback.sampling import (
    LEAST_OF_A_ROW,
    RowSample,
    Sampled,
    allotted,
    places_for,
    share_of,
    with_samples,
)


@pytest.mark.parametrize(("percent", "places"), [(1, 461), (0.1, 4606), (50, 10)])
def test_so_many_places_miss_damage_of_a_share_once_in_a_hundred_times(percent, places):
    assert places_for(percent) == places
    assert (1 - percent / 100) ** places <= 0.01  # what the bound stands for
    assert math.isclose(share_of(places), percent, rel_tol=0.1)


def test_each_row_gets_at_least_its_part():
    assert allotted({1: 100, 2: 1_000_000, 3: 0}, 4606) == {1: 100, 2: 4606, 3: 0}
    assert allotted({1: 500_000, 2: 500_000}, 5000) == {1: 2500, 2: 2500}
    assert allotted({1: 10_000, 2: 990_000}, 5000) == {1: LEAST_OF_A_ROW, 2: 4950}
    assert allotted({1: 2, 2: 1}, 10**6) == {1: 2, 2: 1}
    assert allotted({1: 0}, 10) == {1: 0}


def told(*rows, left=()):
    planned = planned_of(GPT)
    return with_samples(check_back(planned, finished(GPT)), planned, Sampled(rows, left))


def test_all_equal_changes_nothing_and_says_how_far_that_reaches():
    checked = told(
        RowSample(3, 100_000, equal=900, moved=50, own=40, unread=10),
        RowSample(4, 10_000, equal=460),
        left=("Start (1): not.",),
    )
    assert checked.as_planned
    assert checked.unknown[-1] == "Start (1): not."
    assert checked.compared[0].endswith(
        "(3): 900 places compared, all equal (50 moved by packing, 40 of the file system itself, 10 not given by the "
        "source left out)"
    )
    assert checked.compared[1].endswith("(4): 460 places compared, all equal")
    # One percent of row 3 was drawn; nine tenths of it and all of row 4 can be compared: 1000 places of 100,000.
    assert share_of(1000) == pytest.approx(0.46, rel=0.01)
    assert checked.compared[2] == (
        "Damage of 0.46 % of what stands alike on both would have been seen with 99% confidence."
    )


def test_one_that_differs_is_a_stop():
    checked = told(RowSample(3, 5000, equal=4998, differing=2, first=40_960))
    (found,) = checked.differences
    assert (found.kind.code, found.kind.level, found.row) == ("contents-differ", "stop", 3)
    assert (
        "2 of 5,000 places that were compared hold other bytes than the source, the first at byte 40,960"
        in found.text()
    )
    assert not checked.as_planned
    assert checked.compared[1] == "All that stands alike on both was compared."


def test_nothing_to_compare_says_nothing_of_the_rest():
    checked = told(RowSample(3, 5000, moved=10))
    assert checked.compared[0].endswith("none could be (10 moved by packing left out)")
    assert len(checked.compared) == 1
    assert told().compared == ()


def test_what_was_drawn_is_compared_or_says_why_not():
    sample = RowSample(1, 99, equal=3, differing=2, moved=40, own=500, unread=6000)
    assert (sample.compared, sample.drawn) == (5, 6545)
