"""What the fit screen shows of one pair: the plan, and what each of the five fits would make of it."""

from typing import NamedTuple

from ..disk.model import Disk
from .layout import Verdict, lay_out
from .options import FITS, Fit, Options
from .plan import Change, Plan, change_of, make_plan


class FitCard(NamedTuple):
    """One fit's result: number, bytes and change of each elastic row, how full each is, what stays open."""

    fit: Fit
    verdict: Verdict
    sizes: tuple[tuple[int, int, Change], ...]
    fills: tuple[int, ...]
    open_bytes: int
    shortfall_bytes: int
    kept_percent: int


class Morph(NamedTuple):
    plan: Plan
    cards: tuple[FitCard, ...]


def morph_of(source: Disk, target: Disk, options: Options) -> Morph:
    """The plan and all five cards under the same options."""
    return Morph(
        plan=make_plan(source, target, options),
        cards=tuple(_card(source, target, options.but(fit=fit)) for fit in FITS),
    )


def _card(source: Disk, target: Disk, options: Options) -> FitCard:
    layout = lay_out(source, target, options)
    grain = options.grain_bytes
    sizes, fills = [], []
    for row, size in zip(layout.carried, layout.sizes or (), strict=False):
        if row.elastic and row.floors is not None:
            sizes.append((row.number, size * grain, change_of(row, size)))
            fills.append((row.floors.carried_bytes * 200 // (size * grain) + 1) // 2)
    gaps = layout.placed.unallocated if layout.placed else ()
    return FitCard(
        fit=options.fit,
        verdict=layout.verdict,
        sizes=tuple(sizes),
        fills=tuple(fills),
        open_bytes=sum(gap.length for gap in gaps) * grain,
        shortfall_bytes=layout.shortfall_bytes,
        kept_percent=layout.kept.num * 100 // layout.kept.den,
    )
