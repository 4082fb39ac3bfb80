"""Rule 10.1 for a whole fleet: the sizes that are enough for all and for most of it."""

import pytest

from ylemorph.core.buy.fleet import smallest_for
from ylemorph.core.sizes import GB

FEW, MANY = 200 * GB, 900 * GB


@pytest.mark.parametrize(
    ("needs", "expected"),
    [
        ([], (None, None)),
        ([None], (None, None)),
        ([FEW], ("240GB", "240GB")),
        ([FEW, None], (None, None)),
        ([FEW] * 19 + [MANY], ("960GB", "240GB")),
        ([FEW] * 19 + [None], (None, "240GB")),
        ([FEW] * 18 + [MANY, None], (None, "960GB")),
    ],
)
def test_sizes_for_all_and_for_ninety_five_in_a_hundred(needs, expected):
    assert tuple(smallest_for(needs)) == expected
