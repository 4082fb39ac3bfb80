"""The shelf over HTTP, and a job's source against it: the ladder, and how long its plan lasts."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.buy.shelf import Offer, currencies
from ...core.disk.usual_sizes import label_of, shelf_disks
from ...core.sizes import Units
from ...formats.own.ladder import ladder_head, lasting_to_data, offer_to_data, says
from ...formats.own.shelf import shelf_disk_to_texts, shelf_to_csv
from ...formats.own.wire import model_of
from ...usecases import jobs, shelf
from ...usecases.shelf import Shelf, ShelfConflict
from ..edge.blueprint import Routes
from ..edge.problems import answer, problem_data, problems
from ..edge.services import connection, work
from ..models import JobPath
from .models import GrowingRow, LadderModel, LadderQuery, LastingModel, ShelfIn, ShelfModel, ShownOffer

tag = Tag(name="shelf")
api = Routes("shelf", __name__, url_prefix="/api", abp_tags=[tag], abp_responses=problems(404, 422))


def on_conflict(error: ShelfConflict) -> Response:
    return answer(problem_data(error, 409))


@api.get("/shelf", responses={200: model_of(ShelfModel)})
def read_own() -> Response:
    """The usual nominal sizes with their sectors (rule 1.3), and the workshop's shelf."""
    return _answer(shelf.read(connection()))


@api.put("/shelf", responses={200: model_of(ShelfModel)})
def write_own(body: ShelfIn) -> Response:
    """Write the shelf as a whole, from cells or from CSV."""
    disks = [texts.model_dump() for texts in body.disks] if body.disks is not None else None
    return _answer(shelf.write(work(), disks, body.csv, body.version))


def _answer(kept: Shelf) -> Response:
    shown: ShelfModel = {
        "sizes": [
            {"label": label_of(gigabytes), "sectors": disk.sectors, "size_bytes": disk.size_bytes}
            for gigabytes, disk in shelf_disks(512)
        ],
        "version": kept.version,
        "disks": [shelf_disk_to_texts(item) for item in kept.disks],
        "bytes": [item.disk.size_bytes for item in kept.disks],
        "currencies": currencies(kept.disks),
    }
    return jsonify(shown)


@api.get("/shelf.csv", responses={200: None})
def take_out() -> Response:
    """The workshop's shelf as CSV."""
    response = Response(shelf_to_csv(shelf.read(connection()).disks), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="shelf.csv"'
    return response


@api.get("/jobs/<int:job_id>/ladder", responses={200: model_of(LadderModel)})
def read_ladder(path: JobPath, query: LadderQuery) -> Response:
    """What every usual size, or every disk of the shelf, means for the job's source under its options."""
    slot = query.slot or jobs.get(connection(), path.job_id).state.facts.slot
    ladder = shelf.ladder(work(), path.job_id, int(query.sector), slot, own=query.shelf == "own")
    offers = [_offer(offer, query.units) for offer in ladder.offers]
    shown: LadderModel = {**ladder_head(ladder), "disks": offers, "slot": slot}
    return jsonify(shown)


def _offer(offer: Offer, units: Units) -> ShownOffer:
    return {**offer_to_data(offer), "says": says(offer, units), "time": offer.copying.text}


@api.get("/jobs/<int:job_id>/lasting", responses={200: model_of(LastingModel)})
def read_lasting(path: JobPath) -> Response:
    """How long each row of the job's plan lasts, by what was typed or by the surveys of its disk."""
    found = shelf.lasting(work(), path.job_id)
    shown: LastingModel = {"since": found.since.isoformat(), "rows": [_growing(row) for row in found.rows]}
    return jsonify(shown)


def _growing(row: shelf.RowGrowth) -> GrowingRow:
    return {
        "number": row.number,
        "label": row.label,
        "typed_bytes": row.typed_bytes,
        "readings": [{"day": reading.on.isoformat(), "used_bytes": reading.used} for reading in row.readings],
        "used_bytes": row.used_bytes,
        "size_bytes": row.size_bytes,
        "limit_bytes": row.limit_bytes,
        "lasting": lasting_to_data(row.lasting),
    }
