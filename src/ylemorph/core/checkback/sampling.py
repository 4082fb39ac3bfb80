"""How many places are compared, and what their being equal says of the rest.

Places are drawn at random among what is in use, of each row at least as many as is its part of the whole. Damage of a
share ``s`` of what is in use, wherever it stands, is missed by ``n`` of them with a probability of at most
``exp(-n s)``, since ``(1 - s) ** n`` is no more than that.
"""

import math
from collections.abc import Mapping
from typing import NamedTuple

from .compare import Checked, ordered
from .differences import Difference
from .planned import Planned

CONFIDENCE = 0.99
SHARE_PERCENT = 0.1  # of what is in use
LEAST_SHARE_PERCENT, MOST_SHARE_PERCENT = 0.001, 50.0
LEAST_OF_A_ROW = 460  # damage of one percent of a small row, too


class RowSample(NamedTuple):
    """One row: its units in use, and of the places drawn among these those that are equal, that differ (``first``: the
    first of them, in bytes from the row's start), that stand elsewhere now, that are the file system's own, and that
    the source does not give."""

    row: int
    units: int
    equal: int = 0
    differing: int = 0
    first: int | None = None
    moved: int = 0
    own: int = 0
    unread: int = 0

    @property
    def compared(self) -> int:
        return self.equal + self.differing

    @property
    def drawn(self) -> int:
        return self.compared + self.moved + self.own + self.unread


class Sampled(NamedTuple):
    """All rows that could be compared, and a sentence for each that could not."""

    rows: tuple[RowSample, ...]
    left: tuple[str, ...]


def places_for(share_percent: float) -> int:
    """Places after which damage of this share is missed once in a hundred times."""
    return math.ceil(-math.log(1 - CONFIDENCE) / (share_percent / 100))


def share_of(places: int) -> float:
    """The other way round, in percent."""
    return -math.log(1 - CONFIDENCE) / places * 100


def allotted(units: Mapping[int, int], places: int) -> dict[int, int]:
    """How many places each row gets, by its units in use."""
    total = sum(units.values())
    return {
        row: min(count, max(LEAST_OF_A_ROW, math.ceil(places * count / total))) if count else 0
        for row, count in units.items()
    }


def with_samples(checked: Checked, planned: Planned, sampled: Sampled) -> Checked:
    """The check with what the places say."""
    names = {row.number: row.name for row in planned.rows}
    found = [
        Difference(
            "places-differ", one.row, (names[one.row], f"{one.differing:,}", f"{one.compared:,}", f"{one.first:,}"),
            {"places": one.compared}, {"differing": one.differing, "first_byte": one.first},
        )
        for one in sampled.rows
        if one.differing
    ]  # fmt: skip
    words = [f"{names[one.row]}: {_words(one)}" for one in sampled.rows]
    places = [one for one in sampled.rows if one.compared]
    if places:
        words.append(_confidence(places))
    return checked._replace(
        differences=ordered((*checked.differences, *found)),
        unknown=(*checked.unknown, *sampled.left),
        compared=tuple(words),
    )


def _words(one: RowSample) -> str:
    words = f"{one.compared:,} places compared, "
    words += f"{one.differing:,} differ" if one.differing else "all equal" if one.compared else "none could be"
    aside = [
        f"{count:,} {what}"
        for count, what in (
            (one.moved, "moved by packing"),
            (one.own, "of the file system itself"),
            (one.unread, "not given by the source"),
        )
        if count
    ]
    return f"{words} ({', '.join(aside)} left out)" if aside else words


def _confidence(rows: list[RowSample]) -> str:
    """Of what can be compared, as far as the places drawn tell how much that is."""
    thinnest = min(one.drawn / one.units for one in rows)  # the row that was looked at least bounds the whole
    if thinnest == 1:
        return "All that stands alike on both was compared."
    places = int(thinnest * sum(one.units * one.compared / one.drawn for one in rows))
    return (
        f"Damage of {share_of(max(1, places)):.2g} % of what stands alike on both would have been seen with "
        f"{CONFIDENCE:.0%} confidence."
    )
