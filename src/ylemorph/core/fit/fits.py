"""The fits (rule 6): how what remains for the elastic rows is shared out. Grains only.

A fit is one entry of ``FIT_KINDS``: its key stands in ``options.Fit``, everything else here.
"""

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import NamedTuple

from .allot import Share, Sharing, between
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


class Group:
    """The elastic rows of one source, with what every fit asks of them, worked out once."""

    def __init__(self, rows: Sequence[Elastic]) -> None:
        self.rows = tuple(rows)
        columns: tuple[tuple[int, ...], ...] = tuple(zip(*rows, strict=True)) or ((),) * len(Elastic._fields)
        self.bases, self.hards, self.lows, self.ceilings, self.used, _ = columns
        self.base, self.hard, self.low = sum(self.bases), sum(self.hards), sum(self.lows)

    def sharing(self, weights: Sequence[int]) -> Sharing:
        return Sharing(self.lows, self.ceilings, weights)

    @cached_property
    def by_size(self) -> Sharing:
        return self.sharing(self.bases)

    @cached_property
    def by_used(self) -> Sharing:
        """By used space; by size where nothing is used (rule 6.6)."""
        return self.sharing(self.used) if any(self.used) else self.by_size

    @cached_property
    def row_to_grow(self) -> int:
        """The largest system row, or with none the largest elastic row; ties go to the earlier one (rule 6.2)."""
        return max(range(len(self.rows)), key=lambda i: (self.rows[i].is_system, self.rows[i].base, -i))

    def without(self, index: int) -> "Group":
        return Group([row for i, row in enumerate(self.rows) if i != index])


class Fitted(NamedTuple):
    """Sizes in grains, None where it does not fit; the headroom kept (tau of rule 6.3); the shortfall in grains."""

    sizes: tuple[int, ...] | None
    kept: Share
    shortfall: int = 0


class FitKind(NamedTuple):
    """One way to share: its name, and sizes for a capacity that keeps comfort; ``chosen`` is the row that was named.

    ``keeps_sizes``: every row keeps its size, comfortable or not. ``takes_one``: one row can be named.
    """

    name: str
    share: Callable[[Group, int, int | None], tuple[int, ...]]
    keeps_sizes: bool = False
    takes_one: bool = False


def _same(group: Group, _capacity: int, _chosen: int | None) -> tuple[int, ...]:
    return group.bases


def _proportional(group: Group, capacity: int, _chosen: int | None) -> tuple[int, ...]:
    return group.by_size.sizes(capacity)


def _even_fill(group: Group, capacity: int, _chosen: int | None) -> tuple[int, ...]:
    return group.by_used.sizes(capacity)


def _snug(group: Group, _capacity: int, _chosen: int | None) -> tuple[int, ...]:
    return group.lows


def _rest_to_one(group: Group, capacity: int, chosen: int | None) -> tuple[int, ...]:
    index = group.row_to_grow if chosen is None else chosen
    one, sizes = group.rows[index], list(group.bases)
    rest = capacity - group.base + one.base
    if rest >= one.low:
        sizes[index] = min(rest, one.ceiling)
        return tuple(sizes)
    others = group.without(index)
    shared = list(others.by_size.sizes(capacity - one.low)) if others.rows else []
    shared.insert(index, one.low)
    return tuple(shared)


FIT_KINDS: dict[Fit, FitKind] = {
    "same": FitKind("Same sizes", _same, keeps_sizes=True),
    "proportional": FitKind("Proportional", _proportional),
    "rest-to-one": FitKind("Rest to one", _rest_to_one, takes_one=True),
    "even-fill": FitKind("Even fill", _even_fill),
    "snug": FitKind("Snug", _snug),
}
FIT_NAMES = {key: kind.name for key, kind in FIT_KINDS.items()}


def fit_rows(fit: Fit, capacity: int, group: Group, chosen: int | None) -> Fitted:
    """Sizes of the elastic rows in ``capacity`` grains; ``chosen`` is the index of the row that takes the rest."""
    kind = FIT_KINDS[fit]
    needed = group.base if kind.keeps_sizes else group.hard
    if needed > capacity:
        return Fitted(None, NOTHING, needed - capacity)
    if group.low > capacity and not kind.keeps_sizes:
        sizes, kept = between(capacity, group.hards, group.lows)
        return Fitted(sizes, kept)
    return Fitted(kind.share(group, capacity, chosen) if group.rows else (), WHOLE)
