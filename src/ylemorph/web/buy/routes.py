"""The shelf over HTTP, and a job's source against it: the ladder, and how long its plan lasts."""

from datetime import UTC, date, datetime
from typing import Any

from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.buy.growth import (
    Growth,
    Reading,
    RowLasting,
    comfortable_up_to,
    day_of,
    growths_of,
    lasting_rows,
    readings_of,
    typed,
)
from ...core.buy.shelf import Circumstances, ShelfDisk, currencies, look, usual_shelf
from ...core.disk.usual_sizes import label_of, shelf_disks
from ...core.errors import BadOption, YlemorphError
from ...core.fit.layout import Prepared
from ...core.fit.rows import Row
from ...core.job.state import JobState
from ...formats.own.ladder import ladder_to_data, lasting_to_data, says
from ...formats.own.shelf import read_shelf, shelf_disk_from, shelf_disk_to_texts, shelf_to_csv
from ...store import jobs, shelf, surveys
from ...store.shelf import Shelf, ShelfConflict
from ..edge.db import connection
from ..edge.problems import answer, problem_data
from ..models import JobPath, Problem
from .models import LadderModel, LadderQuery, LastingModel, ShelfIn, ShelfModel

tag = Tag(name="shelf")
api = APIBlueprint("shelf", __name__, url_prefix="/api", abp_tags=[tag], abp_responses={404: Problem, 422: Problem})


def on_conflict(error: ShelfConflict) -> Response:
    return answer(problem_data(error, 409))


@api.get("/shelf", responses={200: ShelfModel})
def read_own() -> Response:
    """The usual nominal sizes with their sectors (rule 1.3), and the workshop's shelf."""
    return _answer(shelf.read(connection()))


@api.put("/shelf", responses={200: ShelfModel})
def write_own(body: ShelfIn) -> Response:
    """Write the shelf as a whole, from cells or from CSV."""
    if (body.disks is None) == (body.csv is None):
        raise BadOption("give either disks or csv", at="disks", mend="send one of the two")
    if body.csv is not None:
        made = read_shelf(body.csv)
    else:
        made = [_disk(texts.model_dump(), place) for place, texts in enumerate(body.disks or [])]
    return _answer(shelf.write(connection(), made, body.version))


def _disk(texts: dict[str, str], place: int) -> ShelfDisk:
    try:
        return shelf_disk_from(texts)
    except YlemorphError as error:
        raise BadOption(error.problem, at=f"disks[{place}].{error.at}", mend=error.mend) from None


def _answer(kept: Shelf) -> Response:
    sizes = [
        {"label": label_of(gigabytes), "sectors": disk.sectors, "size_bytes": disk.size_bytes}
        for gigabytes, disk in shelf_disks(512)
    ]
    return jsonify(
        {
            "sizes": sizes,
            "version": kept.version,
            "disks": [shelf_disk_to_texts(item) for item in kept.disks],
            "bytes": [item.disk.size_bytes for item in kept.disks],
            "currencies": currencies(kept.disks),
        }
    )


@api.get("/shelf.csv", responses={200: None})
def take_out() -> Response:
    """The workshop's shelf as CSV."""
    response = Response(shelf_to_csv(shelf.read(connection()).disks), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="shelf.csv"'
    return response


@api.get("/jobs/<int:job_id>/ladder", responses={200: LadderModel})
def read_ladder(path: JobPath, query: LadderQuery) -> Response:
    """What every usual size, or every disk of the shelf, means for the job's source under its options."""
    state = jobs.get(connection(), path.job_id).state
    if state.source_disk is None:
        raise BadOption("there is no source yet", at="source", mend="read the source first")
    sector = int(query.sector)
    items = list(shelf.read(connection()).disks) if query.shelf == "own" else usual_shelf(sector)
    slot = query.slot or state.facts.slot
    around = Circumstances(slot, state.facts.target_link, _growths(state), _since(state))
    ladder = look(state.source_disk, state.options, items, around, sector)
    data = ladder_to_data(ladder)
    for disk, offer in zip(data["disks"], ladder.offers, strict=True):
        disk |= {"says": says(offer, query.units), "time": offer.copying.text}
    return jsonify({**data, "slot": slot})


@api.get("/jobs/<int:job_id>/lasting", responses={200: LastingModel})
def read_lasting(path: JobPath) -> Response:
    """How long each row of the job's plan lasts, by what was typed or by the surveys of its disk."""
    state = jobs.get(connection(), path.job_id).state
    if state.source_disk is None:
        raise BadOption("there is no source yet", at="source", mend="read the source first")
    prepared, growths, since = Prepared(state.source_disk, state.options), _growths(state), _since(state)
    layout = prepared.on(state.target_disk) if state.target_disk is not None else None
    sizes: dict[int, int] = {}
    if layout is not None and layout.sizes is not None:
        sizes = dict(zip([row.number for row in layout.carried], layout.sizes, strict=True))
    lasting = {row.number: row for row in lasting_rows(layout, growths, since)} if layout else {}
    read = readings_of(surveys.of_disk(connection(), state.source_disk.serial))
    rows = [
        _growing(row, state, sizes.get(row.number), read.get(row.number, []), lasting.get(row.number))
        for row in prepared.carried
        if row.floors is not None and not row.is_made and row.role in ("system", "data")
    ]
    return jsonify({"since": since.isoformat(), "rows": rows})


def _growing(
    row: Row, state: JobState, grains: int | None, readings: list[Reading], lasting: RowLasting | None
) -> dict[str, Any]:
    size = None if grains is None else grains * state.options.grain_bytes
    assert row.floors is not None  # such rows alone are shown
    return {
        "number": row.number,
        "label": row.label,
        "typed_bytes": dict(state.options.growth).get(row.number),
        "readings": [{"day": reading.on.isoformat(), "used_bytes": reading.used} for reading in readings],
        "used_bytes": row.floors.carried_bytes,
        "size_bytes": size,
        "limit_bytes": None if size is None else comfortable_up_to(size, row.role, state.options.headroom),
        "lasting": lasting_to_data(lasting),
    }


def _growths(state: JobState) -> dict[int, Growth]:
    """What was typed, and for the other rows what the surveys of the same disk tell."""
    assert state.source_disk is not None  # asked before
    found = growths_of(surveys.of_disk(connection(), state.source_disk.serial))
    given: dict[int, Any] = dict(state.options.growth)
    return {**found, **{number: typed(size) for number, size in given.items()}}


def _since(state: JobState) -> date:
    """The day of the survey; today where it has none."""
    taken = state.source.taken if state.source is not None else ""
    return day_of(taken) or datetime.now(UTC).date()
