"""Survey to layout: floors, then the fit, then the places (rules 2 to 7). Findings and remedies build on it."""

from typing import Literal, NamedTuple

from ..disk.model import Disk
from ..errors import BadOption
from .allot import Share
from .fits import Elastic, Fitted, fit_rows
from .frame import Frame, frame_of, planned_table
from .options import Options
from .place import Placed, place
from .rows import Row, rows_of

Verdict = Literal["comfortable", "tight", "does-not-fit"]
VERDICTS: tuple[Verdict, ...] = ("does-not-fit", "tight", "comfortable")  # worst first


class Layout(NamedTuple):
    """What the rules make of one pair of disks. ``sizes`` in grains go with ``carried``; None where it does not fit."""

    frame: Frame
    rows: tuple[Row, ...]
    carried: tuple[Row, ...]
    sizes: tuple[int, ...] | None
    placed: Placed | None
    verdict: Verdict
    kept: Share
    shortfall_bytes: int
    must_bytes: int
    comfort_bytes: int
    in_doubt: tuple[int, ...]


def lay_out(source: Disk, target: Disk, options: Options) -> Layout:
    """Rules 2 to 7. Raises BadOption or OutOfBounds where an option cannot be followed."""
    table = planned_table(source.table, options)
    frame = frame_of(target, table, options)
    rows, roles = rows_of(source, table, options)
    carried = tuple([row for row in rows if row.carried])
    shared = [row for row in carried if row.elastic and row.pin is None]
    pinned = [row for row in carried if row.elastic and row.pin is not None]
    elastic = [_as_elastic(row) for row in shared]
    fixed = sum([row.base if row.pin is None else row.pin for row in carried if row.pin is not None or not row.elastic])
    fixed += sum([row.logical for row in carried])
    capacity = frame.end - frame.first - frame.tail - fixed
    fitted = fit_rows(options.fit, capacity, elastic, _chosen(shared, options))
    sizes = _all_sizes(carried, fitted)
    placed = None
    if sizes is not None:
        placed = place(frame, sizes, [row.logical for row in carried], _free_index(carried, options))
    grain = options.grain_bytes
    return Layout(
        frame=frame,
        rows=tuple(rows),
        carried=carried,
        sizes=sizes,
        placed=placed,
        verdict=_verdict(carried, sizes),
        kept=fitted.kept,
        shortfall_bytes=fitted.shortfall * grain,
        must_bytes=(fixed + sum([row.hard for row in elastic]) - _over_floor(pinned, "hard")) * grain,
        comfort_bytes=(fixed + sum([row.low for row in elastic]) - _over_floor(pinned, "comfort")) * grain,
        in_doubt=roles.in_doubt,
    )


def _over_floor(pinned: list[Row], floor: Literal["hard", "comfort"]) -> int:
    """Grains that pins ask for over the floors of their rows: what is needed does not depend on them."""
    return sum([(row.pin or 0) - min(getattr(row.floors, floor), row.ceiling) for row in pinned])


def _as_elastic(row: Row) -> Elastic:
    floors = row.floors
    assert floors is not None  # an elastic row has known used space
    low = floors.comfort if floors.comfort < row.ceiling else row.ceiling
    return Elastic(row.base, floors.hard, low, row.ceiling, floors.carried_bytes, row.role == "system")


def _chosen(shared: list[Row], options: Options) -> int | None:
    if options.grow is None:
        return None
    for index, row in enumerate(shared):
        if row.number == options.grow:
            return index
    if options.fit != "rest-to-one":
        return None
    raise BadOption(
        f"partition {options.grow} is held, pinned or left behind and cannot take the rest",
        at="options.grow",
        mend="name an elastic row or let this one go",
    )


def _all_sizes(carried: tuple[Row, ...], fitted: Fitted) -> tuple[int, ...] | None:
    if fitted.sizes is None:
        return None
    shares = iter(fitted.sizes)
    return tuple([row.pin if row.pin is not None else next(shares) if row.elastic else row.base for row in carried])


def _free_index(carried: tuple[Row, ...], options: Options) -> int | None:
    if options.free_after is None:
        return None
    for index, row in enumerate(carried):
        if row.number == options.free_after:
            return index
    raise BadOption(
        f"partition {options.free_after} is left behind, so no free space can stand after it",
        at="options.free_after",
        mend="name a row that is carried",
    )


def _verdict(carried: tuple[Row, ...], sizes: tuple[int, ...] | None) -> Verdict:
    """Rule 6.5."""
    if sizes is None:
        return "does-not-fit"
    for row, size in zip(carried, sizes, strict=True):
        if row.elastic and row.floors is not None and size < row.floors.comfort:
            return "tight"
    return "comfortable"
