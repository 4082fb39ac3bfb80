"""``ylemorph.plan/1``: a plan as JSON and CSV."""

import csv
import io
import json
from typing import TYPE_CHECKING, Final

from ...core.carry.will_start import will_start
from ...core.checkback.planned import planned_code
from ...core.fit.actions import Action, actions_of
from ...core.fit.cards import percent_of
from ...core.fit.entries import Entry, planned_entries
from ...core.fit.finding_kinds import Finding
from ...core.fit.floors import Floors
from ...core.fit.plan import Plan, PlanRow
from ...core.fit.remedies import Remedy
from ...core.job.mending import change_for
from ...core.sizes import Extent, Units
from .change_data import change_to_data
from .survey_data import part_to_data

if TYPE_CHECKING:
    from .plan_schema import (
        EntryModel,
        FindingModel,
        FloorLinesModel,
        PlanModel,
        PlanRowModel,
        PlanStartModel,
        RemedyModel,
        RowModel,
        UnallocatedModel,
    )

FORMAT: Final = "ylemorph.plan/1"


def plan_to_data(plan: Plan, units: Units = "binary") -> "PlanModel":
    """The plan as JSON data: the contract's fields in its order, ours after them."""
    frame = plan.frame
    fits = plan.layout.sizes is not None
    entries = {entry.row: entry for entry in planned_entries(plan)} if fits else {}
    return {
        "format": FORMAT,
        "fit": plan.fit,
        "verdict": plan.verdict,
        "headroom_kept": float(plan.headroom_kept),
        "kept_percent": percent_of(plan.layout.kept),
        "shortfall_bytes": plan.shortfall_bytes,
        "grain_bytes": frame.grain_bytes,
        "target": {
            "sectors": frame.sectors,
            "logical_sector_bytes": frame.logical_sector_bytes,
            "table": frame.table,
            "first_usable_lba": frame.first_usable_lba,
            "last_usable_lba": frame.last_usable_lba,
            "unreachable_bytes": frame.unreachable_bytes,
            "tail_bytes": frame.tail * frame.grain_bytes,
            "usable_bytes": frame.usable_bytes,
            "model": plan.target.model,
            "serial": plan.target.serial,
            "identity": plan.identity,
        },
        "source": {
            "model": plan.source.model,
            "serial": plan.source.serial,
            "table_id": plan.source.table_id,
            "bytes": plan.source.size_bytes,
        },
        "start": start_to_data(plan),
        "rows": [
            _planned_row(row, entries.get(row.number), actions)
            for row, actions in zip(plan.rows, actions_of(plan), strict=True)
        ],
        "unallocated": [extent_data(extent, frame.logical_sector_bytes) for extent in plan.unallocated],
        "findings": [finding_data(finding, units) for finding in plan.findings],
        "remedies": [_remedy_data(plan, remedy, units) for remedy in plan.remedies],
        "must_bytes": plan.must_bytes,
        "comfort_bytes": plan.comfort_bytes,
        "headroom_percent": plan.options.headroom.percent,
    }


def start_to_data(plan: Plan) -> "PlanStartModel":
    code, will = planned_code(plan), will_start(plan)
    return {
        "answer": will.answer,
        "head": will.head,
        "text": will.text,
        "code": None if code is None else {**part_to_data(code)},  # type: ignore[typeddict-item]  # as it is declared
        "named": sorted(moved.row.number for moved in plan.starting.named),
    }


def _planned_row(row: PlanRow, entry: Entry | None, actions: dict[Action, str]) -> "PlanRowModel":
    return {**row_to_data(row), **entry_to_data(entry), "actions": actions}


def row_to_data(row: PlanRow) -> "RowModel":
    return {
        "number": row.number,
        "role": row.role,
        "carried": row.carried,
        "elastic": row.elastic,
        "pinned": row.pinned,
        "change": row.change,
        "source_bytes": row.source_bytes,
        "used_bytes": row.used_bytes,
        "hard_floor_bytes": row.hard_floor_bytes,
        "comfort_floor_bytes": row.comfort_floor_bytes,
        "first_lba": row.first_lba,
        "sectors": row.sectors,
        "size_bytes": row.size_bytes,
        "free_after_bytes": row.free_after_bytes,
        "label": row.label,
        "kind": row.kind,
        "logical": row.logical,
        "resizable": row.resizable,
        "least_bytes": row.least_bytes,
        "dropped": row.row.dropped,
        "ceiling_bytes": row.ceiling_bytes,
        "floor_lines": _floor_lines(row.floors) if row.floors is not None else None,
        "filesystem_bytes": row.row.fs.size_bytes if row.row.fs is not None else None,
        "source_uuid": row.source_uuid,
        "files": row.files,
    }


def _floor_lines(floors: Floors) -> "FloorLinesModel":
    return {
        "carried_bytes": floors.carried_bytes,
        "slack_bytes": floors.slack_bytes,
        "headroom_bytes": floors.headroom_bytes,
        "immovable_bytes": floors.immovable_bytes,
        "minimum_bytes": floors.minimum_bytes,
        "shed_bytes": floors.shed_bytes,
        "binding": floors.binding,
    }


def entry_to_data(entry: Entry | None) -> "EntryModel":
    """A row's entry in the target's table; None where it has none."""
    if entry is None:
        return {"entry": None, "type": None, "flags": []}
    return {"entry": entry.number, "type": entry.type, "flags": sorted(entry.flags)}


def extent_data(extent: Extent, sector: int) -> "UnallocatedModel":
    return {"first_lba": extent.start, "sectors": extent.length, "bytes": extent.length * sector}


def finding_data(finding: Finding, units: Units) -> "FindingModel":
    return {
        "level": finding.level,
        "code": finding.code,
        "row": finding.row,
        "text": finding.text(units),
        "do": finding.do(units),
    }


def _remedy_data(plan: Plan, remedy: Remedy, units: Units) -> "RemedyModel":
    change = change_for(plan, remedy)
    return {
        "kind": remedy.kind,
        "row": remedy.row,
        "bytes": remedy.bytes,
        "verdict_after": remedy.verdict_after,
        "text": remedy.text(units),
        "rows": list(remedy.rows),
        "fit": remedy.fit,
        "change": change_to_data(change) if change is not None else None,
    }


def plan_to_json(plan: Plan) -> str:
    return json.dumps(plan_to_data(plan), ensure_ascii=False, indent=1) + "\n"


CSV_COLUMNS = (
    "number", "label", "role", "kind", "carried", "elastic", "pinned", "change", "source_bytes", "used_bytes",
    "hard_floor_bytes", "comfort_floor_bytes", "first_lba", "sectors", "size_bytes", "free_after_bytes",
)  # fmt: skip


def plan_to_csv(plan: Plan) -> str:
    """One line a row, RFC 4180, sizes in bytes; figures that do not exist are empty."""
    out = io.StringIO()
    writer = csv.DictWriter(out, CSV_COLUMNS, extrasaction="ignore")
    writer.writeheader()
    for row in plan.rows:
        data = {
            key: str(value).lower() if isinstance(value, bool) else value for key, value in row_to_data(row).items()
        }
        writer.writerow(data)
    return out.getvalue()
