"""The five fits on small numbers, worked out by hand (rule 6)."""

from fractions import Fraction

import pytest

from ylemorph.core.fit.fits import Elastic, Group, fit_rows
from ylemorph.core.fit.options import FITS

MOST = 10**9


def row(base, hard, low, ceiling=MOST, used=None, system=False):
    return Elastic(base, hard, low, ceiling, hard if used is None else used, system)


A = row(100, 20, 30)
B = row(200, 40, 60)
SYSTEM = row(100, 20, 30, system=True)


@pytest.mark.parametrize(
    ("fit", "capacity", "rows", "chosen", "expected"),
    [
        ("same", 300, (A, B), None, (100, 200)),
        ("same", 500, (A, B), None, (100, 200)),
        ("proportional", 150, (A, B), None, (50, 100)),
        ("proportional", 600, (A, B), None, (200, 400)),
        ("proportional", 100, (A, row(200, 10, 10)), None, (33, 67)),  # 33.3 and 66.7
        ("proportional", 115, (A, row(200, 80, 80)), None, (35, 80)),  # the second row stops at its floor
        ("proportional", 600, (A, row(200, 40, 60, 250)), None, (350, 250)),
        ("proportional", 900, (row(100, 1, 1, 120), row(200, 1, 1, 250)), None, (120, 250)),
        ("even-fill", 300, (row(1, 1, 1, used=10), row(1, 1, 1, used=20)), None, (100, 200)),
        ("even-fill", 300, (row(100, 1, 1, used=0), row(200, 1, 1, used=0)), None, (100, 200)),  # rule 6.6
        ("even-fill", 300, (row(100, 1, 7, used=0), row(200, 1, 1, used=5)), None, (7, 293)),
        ("snug", 300, (A, B), None, (30, 60)),
        ("rest-to-one", 400, (A, B), None, (100, 300)),  # the largest elastic row
        ("rest-to-one", 400, (SYSTEM, B), None, (200, 200)),  # the system row before it
        ("rest-to-one", 400, (A, B), 0, (200, 200)),  # the one that was named
        ("rest-to-one", 250, (A, B), 0, (50, 200)),
        ("rest-to-one", 200, (A, B), 0, (30, 170)),  # stops at its floor, the other gives the rest
        ("rest-to-one", 150, (A, B, row(100, 1, 1)), 0, (30, 80, 40)),
        ("rest-to-one", 900, (row(100, 1, 1, 150), B), 0, (150, 200)),  # its ceiling leaves space over
    ],
)  # fmt: skip
def test_comfortable(fit, capacity, rows, chosen, expected):
    fitted = fit_rows(fit, capacity, Group(rows), chosen)
    assert (fitted.sizes, fitted.kept, fitted.shortfall) == (expected, (1, 1), 0)


@pytest.mark.parametrize(
    ("capacity", "expected", "kept"),
    [
        (89, (30, 59), Fraction(29, 30)),  # 20 + 9.67 and 40 + 19.33: the odd grain to the larger fraction
        (75, (25, 50), Fraction(1, 2)),
        (60, (20, 40), Fraction(0)),
        (61, (20, 41), Fraction(1, 30)),
    ],
)
def test_headroom_is_cut_alike_by_every_fit(capacity, expected, kept):
    for fit in FITS[1:]:
        fitted = fit_rows(fit, capacity, Group((A, B)), None)
        assert (fitted.sizes, Fraction(*fitted.kept)) == (expected, kept)


@pytest.mark.parametrize(("fit", "shortfall"), [(fit, 300 - 59 if fit == "same" else 1) for fit in FITS])
def test_it_does_not_fit(fit, shortfall):
    fitted = fit_rows(fit, 59, Group((A, B)), None)
    assert (fitted.sizes, fitted.shortfall) == (None, shortfall)


@pytest.mark.parametrize("fit", FITS)
def test_without_elastic_rows_only_the_held_ones_count(fit):
    assert fit_rows(fit, 0, Group(()), None).sizes == ()
    assert fit_rows(fit, -3, Group(()), None).shortfall == 3


def test_which_row_takes_the_rest():
    assert Group((A, B)).row_to_grow == 1
    assert Group((B, B)).row_to_grow == 0
    assert Group((A, SYSTEM, B)).row_to_grow == 1
    assert Group((SYSTEM, row(500, 1, 1, system=True))).row_to_grow == 1
