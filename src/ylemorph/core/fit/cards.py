"""What the fit screen shows of one pair: the plan, and what each of the five fits would make of it."""

from typing import NamedTuple

from ..disk.model import Disk
from .allot import Share
from .layout import Layout, Prepared, Verdict
from .options import FITS, Fit, Options
from .plan import Plan, RowChange, change_of


def percent_of(share: Share) -> int:
    """The headroom kept, in whole percent as every screen says it: rounded down, so that a cut is never "100 %"."""
    return share.num * 100 // share.den


class FitCard(NamedTuple):
    """One fit's result: number, bytes and change of each elastic row, how full each is, what stays open."""

    fit: Fit
    verdict: Verdict | None
    sizes: tuple[tuple[int, int, RowChange], ...]
    fills: tuple[int, ...]
    open_bytes: int
    shortfall_bytes: int
    kept_percent: int


class Morph(NamedTuple):
    plan: Plan
    cards: tuple[FitCard, ...]


def morph_of(source: Disk, target: Disk, options: Options) -> Morph:
    """The plan and the cards of all fits under the same options."""
    return morph_with(Prepared(source, options).on(target), target)


def morph_with(layout: Layout, target: Disk) -> Morph:
    """As ``morph_of``, for a layout that is there already."""
    prepared, frame = layout.prepared, layout.frame
    plan = Plan(prepared.source, target, prepared.options, layout)
    return Morph(plan, tuple([_card(layout if fit == layout.fit else prepared.on(frame, fit)) for fit in FITS]))


def _card(layout: Layout) -> FitCard:
    grain, given = layout.frame.grain_bytes, layout.sizes
    sizes: list[tuple[int, int, RowChange]] = []
    fills: list[int] = []
    if given is not None:
        for row, size in zip(layout.carried, given, strict=True):
            if row.elastic and row.floors is not None:
                sizes.append((row.number, size * grain, change_of(row, size)))
                fills.append((row.floors.carried_bytes * 200 // (size * grain) + 1) // 2)
    return FitCard(
        fit=layout.fit,
        verdict=layout.verdict,
        sizes=tuple(sizes),
        fills=tuple(fills),
        open_bytes=layout.open_grains * grain,
        shortfall_bytes=layout.shortfall_bytes,
        kept_percent=percent_of(layout.kept),
    )
