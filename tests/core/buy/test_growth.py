"""Dates worked by hand; two readings, many readings, and use that does not grow."""

from datetime import date, timedelta
from fractions import Fraction

import pytest

from tests.make import disk, fs, part
from ylemorph.core.buy.growth import (
    STUDENT,
    Growth,
    Lasting,
    Reading,
    _root,
    comfortable_up_to,
    day_of,
    growth_from,
    growths_of,
    lasts,
    reached,
    readings_of,
    sentence,
    typed,
)
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.fit.floors import floors_of
from ylemorph.core.fit.options import Headroom
from ylemorph.core.sizes import GiB

DAY = date(2026, 11, 25)


def test_two_readings_a_year_apart():
    """100 GiB on 1 January 2025, 136 GiB 365 days later: 36 GiB in 365 days are 36.0247 in a year of 365.25."""
    made = growth_from([Reading(date(2025, 1, 1), 100 * GiB), Reading(date(2026, 1, 1), 136 * GiB)])
    assert made == Growth(*(round(36 * GiB * Fraction(36525, 36500)),) * 3, 2)


def test_one_day_tells_nothing():
    assert growth_from([Reading(DAY, 5)]) is None
    assert growth_from([Reading(DAY, 5), Reading(DAY, 9)]) is None


@pytest.mark.parametrize(
    ("used", "limit", "per_year", "on"),
    [
        # 36.525 GiB a year are 0.1 GiB a day: 10 GiB more take 100 days, 25 November to 5 March.
        (90, 100, Fraction(36525, 1000), date(2027, 3, 5)),
        (100, 100, 10, DAY), (120, 100, 10, DAY), (90, 100, 0, None), (90, 100, -5, None),
        (90, 10_000, Fraction(1, 10), None),
    ],
)  # fmt: skip
def test_when_a_limit_is_reached(used, limit, per_year, on):
    assert reached(used * GiB, limit * GiB, int(per_year * GiB), DAY) == on


def test_headroom_goes_before_the_disk_is_full():
    """A system row of 115 GiB keeps 15 % up to 100 GiB (rule 5.4); one of 20 GiB keeps 5 GiB up to 15."""
    assert comfortable_up_to(115 * GiB, "system", Headroom()) == 100 * GiB
    assert comfortable_up_to(20 * GiB, "system", Headroom()) == 15 * GiB
    made = lasts(90 * GiB, 115 * GiB, "system", Headroom(), typed(int(GiB * Fraction(36525, 1000))), DAY)
    assert (made.headroom, made.full) == (date(2027, 3, 5), date(2027, 8, 2))
    assert sentence(made) == "headroom until 2027-03, full in 2027-08"
    assert sentence(lasts(90 * GiB, 115 * GiB, "system", Headroom(), typed(-GiB), DAY)) == "does not fill"
    assert sentence(lasts(90 * GiB, 115 * GiB, "data", Headroom(), typed(0), DAY)) == "does not fill"


@pytest.mark.parametrize("used", [0, GiB, 33 * GiB, 34 * GiB, 500 * GiB])
@pytest.mark.parametrize("role", ["system", "data"])
def test_the_limit_is_the_comfort_floor_turned_round(used, role):
    """Rule 5.4 forward, this backward: the limit of a size that is just the comfort floor is what the row holds."""
    floors = floors_of(used, 2**45, role, True, 0, 0, Headroom(), 4096)
    assert used <= comfortable_up_to(floors.comfort * 4096, role, Headroom()) <= used + 4096


@pytest.fixture(scope="module")
def stats():
    """Not at the top: every process of a run imports this file, and one asks."""
    from scipy import stats

    return stats


def test_many_readings_against_a_statistics_library(stats):
    """Slope and 95 % interval as scipy gives them; the quantiles of Student's t too."""
    readings = [Reading(date(2025, 1 + month, 3), (100 + month * 3 + month % 3) * GiB) for month in range(8)]
    made = growth_from(readings)
    days = [reading.on.toordinal() for reading in readings]
    wanted = stats.linregress(days, [reading.used / GiB for reading in readings])
    either = wanted.stderr * stats.t.ppf(0.975, len(days) - 2)
    for got, slope in (
        (made.per_year, wanted.slope),
        (made.low, wanted.slope - either),
        (made.high, wanted.slope + either),
    ):
        assert got / GiB == pytest.approx(slope * 365.25, rel=1e-3)
    assert made.readings == 8
    for degrees, quantile in enumerate(STUDENT, 1):
        assert quantile == pytest.approx(stats.t.ppf(0.975, degrees) * 1000, abs=0.6)


