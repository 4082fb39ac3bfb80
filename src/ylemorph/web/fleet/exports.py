"""A fleet as a file: one entry for each form."""

import io
from collections.abc import Callable
from typing import Literal

from ...core.buy.fleet import Bought, Fleet, bought_for
from ...core.errors import BadOption
from ...formats.own.fleet import fleet_to_csv, fleet_to_json, write_fleet_sheet
from ...usecases.fleets import FleetHead

ExportForm = Literal["csv", "xlsx", "json"]


def _csv(whole: Fleet, _head: FleetHead) -> bytes:
    return fleet_to_csv(whole).encode("utf-8", "replace")


def _json(whole: Fleet, head: FleetHead) -> bytes:
    return fleet_to_json(whole, _bought(whole, head)).encode("utf-8", "replace")


def _bought(whole: Fleet, head: FleetHead) -> Bought | None:
    """The mix where prices stand in one currency; else none, which the page asks about."""
    try:
        return bought_for(whole, head.wishes.targets)
    except BadOption:
        return None


def _sheet(whole: Fleet, _head: FleetHead) -> bytes:
    book = io.BytesIO()
    write_fleet_sheet(whole, book)
    return book.getvalue()


# Its media type, and how it is written.
EXPORTS: dict[ExportForm, tuple[str, Callable[[Fleet, FleetHead], bytes]]] = {
    "csv": ("text/csv", _csv),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", _sheet),
    "json": ("application/json", _json),
}
