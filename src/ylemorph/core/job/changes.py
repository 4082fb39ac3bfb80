"""One change to a job's options at a time, with the sentence that history keeps of it."""

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from ...formats.options import options_from, options_to_data
from ...formats.row_sizes import RowFigures, row_size
from ..disk.model import Disk
from ..errors import BadOption, OutOfBounds, YlemorphError
from ..fit.layout import lay_out
from ..fit.options import Options
from ..fit.plan import PlanRow, make_plan
from ..fit.remedies import FIT_NAMES
from ..fit.rows import ROLE_NAMES
from ..sizes import format_size


class Changed(NamedTuple):
    """The options after a change and what was done, in words; ``stopped`` says what a drag ran against."""

    options: Options
    sentence: str
    stopped: str = ""


class Pair(NamedTuple):
    """The disks that a job's options belong to."""

    source: Disk
    target: Disk


def apply_change(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    """The options after ``change``: ``{"kind": …}`` with the fields of its kind.

    Raises BadOption, BadSize or OutOfBounds where it cannot be made; nothing is changed then.
    """
    kind = change.get("kind")
    make = _KINDS.get(kind) if isinstance(kind, str) else None
    if make is None:
        raise BadOption(f"“{kind}” is no change", at="kind", mend="use one of " + ", ".join(sorted(_KINDS)))
    changed = make(pair, options, change)
    _check(pair, options, changed.options, change)
    return changed


def _check(pair: Pair, before: Options, after: Options, change: Mapping[str, Any]) -> None:
    """A change must be one that can be followed, and a pin must leave the other rows what they need."""
    try:
        layout = lay_out(pair.source, pair.target, after)
    except OutOfBounds as error:
        raise OutOfBounds(error.problem, at="size", mend=error.mend, bound_bytes=error.bound_bytes) from None
    if change["kind"] not in ("pin", "drag") or layout.verdict != "does-not-fit":
        return
    if lay_out(pair.source, pair.target, before).verdict == "does-not-fit":
        return
    size = dict(after.pins).get(change["row"], 0)
    most = -(-size // after.grain_bytes) * after.grain_bytes - layout.shortfall_bytes
    raise OutOfBounds(
        f"{format_size(size)} leaves the other rows {format_size(layout.shortfall_bytes)} too little",
        at="size",
        mend=f"give at most {format_size(most)}",
        bound_bytes=most,
    )


def _row(pair: Pair, options: Options, change: Mapping[str, Any]) -> PlanRow:
    number = change.get("row")
    for row in make_plan(pair.source, pair.target, options).rows:
        if row.number == number:
            return row
    raise BadOption(f"the source has no partition {number}", at="row", mend="choose a row of the plan")


def _name(row: PlanRow) -> str:
    return row.label.split(" ", 1)[1]


def _fit(_pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    fit = change.get("fit")
    if fit not in FIT_NAMES:
        raise BadOption(f"“{fit}” is no fit", at="fit", mend="use one of " + ", ".join(FIT_NAMES))
    return Changed(options.but(fit=fit), f"Fit set to {FIT_NAMES[fit]}")


def _grow(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    pins = tuple(pin for pin in options.pins if pin[0] != row.number)
    wanted = options.but(fit="rest-to-one", grow=row.number, pins=pins)
    return Changed(wanted, f"{_name(row)} takes the rest")


def _pin(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row, text = _row(pair, options, change), change.get("size")
    if not isinstance(text, str):
        raise BadOption("the size is missing", at="size", mend="type a size such as 240GiB")
    if text.strip().lower() == "rest":
        return _grow(pair, options, change)
    if not row.carried:
        raise BadOption(f"{_name(row)} is left behind", at="row", mend="carry it first")
    frame = make_plan(pair.source, pair.target, options).frame
    floors = row.floors
    figures = RowFigures(
        current=row.size_bytes,
        source=row.source_bytes,
        used=None if floors is None else floors.carried_bytes,
        floor=None if floors is None else floors.hard * frame.grain_bytes,
        comfort=None if floors is None else floors.comfort * frame.grain_bytes,
        usable=frame.usable_bytes,
        sector=frame.logical_sector_bytes,
    )
    try:
        size = row_size(text, figures, change.get("bare") or "gib")
    except YlemorphError as error:
        raise error.under("size") from None
    pins = {**dict(options.pins), row.number: size}
    wanted = options.but(pins=tuple(sorted(pins.items())), hold=options.hold - {row.number})
    return Changed(wanted, f"{_name(row)} pinned at {format_size(size)}")


def _drag(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    """Move the edge after a row: the next elastic row gives or takes the change, or with ``alone`` nobody does.

    The size stops at the floors and ceilings of both.
    """
    plan = make_plan(pair.source, pair.target, options)
    row, wanted = _row(pair, options, change), change.get("size")
    if row.size_bytes is None or not row.resizable or not isinstance(wanted, int):
        raise BadOption(f"the edge of {_name(row)} cannot be moved", at="row", mend="drag an elastic row that fits")
    grain = plan.frame.grain_bytes
    after = [other for other in plan.rows if other.first_lba is not None and other.first_lba > (row.first_lba or 0)]
    partner = None if change.get("alone") else next((other for other in after if other.elastic), None)
    low, high = _bounds(row, grain)
    stops = {low: f"{_name(row)} stops at its hard floor", high: f"{_name(row)} stops at its ceiling"}
    if partner is not None and partner.size_bytes is not None:
        together = row.size_bytes + partner.size_bytes
        partner_low, partner_high = _bounds(partner, grain)
        if together - partner_low < high:
            high = together - partner_low
            stops[high] = f"{_name(partner)} stops at its hard floor"
        if together - partner_high > low:
            low = together - partner_high
            stops[low] = f"{_name(partner)} stops at its ceiling"
    elif not change.get("alone"):
        free = sum(gap.length for gap in plan.unallocated) * plan.frame.logical_sector_bytes
        most = row.size_bytes + free - plan.frame.tail * grain
        if most < high:
            high = max(low, most)
            stops[high] = "There is no more free space"
    size = min(max(round(wanted / grain) * grain, low), high)
    pins = {**dict(options.pins), row.number: size}
    sentence = f"{_name(row)} drawn to {format_size(size)}"
    if partner is not None and partner.size_bytes is not None:
        pins[partner.number] = row.size_bytes + partner.size_bytes - size
        sentence += f", {_name(partner)} to {format_size(pins[partner.number])}"
    made = options.but(pins=tuple(sorted(pins.items())), hold=options.hold - set(pins))
    return Changed(made, sentence, stops.get(size, ""))


def _bounds(row: PlanRow, grain: int) -> tuple[int, int]:
    """Least and most bytes of a row in whole grains, whether it is elastic or not."""
    least = row.row.floors.hard if row.row.floors is not None else row.row.base
    return least * grain, row.row.ceiling * grain


def _unpin(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    pins = tuple(pin for pin in options.pins if pin[0] != row.number)
    return Changed(options.but(pins=pins), f"{_name(row)} no longer pinned")


def _leave(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    return Changed(_without(options, row.number).but(leave=options.leave | {row.number}), f"{_name(row)} left behind")


def _without(options: Options, number: int) -> Options:
    """Options in which nothing rests on the row that is about to be left behind."""
    return options.but(
        grow=None if options.grow == number else options.grow,
        free_after=None if options.free_after == number else options.free_after,
    )


def _leave_set(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    names = []
    for number in change.get("rows") or ():
        changed = _leave(pair, options, {"row": number})
        options = changed.options
        names.append(changed.sentence.removesuffix(" left behind"))
    return Changed(options, f"{' and '.join(names)} left behind")


def _carry(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    return Changed(options.but(leave=options.leave - {row.number}), f"{_name(row)} carried again")


def _hold(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    wanted = options.but(
        hold=options.hold | {row.number},
        elastic=options.elastic - {row.number},
        pins=tuple(pin for pin in options.pins if pin[0] != row.number),
        grow=None if options.grow == row.number else options.grow,
    )
    return Changed(wanted, f"{_name(row)} held at its source size")


def _release(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    wanted = options.but(hold=options.hold - {row.number})
    if row.role not in ("system", "data"):
        wanted = wanted.but(elastic=options.elastic | {row.number})
    return Changed(wanted, f"{_name(row)} may change its size")


def _role(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row, role = _row(pair, options, change), change.get("role")
    if role not in ROLE_NAMES:
        raise BadOption(f"“{role}” is no role", at="role", mend="use one of " + ", ".join(ROLE_NAMES))
    roles = {**dict(options.roles), row.number: role}
    return Changed(options.but(roles=tuple(sorted(roles.items()))), f"{_name(row)} is {role}")


def _lighten(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    lighten = options_to_data(options).get("lighten", {})
    wanted = _read(pair, options, lighten={**lighten, str(row.number): change.get("size")})
    size = dict(wanted.lighten)[row.number]
    kept = tuple(entry for entry in wanted.lighten if entry[1])
    return Changed(wanted.but(lighten=kept), f"{_name(row)} lightened by {format_size(size)}")


def _cleared(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    row = _row(pair, options, change)
    on = change.get("on", True)
    cleared = options.cleared | {row.number} if on else options.cleared - {row.number}
    words = "cleared" if on else "counted again"
    return Changed(options.but(cleared=cleared), f"Immovable end of {_name(row)} {words}")


def _move(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
    """Move a row on the target by so many places, toward the end where ``value`` is positive (rule 7.1)."""
    row, steps = _row(pair, options, change), change.get("value")
    rows = [other for other in make_plan(pair.source, pair.target, options).rows if other.row.partition is not None]
    carried = [other.number for other in rows if other.carried]
    if not row.carried or row.number not in carried or not isinstance(steps, int) or isinstance(steps, bool):
        raise BadOption(f"{_name(row)} has no place on the target", at="row", mend="carry it first")
    place = carried.index(row.number)
    wanted = min(max(place + steps, 0), len(carried) - 1)
    if wanted == place:
        end = "first" if steps < 0 else "last"
        raise BadOption(f"{_name(row)} is the {end} row already", at="row", mend="move it the other way")
    neighbour = carried[wanted]
    carried.insert(wanted, carried.pop(place))
    order = (*carried, *(other.number for other in rows if not other.carried))
    natural = tuple(p.number for p in pair.source.rows)
    kept = options.but(order=() if _is_natural(order, natural, options.leave) else order)
    name = next(_name(other) for other in rows if other.number == neighbour)
    return Changed(kept, f"{_name(row)} moved {'before' if wanted < place else 'behind'} {name}")


def _is_natural(order: tuple[int, ...], natural: tuple[int, ...], leave: frozenset[int]) -> bool:
    """Whether the rows that go over stand in the source's order again."""
    return [n for n in order if n not in leave] == [n for n in natural if n not in leave]


def _setting(key: str, words: str) -> Callable[[Pair, Options, Mapping[str, Any]], Changed]:
    def make(pair: Pair, options: Options, change: Mapping[str, Any]) -> Changed:
        value = change.get("value")
        shown = "none" if value in (None, "") else str(value)
        return Changed(_read(pair, options, **{key: None if value == "" else value}), words.format(shown))

    return make


def _read(pair: Pair, options: Options, **wishes: object) -> Options:
    """Options with some wishes read anew, as the command line would read them."""
    data = {key: value for key, value in {**options_to_data(options), **wishes}.items() if value is not None}
    return options_from(data, pair.source, pair.target)


def _reset(_pair: Pair, options: Options, _change: Mapping[str, Any]) -> Changed:
    return Changed(
        Options(fit=options.fit, roles=options.roles, overwrite=options.overwrite, firmware=options.firmware),
        "Everything set by hand taken back",
    )


_KINDS: dict[str, Callable[[Pair, Options, Mapping[str, Any]], Changed]] = {
    "fit": _fit,
    "grow": _grow,
    "pin": _pin,
    "drag": _drag,
    "unpin": _unpin,
    "leave": _leave,
    "leave-set": _leave_set,
    "carry": _carry,
    "hold": _hold,
    "release": _release,
    "role": _role,
    "lighten": _lighten,
    "cleared": _cleared,
    "headroom": _setting("headroom", "Headroom set to {} %"),
    "headroom-system": _setting("headroom_system", "Headroom of system rows at least {}"),
    "headroom-data": _setting("headroom_data", "Headroom of data rows at least {}"),
    "tail": _setting("tail", "Tail reserve set to {}"),
    "free-after": _setting("free_after", "Free space after row {}"),
    "table": _setting("table", "Table set to {}"),
    "grain": _setting("grain", "Grain set to {}"),
    "order": _setting("order", "Order set to {}"),
    "move": _move,
    "firmware": _setting("firmware", "Machine starts in {} mode"),
    "reset": _reset,
}
CHANGE_KINDS = tuple(_KINDS)