def test_readings_on_a_line_are_sure():
    made = growth_from([Reading(date(2026, 1, 1 + n), (10 + n) * GiB) for n in range(5)])
    assert made.low == made.per_year == made.high


@pytest.mark.parametrize("used", [(100, 136, 170), (100, 100, 160, 170), (5, 9, 2, 8, 6)])
def test_the_slope_and_how_sure_it_is_as_linregress_says(stats, used):
    """scipy.stats.linregress: slope, and its standard error times Student's quantile, either way."""
    days = [date(2025, 1, 1) + timedelta(days=100 * n) for n in range(len(used))]
    made = growth_from([Reading(day, size * GiB) for day, size in zip(days, used, strict=True)])
    fitted = stats.linregress([100 * n for n in range(len(used))], [size * GiB for size in used])
    wide = fitted.stderr * stats.t.ppf(0.975, len(used) - 2)
    year = 365.25
    assert made.readings == len(used)
    assert made.per_year == pytest.approx(fitted.slope * year, rel=1e-9)
    assert (made.high - made.low) / 2 == pytest.approx(wide * year, rel=5e-3)


@pytest.mark.parametrize(
    ("value", "root"), [(0, 0), (1, 1), (2, Fraction(1415, 1000)), (Fraction(1, 4), Fraction(1, 2))]
)
def test_roots_are_rounded_up_to_a_thousandth(value, root):
    assert _root(Fraction(value)) == root


@pytest.mark.parametrize(
    ("headroom", "full", "words"),
    [
        (None, None, "does not fill"), (None, date(2028, 3, 1), "full in 2028-03"),
        (date(2028, 3, 1), date(2028, 3, 1), "full in 2028-03"),
        (date(2027, 1, 1), date(2028, 3, 1), "headroom until 2027-01, full in 2028-03"),
    ],
)  # fmt: skip
def test_when_it_fills_in_words(headroom, full, words):
    assert sentence(Lasting(headroom, full, None, None)) == words


def test_the_day_of_a_time():
    assert day_of("2026-11-23T10:00:00Z") == date(2026, 11, 23)
    assert day_of("2026-11-23") == date(2026, 11, 23)
    assert day_of("") is None


def surveyed(taken, *rows):
    """A survey of that day; rows as number, kind of file system and used GiB."""
    parts = [
        part(number, number * 100 * GiB, 90 * GiB, BASIC_DATA, kind and fs(kind, used and used * GiB))
        for number, kind, used in rows
    ]
    return Survey(disk(2 * 10**9, *parts), taken)


def test_readings_of_surveys_by_row_and_day():
    """One a day, the oldest first; a row counts while it holds the same kind; the newest says which rows there are."""
    surveys = [
        surveyed("2026-11-20T10:00:00Z", (1, "ntfs", 30), (2, "ntfs", 8)),
        surveyed("2025-11-20", (1, "ntfs", 20), (2, "ext4", 5), (3, "ntfs", 7)),
        surveyed("2026-05-01", (1, "ntfs", None), (2, None, None)),
        surveyed("2026-11-20T17:00:00Z", (1, "ntfs", 31), (2, "ntfs", 9)),
        surveyed("some day", (1, "ntfs", 60)),
    ]
    first, last = date(2025, 11, 20), date(2026, 11, 20)
    assert readings_of(surveys) == {
        1: [Reading(first, 20 * GiB), Reading(last, 31 * GiB)],
        2: [Reading(last, 9 * GiB)],
    }
    assert list(growths_of(surveys)) == [1]
    assert growths_of(surveys)[1] == growth_from([Reading(first, 20 * GiB), Reading(last, 31 * GiB)])
    assert readings_of(surveys[-1:]) == {}
