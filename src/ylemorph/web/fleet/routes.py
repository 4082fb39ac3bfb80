"""Fleets over HTTP: many machines at once, worked out in the background and shown as they come."""

import base64
import binascii
import io
from collections.abc import Iterator

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.buy.fleet import Bought, Fleet, Trouble, able_of, buy
from ...core.buy.shelf import ShelfDisk
from ...core.disk.usual_sizes import nominal_disk
from ...core.errors import BadOption, YlemorphError
from ...core.fit.frame import frame_of
from ...core.fit.options import OPTIONS, Options
from ...core.job.state import JobState, SizedTarget
from ...core.sizes import GB
from ...formats.listings.fleet_read import Found, read_item
from ...formats.own.fleet import fleet_to_csv, fleet_to_json, mix_to_data, write_fleet_sheet
from ...formats.own.options import options_from
from ...formats.own.shelf import size_text
from ...formats.own.targets import target_from_text
from ...store import fleet_list, fleets, jobs, shelf
from ...store.database import transaction
from ...store.fleet_list import Wanted
from ...store.fleets import BEST, FleetHead, Wishes
from ..buy.models import (
    ExportPath,
    FilesIn,
    FleetIn,
    FleetJobsIn,
    FleetList,
    FleetModel,
    FleetPath,
    FleetQuery,
    MachinesIn,
    MachinesOut,
    MachinesQuery,
    MadeJobs,
    MixOut,
    MixQuery,
    StopIn,
)
from ..data.setting_routes import job_defaults
from ..edge.db import connection
from ..edge.identity import made_by
from ..models import Problem
from .shapes import fleet_data, line_data, machine_data

tag = Tag(name="fleets")
api = APIBlueprint(
    "fleets", __name__, url_prefix="/api/fleets", abp_tags=[tag], abp_responses={404: Problem, 422: Problem}
)


@api.get("", responses={200: FleetList})
def list_fleets() -> Response:
    """All fleets, the last changed first."""
    return jsonify({"fleets": [line_data(head) for head in fleets.heads(connection())]})


@api.post("", responses={201: FleetModel})
def create_fleet(body: FleetIn) -> tuple[Response, int]:
    """Begin a fleet: its name and what its machines are tried against."""
    return _answer(fleets.create(connection(), body.name, _wishes(body))), 201


@api.get("/<int:fleet_id>", responses={200: FleetModel})
def read_fleet(path: FleetPath, query: FleetQuery) -> Response:
    """What the whole fleet says, as far as it is worked out; what is left is gone on with."""
    return _answer(path.fleet_id, query.fit, asked=False)


@api.put("/<int:fleet_id>", responses={200: FleetModel})
def write_fleet(path: FleetPath, body: FleetIn) -> Response:
    """Another name, other targets, fits or options; every machine is worked out anew where one of these changed."""
    fleets.wish(connection(), path.fleet_id, _wishes(body), body.name)
    return _answer(path.fleet_id)


@api.delete("/<int:fleet_id>", responses={204: None})
def delete_fleet(path: FleetPath) -> tuple[str, int]:
    """Forget a fleet with its machines."""
    fleets.delete(connection(), path.fleet_id)
    return "", 204


@api.post("/<int:fleet_id>/files", responses={200: FleetModel})
def add_files(path: FleetPath, body: FilesIn) -> Response:
    """Add what stands in files: surveys, listings, tables with a machine column, archives of them."""
    fleets.add(connection(), path.fleet_id, _read(body))
    return _answer(path.fleet_id)


def _read(body: FilesIn) -> Iterator[Found | Trouble]:
    for file in body.files:
        try:
            data = base64.b64decode(file.data, validate=True)
        except (binascii.Error, ValueError):
            yield Trouble(file.name, "it did not arrive whole; add it again")
            continue
        yield from read_item(file.name, data)


@api.post("/<int:fleet_id>/stop", responses={200: FleetModel})
def stop_fleet(path: FleetPath, body: StopIn) -> Response:
    """Stop working a fleet out, or go on; what is done stays."""
    fleets.stop(connection(), path.fleet_id, stopped=body.stopped)
    return _answer(path.fleet_id)


@api.get("/<int:fleet_id>/machines", responses={200: MachinesOut})
def list_machines(path: FleetPath, query: MachinesQuery) -> Response:
    """Machines that are worked out, a page at a time."""
    head = fleets.head(connection(), path.fleet_id)
    wanted = Wanted(
        query.target, query.fit, query.verdict, query.text.strip(), query.sort, query.down, query.start, query.most
    )
    count, rows = fleet_list.page(connection(), head, wanted)
    return jsonify({"count": count, "machines": [machine_data(row) for row in rows]})


