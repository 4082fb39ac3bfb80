"""Fleets as the data that goes out."""

import sqlite3
from typing import Any

from ...core.buy.fleet import smallest_for
from ...formats.own.options import options_to_data
from ...store import fleet_list
from ...store.fleet_list import Shown
from ...store.fleets import FleetHead
from .runs import FleetRun


def line_data(head: FleetHead) -> dict[str, Any]:
    return {
        "id": head.id, "name": head.name, "changed_at": head.changed_at, "machines": head.machines, "done": head.done,
        "troubles": head.troubles, "targets": [item.name for item in head.wishes.targets],
    }  # fmt: skip


def fleet_data(connection: sqlite3.Connection, head: FleetHead, fit: str, run: FleetRun | None) -> dict[str, Any]:
    """What the whole fleet says, as far as it is worked out."""
    sums = fleet_list.sums(connection, head.id)
    needs = fleet_list.needs(connection, head.id)
    smallest = smallest_for(needs)
    trouble = run.trouble if run is not None and head.pending else ""
    running = bool(head.pending and not head.stopped and head.wishes.targets and not trouble)
    return {
        "id": head.id,
        "name": head.name,
        "changed_at": head.changed_at,
        "generation": head.generation,
        "running": running,
        "stopped": head.pending > 0 and (head.stopped or bool(trouble)),
        "trouble": trouble,
        "machines": head.machines,
        "done": head.done,
        "repeated": sums.repeated,
        "unread": sums.unread,
        "left_seconds": int(head.pending / run.rate) + 1 if running and run is not None and run.worked_out else None,
        "fits": list(head.wishes.fits),
        "options": options_to_data(head.wishes.options),
        "targets": _targets(connection, head, fit),
        "histogram": fleet_list.histogram(needs),
        "smallest": {"all": smallest.all, "percent_95": smallest.most},
        "troubles": [{**row, "earlier": bool(row["earlier"])} for row in fleet_list.troubles(connection, head.id)],
    }


def _targets(connection: sqlite3.Connection, head: FleetHead, fit: str) -> list[dict[str, Any]]:
    counts = fleet_list.counts(connection, head.id, fit)
    return [
        {
            "name": item.name, "size_bytes": item.disk.size_bytes, "price": item.price, "currency": item.currency,
            "stock": item.stock,
            "counts": {
                "comfortable": counts.get((place, "comfortable"), 0), "tight": counts.get((place, "tight"), 0),
                "does_not_fit": counts.get((place, "does-not-fit"), 0), "nothing": counts.get((place, None), 0),
            },
        }
        for place, item in enumerate(head.wishes.targets)
    ]  # fmt: skip


def machine_data(shown: Shown) -> dict[str, Any]:
    """One line of the table."""
    line = {key: value for key, value in shown.line.items() if key not in ("own_fit", "gained_bytes")}
    head = {key: value for key, value in shown._asdict().items() if key != "line"}
    return {**head, "fit": shown.line["own_fit"], **line}
