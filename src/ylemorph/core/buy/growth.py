"""How long a size lasts: used space over the years, from surveys at different dates or as it was typed.

Least squares through the readings; from three on, the slope's 95 % interval by Student's t (any textbook of statistics;
the quantiles are from memory). Slopes are fractions, so that no float holds a size; dates are rounded down to days.
"""

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from fractions import Fraction
from math import isqrt
from typing import NamedTuple

from ..disk.model import Partition, Role, Survey
from ..fit.layout import Layout
from ..fit.options import Headroom
from ..sizes import div_up

YEAR = Fraction(36525, 100)  # days
HORIZON = 100 * 365  # days past which a disk does not fill for anybody who asks
# Quantiles of Student's t, 97.5 %, in thousandths, by degrees of freedom from 1; then as for very many.
STUDENT = (12_706, 4_303, 3_182, 2_776, 2_571, 2_447, 2_365, 2_306, 2_262, 2_228, 2_201, 2_179, 2_160, 2_145, 2_131)
STUDENT_MANY = 1_960


class Reading(NamedTuple):
    """Used bytes of one row on one day."""

    on: date
    used: int


class Growth(NamedTuple):
    """Bytes a year; ``low`` and ``high`` bound it where more than two readings tell how sure it is.

    ``readings``: how many it comes from, 0 where it was typed.
    """

    per_year: int
    low: int
    high: int
    readings: int = 0


def typed(per_year: int) -> Growth:
    return Growth(per_year, per_year, per_year)


def growth_from(readings: Sequence[Reading]) -> Growth | None:
    """None from fewer than two days."""
    days = [reading.on.toordinal() for reading in readings]
    if len(set(days)) < 2:
        return None
    n = len(readings)
    mean_day = Fraction(sum(days), n)
    mean_used = Fraction(sum(reading.used for reading in readings), n)
    spread = sum((day - mean_day) ** 2 for day in days)
    slope = sum((day - mean_day) * reading.used for day, reading in zip(days, readings, strict=True)) / spread
    either_way = Fraction(0)
    if n > 2:
        left = sum(
            (reading.used - mean_used - slope * (day - mean_day)) ** 2
            for day, reading in zip(days, readings, strict=True)
        )
        quantile = STUDENT[n - 3] if n - 3 < len(STUDENT) else STUDENT_MANY
        either_way = _root(Fraction(left) / (n - 2) / spread) * quantile / 1000
    per_year, low, high = (round(value * YEAR) for value in (slope, slope - either_way, slope + either_way))
    return Growth(per_year, low, high, n)


def _root(value: Fraction) -> Fraction:
    """To a thousandth, rounded up."""
    scaled = value * 1_000_000
    return Fraction(isqrt(div_up(scaled.numerator, scaled.denominator) - 1) + 1 if value else 0, 1000)


def comfortable_up_to(size: int, role: Role, headroom: Headroom) -> int:
    """The most that a row of ``size`` bytes may hold and still keep its headroom (rule 5.4, turned round)."""
    least = headroom.system_bytes if role == "system" else headroom.data_bytes
    return max(0, min(size * 10_000 // (10_000 + headroom.hundredths), size - least))


def reached(used: int, limit: int, per_year: int, since: date) -> date | None:
    """The day on which ``used`` has grown to ``limit``; None where it never does within a person's time."""
    if used >= limit:
        return since
    if per_year <= 0:
        return None
    days = int((limit - used) / (per_year / YEAR))
    return since + timedelta(days) if days <= HORIZON else None


class Lasting(NamedTuple):
    """When a row of a size loses its headroom and when it is full; None: it does not. Bounds by the interval."""

    headroom: date | None
    full: date | None
    full_soonest: date | None
    full_latest: date | None


def lasts(used: int, size: int, role: Role, headroom: Headroom, growth: Growth, since: date) -> Lasting:
    """From ``used`` bytes on the day ``since``."""
    return Lasting(
        reached(used, comfortable_up_to(size, role, headroom), growth.per_year, since),
        reached(used, size, growth.per_year, since),
        reached(used, size, growth.high, since),
        reached(used, size, growth.low, since),
    )


def sentence(lasting: Lasting) -> str:
    """For a list: when it fills, or that it does not."""
    if lasting.full is None:
        return "does not fill"
    if lasting.headroom is None or lasting.headroom == lasting.full:
        return f"full in {lasting.full:%Y-%m}"
    return f"headroom until {lasting.headroom:%Y-%m}, full in {lasting.full:%Y-%m}"


class RowLasting(NamedTuple):
    """How long one row of a plan lasts."""

    number: int
    name: str
    growth: Growth
    lasting: Lasting


def lasting_rows(layout: Layout, growths: Mapping[int, Growth], since: date) -> list[RowLasting]:
    """The rows whose growth is known, the one that is full first in front; none where nothing fits."""
    if layout.sizes is None:
        return []
    headroom, grain = layout.prepared.options.headroom, layout.frame.grain_bytes
    made = [
        RowLasting(row.number, row.name, growths[row.number], lasts(
            row.floors.carried_bytes, size * grain, row.role, headroom, growths[row.number], since,
        ))
        for row, size in zip(layout.carried, layout.sizes, strict=True)
        if row.number in growths and row.floors is not None and not row.is_made
    ]  # fmt: skip
    return sorted(made, key=lambda row: (row.lasting.full or date.max, row.lasting.headroom or date.max, row.number))


def growths_of(surveys: Sequence[Survey]) -> dict[int, Growth]:
    """Growth of each row from surveys of one disk at different dates."""
    grown = {number: growth_from(readings) for number, readings in readings_of(surveys).items()}
    return {number: growth for number, growth in grown.items() if growth is not None}


def readings_of(surveys: Sequence[Survey]) -> dict[int, list[Reading]]:
    """Each row's used space by day, the oldest first, one a day; the newest survey says which rows there are."""
    dated = sorted(((day, survey) for survey in surveys if (day := day_of(survey.taken)) is not None), key=_by_day)
    if not dated:
        return {}
    found = {}
    for partition in dated[-1][1].disk.rows:
        by_day = {day: used for day, survey in dated if (used := _used(survey, partition)) is not None}
        found[partition.number] = [Reading(day, used) for day, used in sorted(by_day.items())]
    return found


def _by_day(pair: tuple[date, Survey]) -> date:
    return pair[0]


def day_of(taken: str) -> date | None:
    """The day of a survey's time; None where it has none."""
    try:
        return date.fromisoformat(taken[:10])
    except ValueError:
        return None


def _used(survey: Survey, wanted: Partition) -> int | None:
    """What the same row held: by number, the same file system in it."""
    for partition in survey.disk.rows:
        if partition.number == wanted.number and partition.filesystem and wanted.filesystem:
            if partition.filesystem.kind != wanted.filesystem.kind:
                return None
            return partition.filesystem.used_bytes
    return None
