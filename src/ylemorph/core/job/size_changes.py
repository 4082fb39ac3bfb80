"""Changes of sizes set by hand: a pin, and an edge that is drawn."""

from dataclasses import dataclass
from typing import ClassVar, NamedTuple

from ..errors import BadOption
from ..fit.plan import Plan, PlanRow, make_plan
from ..sizes import Bytes, format_size
from .change import Applied, Change, by_number, own_row, pins_without, row_of, with_options
from .state import JobState


@dataclass(frozen=True, slots=True)
class Pin(Change):
    key: ClassVar[str] = "pin"
    row: int
    size: Bytes

    def make(self, state: JobState) -> Applied:
        row, options = own_row(state, self.row), state.options
        if not row.carried:
            raise BadOption(f"{row.name} is left behind", at="row", mend="carry it first")
        pins = by_number({**dict(options.pins), row.number: self.size})
        made = options.but(pins=pins, hold=options.hold - {row.number})
        return with_options(state, made, f"{row.name} pinned at {format_size(self.size)}")


@dataclass(frozen=True, slots=True)
class Unpin(Change):
    key: ClassVar[str] = "unpin"
    row: int

    def make(self, state: JobState) -> Applied:
        row = row_of(state, self.row)
        made = state.options.but(pins=pins_without(state.options, row.number))
        return with_options(state, made, f"{row.name} no longer pinned")


@dataclass(frozen=True, slots=True)
class Drag(Change):
    """Move the edge after a row: the next elastic row gives or takes the change, or with ``alone`` nobody does.

    The size stops at the floors and ceilings of both.
    """

    key: ClassVar[str] = "drag"
    row: int
    size: int
    alone: bool = False

    def make(self, state: JobState) -> Applied:
        plan = make_plan(*state.pair, state.options)
        row = next((row for row in plan.rows if row.number == self.row), None)
        if row is None or row.size_bytes is None or not row.resizable:
            raise BadOption(
                f"the edge of row {self.row} cannot be moved", at="row", mend="drag an elastic row that fits"
            )
        grain = plan.frame.grain_bytes
        partner = None if self.alone else _next_elastic(plan, row)
        reach = _reach(plan, row, partner, alone=self.alone)
        size = min(max((2 * self.size + grain) // (2 * grain) * grain, reach.low), reach.high)
        pins = {**dict(state.options.pins), row.number: size}
        sentence = f"{row.row.name} drawn to {format_size(size)}"
        if partner is not None and partner.size_bytes is not None:
            pins[partner.number] = row.size_bytes + partner.size_bytes - size
            sentence += f", {partner.row.name} to {format_size(pins[partner.number])}"
        made = state.options.but(pins=by_number(pins), hold=state.options.hold - set(pins))
        return with_options(state, made, sentence, reach.stops.get(size, ""))


class _Reach(NamedTuple):
    """How far an edge can go, in bytes of the row before it, and why it stops there."""

    low: int
    high: int
    stops: dict[int, str]


def _next_elastic(plan: Plan, row: PlanRow) -> PlanRow | None:
    after = [other for other in plan.rows if other.first_lba is not None and other.first_lba > (row.first_lba or 0)]
    return next((other for other in after if other.elastic), None)


def _reach(plan: Plan, row: PlanRow, partner: PlanRow | None, *, alone: bool) -> _Reach:
    grain, size = plan.frame.grain_bytes, row.size_bytes or 0
    low, high = _bounds(row, grain)
    stops = {low: f"{row.row.name} stops at its hard floor", high: f"{row.row.name} stops at its ceiling"}
    if partner is not None and partner.size_bytes is not None:
        together = size + partner.size_bytes
        partner_low, partner_high = _bounds(partner, grain)
        if together - partner_low < high:
            high = together - partner_low
            stops[high] = f"{partner.row.name} stops at its hard floor"
        if together - partner_high > low:
            low = together - partner_high
            stops[low] = f"{partner.row.name} stops at its ceiling"
    elif not alone:
        free = sum(gap.length for gap in plan.unallocated) * plan.frame.logical_sector_bytes
        most = size + free - plan.frame.tail * grain
        if most < high:
            high = max(low, most)
            stops[high] = "There is no more free space"
    return _Reach(low, high, stops)


def _bounds(row: PlanRow, grain: int) -> tuple[int, int]:
    """Least and most bytes of a row in whole grains, whether it is elastic or not."""
    least = row.row.floors.hard if row.row.floors is not None else row.row.base
    return least * grain, row.row.ceiling * grain
