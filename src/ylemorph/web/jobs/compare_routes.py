"""Two plans of one job side by side."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.carry.carrying import Outlook, outlook
from ...core.carry.ground import Ground
from ...core.carry.times import time_range
from ...core.errors import BadOption
from ...core.fit.compare import RowPair, Side, better, compare_plans
from ...core.fit.fits import FIT_NAMES
from ...core.fit.options import FITS
from ...core.fit.plan import Plan, make_plan
from ...core.job.state import JobState
from ...core.script.price import price_for
from ...core.sizes import Units
from ...formats.own.plan import finding_data
from ...formats.own.wire import model_of
from ...usecases import jobs
from ..edge.blueprint import Routes
from ..edge.problems import problems
from ..edge.services import connection
from ..models import ByScriptModel, CompareQuery, ComparisonModel, JobPath, RowPairModel, SideModel

tag = Tag(name="jobs")
api = Routes(
    "compare",
    __name__,
    url_prefix="/api/jobs",
    abp_tags=[tag],
    abp_responses=problems(404, 422),
)


@api.get("/<int:job_id>/compare", responses={200: model_of(ComparisonModel)})
def compare(path: JobPath, query: CompareQuery) -> Response:
    """What the second plan changes against the first."""
    names = (query.first, query.second)
    pairs = [_plan(path.job_id, name, at) for name, at in zip(names, ("first", "second"), strict=True)]
    return jsonify(_comparison(names, pairs, query.units))


def _comparison(names: tuple[str, str], pairs: list[tuple[Plan, JobState]], units: Units) -> ComparisonModel:
    found = compare_plans(*(plan for plan, _ in pairs))
    times = [outlook(plan, state.facts, state.way) for plan, state in pairs]
    quicker = better(*(sum(time.seconds) if time else None for time in times), more=False)
    return {
        "first": _side_data(found.first, names[0], times[0], _by_script(*pairs[0], times[0])),
        "second": _side_data(found.second, names[1], times[1], _by_script(*pairs[1], times[1])),
        "source_bytes": pairs[0][0].source.size_bytes,
        "targets": [plan.frame.sectors * plan.frame.logical_sector_bytes for plan, _ in pairs],
        "better": {"verdict": found.better_verdict, "packed_bytes": found.better_packed, "time": quicker},
        "rows": [_pair_data(row) for row in found.rows],
        "gained": [finding_data(finding, units) for finding in found.gained],
        "lost": [finding_data(finding, units) for finding in found.lost],
    }


def _pair_data(row: RowPair) -> RowPairModel:
    return {
        "number": row.number,
        "label": row.label,
        "changes": list(row.changes),
        "sizes": list(row.sizes),
        "frees": list(row.frees),
        "source_bytes": row.source_bytes,
        "better": row.better,
    }


def _plan(job_id: int, name: str, at: str) -> tuple[Plan, JobState]:
    """A plan and its job: ``now``, ``r12`` or a fit under the options as they stand. Raises BadOption for all else."""
    if name.startswith("r") and name[1:].isascii() and name[1:].isdigit() and len(name) < 10:
        state = jobs.state_at(connection(), job_id, int(name[1:]))
    elif name == "now" or name in FITS:
        state = jobs.get(connection(), job_id).state
    else:
        raise BadOption(f"“{name[:40]}” is no plan of this job", at=at, mend="use now, r and a number, or a fit")
    if state.source_disk is None or state.target_disk is None:
        raise BadOption("there was no source or no target yet", at=at, mend="choose a later change")
    return make_plan(*state.pair, state.options.but(fit=name) if name in FITS else state.options), state


def _by_script(plan: Plan, state: JobState, expected: Outlook | None) -> ByScriptModel | None:
    price = price_for(Ground(plan, state.facts), expected.way) if expected else None
    if price is None:
        return None
    return {"time": time_range(price.seconds), "workspace_bytes": price.workspace_bytes}


def _side_data(side: Side, name: str, expected: Outlook | None, by_script: ByScriptModel | None) -> SideModel:
    title = "As it stands" if name == "now" else f"Change {name[1:]}" if name not in FITS else FIT_NAMES[side.plan.fit]
    return {
        "title": title,
        "verdict": side.plan.verdict,
        "fit": side.plan.fit,
        "open_bytes": side.open_bytes,
        "carried_bytes": side.carried_bytes,
        "packed_bytes": side.packed_bytes,
        "time": time_range(expected.seconds) if expected else "",
        "by_script": by_script,
    }
