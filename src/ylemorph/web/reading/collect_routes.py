"""Disks sent from a customer's machine: the code and the line for a job or a fleet, the script, and what arrives."""

from typing import Annotated

from flask import Flask, Response, current_app, jsonify, request
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from ...core.errors import BadSurvey
from ...formats.listings.collecting import SCRIPTS, System, command_line, script_text
from ...formats.own.wire import Shape, model_of
from ...usecases import collecting, script_logs
from ...usecases.collecting import MINUTES, Arrived, CollectGoal, WrongCode
from ..edge.blueprint import Routes
from ..edge.identity import made_by
from ..edge.limits import has_too_many_values
from ..edge.live_routes import tell
from ..edge.problems import answer, problem_data, problems
from ..edge.reached import server_address, server_pin
from ..edge.services import connection, services, work
from ..fleet.models import FleetPath
from ..models import JobPath
from .models import CommandModel, ReadingModel
from .routes import reading_data

tag = Tag(name="collecting")
api = Routes(
    "collecting",
    __name__,
    url_prefix="/api",
    abp_tags=[tag],
    abp_responses=problems(404, 422),
)


class CollectModel(Shape):
    """A code that works once within ``minutes``, and the line for each system. ``reachable``: whether other machines
    get through to this server at all."""

    code: str
    minutes: int
    reachable: bool
    commands: list[CommandModel]


class ArrivalModel(Shape):
    """What a machine sent for a job; ``reading`` is null where it cannot be read, and ``trouble`` says why."""

    id: int
    machine: str
    arrived_at: str
    reading: ReadingModel | None
    trouble: str


class ArrivalsModel(Shape):
    arrivals: list[ArrivalModel]


class ArrivalPath(JobPath):
    arrival_id: Annotated[int, Field(ge=1, le=2**53)]


class SystemPath(BaseModel):
    system: System


@api.post("/jobs/<int:job_id>/collect", responses={201: model_of(CollectModel)})
def collect_for_job(path: JobPath) -> tuple[Response, int]:
    """A code under which a customer's machine may send its disks to this job, once."""
    return _code(CollectGoal(path.job_id, None)), 201


@api.post("/fleets/<int:fleet_id>/collect", responses={201: model_of(CollectModel)})
def collect_for_fleet(path: FleetPath) -> tuple[Response, int]:
    """A code under which one machine may send its disks to this fleet, once."""
    return _code(CollectGoal(None, path.fleet_id)), 201


def _code(goal: CollectGoal) -> Response:
    code, server = collecting.give_code(connection(), goal, made_by()), server_address()
    shown: CollectModel = {
        "code": code,
        "minutes": MINUTES,
        "reachable": services().network,
        "commands": [
            {"where": script.where, "command": command_line(key, server, code, server_pin())}
            for key, script in SCRIPTS.items()
        ],
    }
    return jsonify(shown)


@api.get("/jobs/<int:job_id>/arrivals", responses={200: model_of(ArrivalsModel)})
def list_arrivals(path: JobPath) -> Response:
    """What arrived for this job and was not taken yet, joined with what is known of its source where it fits."""
    shown: ArrivalsModel = {"arrivals": [_arrived(item) for item in collecting.arrivals(connection(), path.job_id)]}
    return jsonify(shown)


def _arrived(item: Arrived) -> ArrivalModel:
    return {
        "id": item.arrival.id,
        "machine": item.arrival.machine,
        "arrived_at": item.arrival.arrived_at,
        "reading": reading_data(item.joined) if item.joined else None,
        "trouble": item.trouble,
    }


@api.delete("/jobs/<int:job_id>/arrivals/<int:arrival_id>", responses={204: None})
def forget_arrival(path: ArrivalPath) -> tuple[str, int]:
    """Forget what arrived, because it was taken or is not wanted."""
    collecting.forget(connection(), path.job_id, path.arrival_id)
    return "", 204


@api.get("/collect/<system>", responses={200: None})
def stick_script(path: SystemPath) -> Response:
    """The script for a machine without network: it writes a file beside itself, which is dropped on the job's page."""
    response = Response(script_text(path.system), mimetype="text/plain")
    response.headers["Content-Disposition"] = f'attachment; filename="{SCRIPTS[path.system].name}"'
    return response


def register(app: Flask) -> None:
    """The addresses that the scripts use; they are no part of the API, and a code is what lets in."""
    app.add_url_rule("/collect/<code>", "collect", _collect, methods=["GET", "POST"])
    app.add_url_rule("/collect/<code>/log", "collect_log", _collect_log, methods=["POST"])

    @app.errorhandler(WrongCode)
    def _wrong_code(error: WrongCode) -> Response:
        return answer(problem_data(error, 404))


def _collect(code: str) -> Response:
    """A wrong code counts as a try, and so does a body that cannot be read: each costs somebody who has no code."""
    attempts, where = services().attempts, request.remote_addr or ""
    attempts.take_code(where)
    given = _collected(code)
    attempts.give_code_back(where)
    return given


def _collected(code: str) -> Response:
    system: System = "windows" if code.endswith(".ps1") else "linux"
    code = code.removesuffix(".ps1").upper()
    goal = collecting.look_up(connection(), code)
    if request.method == "GET":
        return Response(script_text(system, server_address(), code, server_pin()), mimetype="text/plain")
    body = request.get_data()
    if has_too_many_values(body):
        raise BadSurvey("there is too much in it", mend="send the list of one machine")
    count = collecting.arrive(connection(), code, goal, request.headers.get("X-Machine", "")[:80], body)
    what, number = ("jobs", goal.job) if goal.job is not None else ("fleets", goal.fleet)
    tell(current_app, what, number)
    thanks = f"Thank you. {count} {'disk' if count == 1 else 'disks'} arrived at Ylemorph.\n"
    return Response(thanks, mimetype="text/plain")


def _collect_log(code: str) -> Response:
    """Lines of a script's log. A wrong code counts as a try; a script that tells each second costs none."""
    attempts, where = services().attempts, request.remote_addr or ""
    attempts.take_code(where)
    body = request.get_data()
    if has_too_many_values(body):
        raise BadSurvey("there is too much in it", mend="send fewer lines at a time")
    first = request.args.get("from", "0")[:9]
    if not first.isdecimal():
        raise BadSurvey("it is no number of lines", at="from", mend="say how many were sent before")
    job = script_logs.told(work(), code.upper(), int(first), body.decode("utf-8", "replace"))
    attempts.give_code_back(where)
    tell(current_app, "jobs", job)
    return Response("", status=204)
