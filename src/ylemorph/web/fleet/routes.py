"""Fleets over HTTP: many machines at once, worked out in the background and shown as they come."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...formats.own.buy_shapes import MixOut
from ...formats.own.fleet import mix_to_data
from ...formats.own.wire import model_of
from ...usecases import fleets
from ...usecases.fleets import BEST, FleetsWanted, LinesWanted
from ..edge.blueprint import Routes
from ..edge.identity import made_by
from ..edge.problems import problems
from ..edge.services import connection, work
from .exports import EXPORTS
from .models import (
    ExportPath,
    FilesIn,
    FleetIn,
    FleetJobsIn,
    FleetList,
    FleetModel,
    FleetPath,
    FleetQuery,
    FleetsQuery,
    MachinesIn,
    MachinesOut,
    MachinesQuery,
    MadeJobs,
    MixQuery,
    StopIn,
)
from .shapes import fleet_data, line_data, machine_data

tag = Tag(name="fleets")
api = Routes("fleets", __name__, url_prefix="/api/fleets", abp_tags=[tag], abp_responses=problems(404, 422))


@api.get("", responses={200: model_of(FleetList)})
def list_fleets(query: FleetsQuery) -> Response:
    """The fleets that are asked for, by page; the last changed first unless asked otherwise."""
    count, found = fleets.listed(connection(), FleetsWanted(**query.model_dump()))
    shown: FleetList = {"count": count, "fleets": [line_data(head) for head in found]}
    return jsonify(shown)


@api.post("", responses={201: model_of(FleetModel)})
def create_fleet(body: FleetIn) -> tuple[Response, int]:
    """Begin a fleet: its name and what its machines are tried against."""
    wishes = fleets.wishes(work(), body.targets, body.fits, body.options or {})
    return _answer(fleets.create(connection(), body.name, wishes)), 201


@api.get("/<int:fleet_id>", responses={200: model_of(FleetModel)})
def read_fleet(path: FleetPath, query: FleetQuery) -> Response:
    """What the whole fleet says, as far as it is worked out; what is left is gone on with."""
    return _answer(path.fleet_id, query.fit, asked=False)


@api.put("/<int:fleet_id>", responses={200: model_of(FleetModel)})
def write_fleet(path: FleetPath, body: FleetIn) -> Response:
    """Another name, other targets, fits or options; every machine is worked out anew where one of these changed."""
    wishes = fleets.wishes(work(), body.targets, body.fits, body.options or {})
    fleets.wish(connection(), path.fleet_id, wishes, body.name)
    return _answer(path.fleet_id)


@api.delete("/<int:fleet_id>", responses={204: None})
def delete_fleet(path: FleetPath) -> tuple[str, int]:
    """Forget a fleet with its machines."""
    fleets.delete(connection(), path.fleet_id)
    return "", 204


@api.post("/<int:fleet_id>/files", responses={200: model_of(FleetModel)})
def add_files(path: FleetPath, body: FilesIn) -> Response:
    """Add what stands in files: surveys, listings, tables with a machine column, archives of them."""
    fleets.add_files(work(), path.fleet_id, ((file.name, file.data) for file in body.files))
    return _answer(path.fleet_id)


@api.post("/<int:fleet_id>/stop", responses={200: model_of(FleetModel)})
def stop_fleet(path: FleetPath, body: StopIn) -> Response:
    """Stop working a fleet out, or go on; what is done stays."""
    fleets.stop(connection(), path.fleet_id, stopped=body.stopped)
    return _answer(path.fleet_id)


@api.get("/<int:fleet_id>/machines", responses={200: model_of(MachinesOut)})
def list_machines(path: FleetPath, query: MachinesQuery) -> Response:
    """Machines that are worked out, a page at a time."""
    wanted = LinesWanted(
        query.target, query.fit, query.verdict, query.text.strip(), query.sort, query.down, query.start, query.most
    )
    count, rows = fleets.page(connection(), fleets.head(connection(), path.fleet_id), wanted)
    shown: MachinesOut = {"count": count, "machines": [machine_data(row) for row in rows]}
    return jsonify(shown)


@api.post("/<int:fleet_id>/remove", responses={200: model_of(FleetModel)})
def remove_machines(path: FleetPath, body: MachinesIn) -> Response:
    """Take machines, or files that could not be read, out of the fleet."""
    fleets.head(connection(), path.fleet_id)
    fleets.remove(connection(), path.fleet_id, body.machines)
    return _answer(path.fleet_id)


@api.get("/<int:fleet_id>/mix", responses={200: model_of(MixOut)})
def read_mix(path: FleetPath, query: MixQuery) -> Response:
    """The least-price choice of the targets that have a price, stock counted."""
    return jsonify(mix_to_data(*fleets.mix(work(), path.fleet_id, query.currency)))


@api.post("/<int:fleet_id>/jobs", responses={201: model_of(MadeJobs)})
def make_jobs(path: FleetPath, body: FleetJobsIn) -> tuple[Response, int]:
    """A job for each of the chosen machines."""
    made: MadeJobs = {"jobs": fleets.make_jobs(work(made_by()), path.fleet_id, body.machines, body.target, body.fit)}
    return jsonify(made), 201


@api.get("/<int:fleet_id>/export/<form>", responses={200: None})
def take_out(path: ExportPath) -> Response:
    """All lines as CSV, JSON, or a sheet."""
    head = fleets.head(connection(), path.fleet_id)
    kind, write = EXPORTS[path.form]
    response = Response(write(fleets.whole(connection(), head), head), mimetype=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="fleet-{head.id}.{path.form}"'
    return response


def _answer(fleet: int, fit: str = BEST, *, asked: bool = True) -> Response:
    return jsonify(fleet_data(fleets.look(work(), fleet, fit, asked=asked)))
