"""The stage Check back as the data that goes out."""

from ...core.carry.times import time_range
from ...core.carry.ways import Way
from ...core.checkback.compare import Checked
from ...core.checkback.differences import Difference
from ...core.checkback.mending import figures_for
from ...core.checkback.planned import Planned, PlannedRow
from ...core.disk.model import Disk, Partition
from ...core.sizes import Units
from ...formats.own.check import difference_to_data
from ...formats.own.steps import extent_to_data, figure_to_data
from ...formats.own.steps_schema import PlaceModel
from ...usecases.checking import Closing, Finished, Look
from ..edge.problems import problem_data
from ..jobs.shapes import head
from .models import CheckBackModel, CheckLine, ClosingModel, ComparedRow, FinishModel, MendedDifference, ShownCheck


def check_data(look: Look, units: Units) -> CheckBackModel:
    """Everything that the stage shows."""
    return {
        **_shown(look, units),
        "checks": [_line(*pair) for pair in look.checks],
        "sector_bytes": look.planned.sector_bytes if look.planned else 512,
        "closing": None if look.closing is None else _closing(look.closing),
        "took": look.took,
        "steps": [{"number": step.number, "say": step.say, "took": step.took} for step in look.steps],
        "trouble": None if look.trouble is None else problem_data(look.trouble),
        "finish": None if look.finish is None else _finish(look.finish),
    }


def _finish(way: Way) -> FinishModel:
    return {
        "possible": way.possible,
        "why": way.why,
        "steps": len(way.steps or ()),
        "time": time_range(way.seconds) if way.seconds else "",
    }


def _closing(closing: Closing) -> ClosingModel:
    return {
        "closed_at": closing.closed_at,
        "result": closing.result,
        "note": closing.note,
        "keep_until": closing.keep_until,
        "minutes": closing.minutes,
    }


def _line(one: Finished, checked: Checked) -> CheckLine:
    return {
        "number": one.id,
        "made_at": one.made_at,
        "as_planned": checked.as_planned,
        "differences": len(checked.differences),
    }


def _shown(look: Look, units: Units) -> ShownCheck:
    planned = look.planned
    if planned is None or look.shown is None:
        return {
            "number": None,
            "made_at": "",
            "as_planned": None,
            "found": None,
            "another": "",
            "differences": [],
            "unknown": [],
            "rows": [_row(row, None, None) for row in planned.rows] if planned else [],
            "sectors": planned.sectors if planned else 0,
        }
    one, checked = look.shown
    disk = one.survey.disk
    return {
        "number": one.id,
        "made_at": one.made_at,
        "as_planned": checked.as_planned,
        "found": head(disk),
        "another": checked.another,
        "differences": [_difference(difference, planned, units) for difference in checked.differences],
        "unknown": list(checked.unknown),
        "rows": [_row(row, checked.pairs.get(row.number), checked) for row in planned.rows] + _unplanned(disk, checked),
        "sectors": max(planned.sectors, disk.sectors),
    }


def _difference(difference: Difference, planned: Planned, units: Units) -> MendedDifference:
    figures = [figure_to_data(figure) for figure in figures_for(difference, planned)]
    return {**difference_to_data(difference, units), "figures": figures}


def _row(row: PlannedRow, found: Partition | None, checked: Checked | None) -> ComparedRow:
    return {
        "number": row.number,
        "label": row.label,
        "change": row.change,
        "planned": extent_to_data(row.extent),
        "found": _place(found),
        "codes": [d.kind.code for d in checked.differences if d.row == row.number] if checked else [],
    }


def _unplanned(disk: Disk, checked: Checked) -> list[ComparedRow]:
    """Rows of the finished disk that the plan does not have."""
    known = {id(partition) for partition in checked.pairs.values()}
    return [
        {
            "number": None,
            "label": f"{partition.number} {partition.label or 'partition'}",
            "change": "left",
            "planned": None,
            "found": _place(partition),
            "codes": ["row-unexpected"],
        }
        for partition in disk.rows
        if id(partition) not in known
    ]


def _place(partition: Partition | None) -> PlaceModel | None:
    return None if partition is None else extent_to_data(partition.extent)
