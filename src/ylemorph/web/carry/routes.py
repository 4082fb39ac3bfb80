"""The stage Carry out over HTTP: ways, steps, rehearsal, check lists, the running record, and what is handed over."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.sizes import Units
from ...formats.own.wire import model_of
from ...usecases import carrying, jobs, script_logs
from ...usecases.carrying import RecordEntry
from ..edge.blueprint import Routes
from ..edge.identity import made_by
from ..edge.problems import problems
from ..edge.reached import server_address, server_pin
from ..edge.services import connection, services, work
from ..models import JobPath, UnitsQuery
from .hand_over import HAND_OVER
from .models import (
    CarryModel,
    HandOverPath,
    LogRequest,
    LogTaken,
    PracticeModel,
    PracticeRequest,
    RecordRequest,
    TellModel,
    TickRequest,
)
from .shapes import carry_data, practice_data

tag = Tag(name="jobs")
api = Routes("carry", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses=problems(404, 422))


@api.get("/<int:job_id>/carry", responses={200: model_of(CarryModel)})
def carry(path: JobPath, query: UnitsQuery) -> Response:
    """Everything about carrying the job's plan out."""
    return _answer(path.job_id, query.units)


@api.post("/<int:job_id>/ticks", responses={200: model_of(CarryModel)})
def tick(path: JobPath, body: TickRequest, query: UnitsQuery) -> Response:
    """Tick a line of the check lists off, or take that back; undo of the plan leaves it alone."""
    carrying.tick(connection(), path.job_id, body.item[:60], on=body.on)
    return _answer(path.job_id, query.units)


@api.post("/<int:job_id>/record", responses={200: model_of(CarryModel)})
def record(path: JobPath, body: RecordRequest, query: UnitsQuery) -> Response:
    """Begin the running record, or say what happened to a step."""
    carrying.record(work(), path.job_id, RecordEntry(body.what, body.step, body.reason, body.note), query.units)
    return _answer(path.job_id, query.units)


@api.post("/<int:job_id>/log", responses={200: model_of(LogTaken)})
def take_log(path: JobPath, body: LogRequest) -> Response:
    """Fill the record from the log of the job's script."""
    taken = script_logs.take(work(), path.job_id, body.text)
    shown: LogTaken = {"sentence": taken.sentence(), "found": taken.found}
    return jsonify(shown)


@api.post("/<int:job_id>/tell", responses={201: model_of(TellModel)})
def give_address(path: JobPath) -> tuple[Response, int]:
    """An address to which the job's script may tell how far it is, once."""
    code = script_logs.give_code(work(), path.job_id, made_by())
    pin = server_pin()
    shown: TellModel = {
        "address": f"{server_address()}/collect/{code}/log{f'#sha256//{pin}' if pin else ''}",
        "minutes": script_logs.MINUTES,
        "reachable": services().network,
    }
    return jsonify(shown), 201


def _answer(job_id: int, units: Units) -> Response:
    return jsonify(carry_data(work(), job_id, units))


@api.get("/<int:job_id>/practice", responses={200: model_of(PracticeModel)})
def read_practice(path: JobPath) -> Response:
    """How far the bench is with this job, or why it cannot begin."""
    return jsonify(practice_data(work(), path.job_id))


@api.post("/<int:job_id>/practice", responses={200: model_of(PracticeModel)})
def practise(path: JobPath, body: PracticeRequest) -> Response:
    """Carry the job out on the stand-in that is its target; the record begins and goes along."""
    carrying.begin_practice(work(), path.job_id, body.fault, body.pace)
    return jsonify(practice_data(work(), path.job_id))


@api.delete("/<int:job_id>/practice", responses={200: model_of(PracticeModel)})
def stop_practice(path: JobPath) -> Response:
    """Stop the bench after the step that it is at."""
    services().shop.practices.stop(path.job_id)
    return jsonify(practice_data(work(), path.job_id))


@api.get("/<int:job_id>/hand-over/<form>", responses={200: None})
def hand_over(path: HandOverPath) -> Response:
    """A file for the bench: the work sheet, the script, the plan, its table or its picture."""
    kind, write = HAND_OVER[path.form]
    state = jobs.get(connection(), path.job_id).state
    made = carrying.carrying_of(connection(), path.job_id, state, services().shop.bench)
    response = Response(write(made, state, f"{server_address()}/jobs/{path.job_id}/carry"), mimetype=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="job-{path.job_id}-{path.form}"'
    return response