@api.post("/<int:fleet_id>/remove", responses={200: FleetModel})
def remove_machines(path: FleetPath, body: MachinesIn) -> Response:
    """Take machines, or files that could not be read, out of the fleet."""
    fleets.head(connection(), path.fleet_id)
    fleets.remove(connection(), path.fleet_id, body.machines)
    return _answer(path.fleet_id)


@api.get("/<int:fleet_id>/mix", responses={200: MixOut})
def read_mix(path: FleetPath, query: MixQuery) -> Response:
    """The least-price choice of the targets that have a price, stock counted."""
    head = fleets.head(connection(), path.fleet_id)
    able = fleet_list.able(connection(), head)
    return jsonify(mix_to_data(buy(able, head.wishes.targets, query.currency.upper()), [name for name, _ in able]))


@api.post("/<int:fleet_id>/jobs", responses={201: MadeJobs})
def make_jobs(path: FleetPath, body: FleetJobsIn) -> tuple[Response, int]:
    """A job for each of the chosen machines."""
    head = fleets.head(connection(), path.fleet_id)
    if body.target >= len(head.wishes.targets):
        raise BadOption(f"there is no target {body.target}", at="target", mend="load the page again")
    item, made = head.wishes.targets[body.target], []
    with transaction(connection()):
        for machine in body.machines:
            name, survey = fleet_list.survey_of(connection(), head.id, machine)
            fit = fleet_list.fit_of(connection(), machine, body.target, body.fit)
            state = JobState(
                name=f"{name} to {item.name}"[:200], machine=name, source=survey,
                target=SizedTarget(size_text(item.disk), item.disk), options=head.wishes.options.but(fit=fit),
            )  # fmt: skip
            made.append(jobs.create(connection(), state, f"Begun from the fleet {head.name}", made_by()).id)
    return jsonify({"jobs": made}), 201


@api.get("/<int:fleet_id>/export/<form>", responses={200: None})
def take_out(path: ExportPath) -> Response:
    """All lines as CSV, JSON, or a sheet."""
    head = fleets.head(connection(), path.fleet_id)
    whole = fleet_list.whole(connection(), head)
    kinds = {
        "csv": "text/csv", "json": "application/json",
        "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    }  # fmt: skip
    book = io.BytesIO()
    if path.form == "xlsx":
        write_fleet_sheet(whole, book)
    elif path.form == "csv":
        book.write(fleet_to_csv(whole).encode("utf-8", "replace"))
    else:
        book.write(fleet_to_json(whole, _bought(whole, head)).encode("utf-8", "replace"))
    response = Response(book.getvalue(), mimetype=kinds[path.form])
    response.headers["Content-Disposition"] = f'attachment; filename="fleet-{head.id}.{path.form}"'
    return response


def _bought(whole: Fleet, head: FleetHead) -> Bought | None:
    """The mix where prices stand in one currency; else none, which the page asks about."""
    try:
        return buy(able_of(whole), head.wishes.targets)
    except BadOption:
        return None


def _wishes(body: FleetIn) -> Wishes:
    """Targets by their names on the shelf, else as sizes; options read as for any pair of disks."""
    own = {item.name: item for item in shelf.read(connection()).disks}
    targets = []
    for place, text in enumerate(dict.fromkeys(body.targets)):
        if text in own:
            targets.append(own[text])
            continue
        try:
            targets.append(ShelfDisk(text.strip(), target_from_text(text).but(physical_sector_bytes=4096)))
        except YlemorphError as error:
            mend = "take a disk of the shelf, or write 480GB"
            raise BadOption(error.problem, at=f"targets[{place}]", mend=mend) from None
    options = _options(body.options or {})
    fits = tuple(dict.fromkeys(body.fits))
    return Wishes(tuple(targets), fits, options.but(fit=fits[0]))


def _options(data: dict[str, object]) -> Options:
    for key in data:
        kind = OPTIONS.get(key)
        if kind is not None and kind.scope in ("rows", "target"):
            raise BadOption(f"“{key}” speaks of one machine", at=f"options.{key}", mend="set it in the machine's job")
    usual = nominal_disk(1000 * GB)
    made = options_from(data, usual, usual)
    defaults = job_defaults()
    for key, kind in OPTIONS.items():
        if key not in data:
            made = kind.put(made, kind.of(defaults))
    frame_of(usual, "gpt", made)
    return made


def _answer(fleet: int, fit: str = BEST, *, asked: bool = True) -> Response:
    head = fleets.head(connection(), fleet)
    runs = current_app.config["FLEETS"]
    if head.pending and not head.stopped and head.wishes.targets:
        runs.go_on(fleet, current_app.config["STORE"], asked=asked)
    return jsonify(fleet_data(connection(), head, fit, runs.get(fleet)))
