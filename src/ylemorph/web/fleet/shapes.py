"""Fleets as the data that goes out."""

from ...formats.own.options import options_to_data
from ...usecases.fleets import FleetHead, FleetLook, Shown, Twice
from .models import FleetLineOut, FleetModel, MachineOut, TargetOut, TroubleOut


def line_data(head: FleetHead) -> FleetLineOut:
    return {
        "id": head.id,
        "name": head.name,
        "changed_at": head.changed_at,
        "machines": head.machines,
        "done": head.done,
        "troubles": head.troubles,
        "targets": [item.name for item in head.wishes.targets],
    }


def fleet_data(look: FleetLook) -> FleetModel:
    """What the whole fleet says, as far as it is worked out."""
    head, run = look.head, look.run
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
        "repeated": look.sums.repeated,
        "unread": look.sums.unread,
        "left_seconds": int(head.pending / run.rate) + 1 if running and run is not None and run.worked_out else None,
        "fits": list(head.wishes.fits),
        "options": options_to_data(head.wishes.options),
        "targets": _targets(look),
        "histogram": [
            {"from_bytes": one.from_bytes, "to_bytes": one.to_bytes, "machines": one.machines} for one in look.histogram
        ],
        "smallest": {"all": look.smallest.all, "percent_95": look.smallest.most},
        "troubles": [_trouble(twice) for twice in look.troubles],
    }


def _trouble(twice: Twice) -> TroubleOut:
    return {"id": twice.id, "name": twice.name, "problem": twice.problem, "of": twice.of, "earlier": twice.earlier}


def _targets(look: FleetLook) -> list[TargetOut]:
    counts = look.counts
    return [
        {
            "name": item.name,
            "size_bytes": item.disk.size_bytes,
            "price": item.price,
            "currency": item.currency,
            "stock": item.stock,
            "counts": {
                "comfortable": counts.get((place, "comfortable"), 0),
                "tight": counts.get((place, "tight"), 0),
                "does_not_fit": counts.get((place, "does-not-fit"), 0),
                "nothing": counts.get((place, None), 0),
            },
        }
        for place, item in enumerate(look.head.wishes.targets)
    ]


def machine_data(shown: Shown) -> MachineOut:
    """One line of the table."""
    line, before = shown.line, shown.before
    return {
        "id": shown.id,
        "name": shown.name,
        "serial": shown.serial,
        "origin": shown.origin,
        "taken": shown.taken,
        "source_bytes": shown.source_bytes,
        "used_bytes": shown.used_bytes,
        "must_bytes": shown.must_bytes,
        "comfort_bytes": shown.comfort_bytes,
        "need_bytes": shown.need_bytes,
        "fit": line.fit,
        "verdict": line.outcome.verdict,
        "kept_percent": line.outcome.kept_percent,
        "shortfall_bytes": line.outcome.shortfall_bytes,
        "system_free_bytes": line.outcome.system_free_bytes,
        "reason": line.reason,
        "remedy": line.remedy,
        "verdicts": shown.verdicts,
        "before": None
        if before is None
        else {"taken": before.taken, "used_bytes": before.used_bytes, "name": before.name},
    }
