"""The five fits (rule 6): how what remains for the elastic rows is shared out. Grains only."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from .allot import Share, allot, between
from .options import Fit

WHOLE = Share(1, 1)
NOTHING = Share(0, 1)


class Elastic(NamedTuple):
    """One elastic row in grains: source size, hard floor, comfort floor as far as its ceiling allows, ceiling.

    ``used``, in bytes, is a weight.
    """

    base: int
    hard: int
    low: int
    ceiling: int
    used: int
    is_system: bool


class Fitted(NamedTuple):
    """Sizes in grains, None where it does not fit; the headroom kept (tau of rule 6.3); the shortfall in grains."""

    sizes: tuple[int, ...] | None
    kept: Share
    shortfall: int = 0


def fit_rows(fit: Fit, capacity: int, rows: Sequence[Elastic], chosen: int | None) -> Fitted:
    """Sizes of the elastic ``rows`` in ``capacity`` grains; ``chosen`` is the index of the row that takes the rest."""
    needed = sum([row.base if fit == "same" else row.hard for row in rows])
    if needed > capacity:
        return Fitted(None, NOTHING, needed - capacity)
    if fit == "same":
        return Fitted(tuple(row.base for row in rows), WHOLE)
    if sum([row.low for row in rows]) > capacity:
        sizes, kept = between(capacity, [row.hard for row in rows], [row.low for row in rows])
        return Fitted(sizes, kept)
    return Fitted(_SHARERS[fit](capacity, rows, chosen), WHOLE)


def row_to_grow(rows: Sequence[Elastic]) -> int | None:
    """The largest system row, or with none the largest elastic row; ties go to the earlier one (rule 6.2)."""
    if not rows:
        return None
    return max(range(len(rows)), key=lambda i: (rows[i].is_system, rows[i].base, -i))


def _proportional(capacity: int, rows: Sequence[Elastic], _chosen: int | None) -> tuple[int, ...]:
    return _shared(capacity, rows, [row.base for row in rows])


def _even_fill(capacity: int, rows: Sequence[Elastic], chosen: int | None) -> tuple[int, ...]:
    weights = [row.used for row in rows]
    return _shared(capacity, rows, weights) if any(weights) else _proportional(capacity, rows, chosen)


def _snug(_capacity: int, rows: Sequence[Elastic], _chosen: int | None) -> tuple[int, ...]:
    return tuple(row.low for row in rows)


def _rest_to_one(capacity: int, rows: Sequence[Elastic], chosen: int | None) -> tuple[int, ...]:
    index = row_to_grow(rows) if chosen is None else chosen
    if index is None:
        return ()
    one = rows[index]
    sizes = [row.base for row in rows]
    rest = capacity - sum(sizes) + one.base
    if rest >= one.low:
        sizes[index] = min(rest, one.ceiling)
        return tuple(sizes)
    others = [row for i, row in enumerate(rows) if i != index]
    shared = list(_shared(capacity - one.low, others, [row.base for row in others]))
    shared.insert(index, one.low)
    return tuple(shared)


def _shared(capacity: int, rows: Sequence[Elastic], weights: Sequence[int]) -> tuple[int, ...]:
    if not rows:
        return ()
    return allot(capacity, [row.low for row in rows], [row.ceiling for row in rows], weights)


_SHARERS: dict[Fit, Callable[[int, Sequence[Elastic], int | None], tuple[int, ...]]] = {
    "proportional": _proportional,
    "rest-to-one": _rest_to_one,
    "even-fill": _even_fill,
    "snug": _snug,
}
