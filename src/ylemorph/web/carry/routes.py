"""The stage Carry out over HTTP: ways, steps, rehearsal, check lists, the running record, and what is handed over."""

from collections.abc import Callable

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.carry.carrying import Carrying
from ...core.errors import BadOption
from ...core.job.state import JobState
from ...formats.documents.sfdisk import plan_to_script
from ...formats.documents.shell_script import script_of
from ...formats.documents.svg import plan_to_svg
from ...formats.own.plan import plan_to_csv, plan_to_json
from ...formats.own.steps import steps_to_json
from ...stand_ins.attached import NotAttached
from ...stand_ins.practice import FAULT_WORDS
from ...store import jobs, runs
from ..edge.db import connection
from ..models import JobPath, Problem, Units, UnitsQuery
from .models import CarryModel, HandOverForm, HandOverPath, PracticeModel, PracticeRequest, RecordRequest, TickRequest
from .practices import practice_data
from .practices import practise as practise_job
from .shapes import carry_data, carrying_of, run_steps

tag = Tag(name="jobs")
api = APIBlueprint(
    "carry", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses={404: Problem, 422: Problem}
)


@api.get("/<int:job_id>/carry", responses={200: CarryModel})
def carry(path: JobPath, query: UnitsQuery) -> Response:
    """Everything about carrying the job's plan out."""
    return _answer(path.job_id, query.units)


@api.post("/<int:job_id>/ticks", responses={200: CarryModel})
def tick(path: JobPath, body: TickRequest, query: UnitsQuery) -> Response:
    """Tick a line of the check lists off, or take that back; undo of the plan leaves it alone."""
    runs.tick(connection(), path.job_id, body.item[:60], on=body.on)
    return _answer(path.job_id, query.units)


@api.post("/<int:job_id>/record", responses={200: CarryModel})
def record(path: JobPath, body: RecordRequest, query: UnitsQuery) -> Response:
    """Begin the running record, or say what happened to a step."""
    if body.what == "begin":
        _begin(path.job_id, query.units)
    elif body.what == "back":
        runs.take_back(connection(), path.job_id)
    elif body.what == "end":
        runs.end(connection(), path.job_id)
    else:
        if body.step is None:
            raise BadOption("the step is missing", at="step", mend="say which step it is")
        if body.what == "failed" and body.reason is None:
            raise BadOption("the reason is missing", at="reason", mend="say why it failed")
        reason = body.reason if body.what == "failed" else None
        runs.add(connection(), path.job_id, body.step, body.what, reason, body.note)
    return _answer(path.job_id, query.units)


def _begin(job_id: int, units: Units) -> None:
    made = carrying_of(connection(), jobs.get(connection(), job_id).state, current_app.config["BENCH"], units)
    if made.way is None or made.sequence is None:
        raise BadOption("there is no way to carry this plan out", mend="go back to Fit")
    runs.begin(connection(), job_id, made.way.key, run_steps(made, units), made.ground.bench_kind)


def _answer(job_id: int, units: Units) -> Response:
    job = jobs.get(connection(), job_id)
    return jsonify(carry_data(connection(), job_id, job.state, current_app.config["BENCH"], units))


@api.get("/<int:job_id>/practice", responses={200: PracticeModel})
def read_practice(path: JobPath) -> Response:
    """How far the bench is with this job, or why it cannot begin."""
    return _practice_answer(path.job_id)


@api.post("/<int:job_id>/practice", responses={200: PracticeModel})
def practise(path: JobPath, body: PracticeRequest) -> Response:
    """Carry the job out on the stand-in that is its target; the record begins and goes along."""
    config = current_app.config
    practise_job(
        config["PRACTICES"], config["BENCH"], config["STORE"], connection(), path.job_id, body.fault, body.pace
    )
    return _practice_answer(path.job_id)


@api.delete("/<int:job_id>/practice", responses={200: PracticeModel})
def stop_practice(path: JobPath) -> Response:
    """Stop the bench after the step that it is at."""
    current_app.config["PRACTICES"].stop(path.job_id)
    return _practice_answer(path.job_id)


def _practice_answer(job_id: int) -> Response:
    why_not = ""
    try:
        current_app.config["BENCH"].image_of(jobs.get(connection(), job_id).state.pair.target.serial)
    except (BadOption, NotAttached) as error:
        why_not = error.sentence()
    data = practice_data(current_app.config["PRACTICES"].get(job_id))
    faults = [{"key": key, "text": text} for key, text in FAULT_WORDS.items()]
    return jsonify({**data, "faults": faults, "why_not": why_not[:1].upper() + why_not[1:]})


def _sheet(made: Carrying, state: JobState) -> bytes:
    from ...formats.documents.sheet import Heading, sheet_pdf

    return sheet_pdf(made, Heading(state.name, state.code, state.machine))


Write = Callable[[Carrying, JobState], bytes]


def _text(write: Callable[[Carrying], str]) -> Write:
    return lambda made, _state: write(made).encode("utf-8", "replace")


HAND_OVER: dict[HandOverForm, tuple[str, Write]] = {
    "sheet.pdf": ("application/pdf", _sheet),
    "clone.sh": ("application/x-sh", _text(script_of)),
    "steps.json": ("application/json", _text(steps_to_json)),
    "plan.json": ("application/json", _text(lambda made: plan_to_json(made.ground.plan))),
    "plan.csv": ("text/csv", _text(lambda made: plan_to_csv(made.ground.plan))),
    "morph.svg": (
        "image/svg+xml",
        _text(lambda made: plan_to_svg(made.ground.plan, made.ground.plan.source, made.ground.plan.target)),
    ),
    "table.sfdisk": ("text/plain", _text(lambda made: plan_to_script(made.ground.plan))),
}


@api.get("/<int:job_id>/hand-over/<form>", responses={200: None})
def hand_over(path: HandOverPath) -> Response:
    """A file for the bench: the work sheet, the script, the plan, its table or its picture."""
    kind, write = HAND_OVER[path.form]
    state = jobs.get(connection(), path.job_id).state
    response = Response(write(carrying_of(connection(), state, current_app.config["BENCH"]), state), mimetype=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="job-{path.job_id}-{path.form}"'
    return response
