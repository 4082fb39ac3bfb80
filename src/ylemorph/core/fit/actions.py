"""What can be done with a row of a plan, and why not: the screens offer just that."""

from collections.abc import Callable
from typing import Literal, NamedTuple, get_args

from .plan import Plan, PlanRow
from .rows import why_held

Action = Literal["role", "pin", "unpin", "grow", "hold", "release", "leave", "carry", "lighten", "clear", "up", "down"]
ACTIONS: tuple[Action, ...] = get_args(Action)


class _Place(NamedTuple):
    """A row among those that go over, for moving it."""

    at: int
    of: int


def actions_of(plan: Plan) -> list[dict[Action, str]]:
    """For each row of the plan every action with an empty text where it can be done, else with the reason."""
    carried = [row.number for row in plan.rows if row.carried and row.row.partition is not None]
    places = {number: _Place(at, len(carried)) for at, number in enumerate(carried)}
    return [{action: _refused(row, action, places.get(row.number)) for action in ACTIONS} for row in plan.rows]


def _refused(row: PlanRow, action: Action, place: _Place | None) -> str:
    if row.row.partition is None:
        return "it is made new by the change of table"
    if row.row.dropped:
        return "the change of table replaces it"
    if action in ("up", "down"):
        return _moving(action, place)
    return _CHECKS[action](row)


def _moving(action: Action, place: _Place | None) -> str:
    if place is None:
        return "it is left behind"
    if action == "up":
        return "it is the first row already" if place.at == 0 else ""
    return "it is the last row already" if place.at == place.of - 1 else ""


def _always(_row: PlanRow) -> str:
    return ""


def _resize(row: PlanRow) -> str:
    if not row.carried:
        return "it is left behind"
    if row.resizable and row.floors is not None:
        return ""
    assert row.row.partition is not None
    return why_held(row.row.partition)


def _pinned(row: PlanRow) -> str:
    return "" if row.pinned else "it is not pinned"


def _grow(row: PlanRow) -> str:
    return _resize(row) or ("" if row.elastic else "it is held; let it go first")


def _hold(row: PlanRow) -> str:
    return "" if row.elastic or row.pinned else "it keeps its size already"


def _release(row: PlanRow) -> str:
    return "it may change its size already" if row.elastic else _resize(row)


def _leave(row: PlanRow) -> str:
    return "" if row.carried else "it is left behind already"


def _carry(row: PlanRow) -> str:
    return "it is carried already" if row.carried else ""


def _lighten(row: PlanRow) -> str:
    if row.floors is None or row.row.is_made:
        return "its used space is not known" if not row.row.is_made else "no content of it goes over"
    return ""


def _clear(row: PlanRow) -> str:
    fs = row.row.fs
    return "" if fs is not None and fs.immovable_end_byte else "nothing of it is known to be immovable"


_CHECKS: dict[Action, Callable[[PlanRow], str]] = {
    "role": _always, "pin": _resize, "unpin": _pinned, "grow": _grow, "hold": _hold, "release": _release,
    "leave": _leave, "carry": _carry, "lighten": _lighten, "clear": _clear,
}  # fmt: skip
