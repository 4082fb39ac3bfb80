"""Surveys from listings and from typed rows; nothing is kept here."""

import base64
import binascii

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.errors import BadSurvey
from ...formats.listings.reading import LISTINGS, Recognised, read_any
from ...formats.listings.typed_rows import TypedRow, typed_disk
from ...formats.own.survey_data import survey_to_data
from ...formats.own.wire import model_of
from ...usecases.collecting import Joined, joined
from ..edge.blueprint import Routes
from ..edge.problems import problems
from .models import CommandsModel, ListingText, ReadingModel, TypedTable

tag = Tag(name="surveys")
api = Routes("surveys", __name__, url_prefix="/api/surveys", abp_tags=[tag], abp_responses=problems(422))


@api.post("/read", responses={200: model_of(ReadingModel)})
def read(body: ListingText) -> Response:
    """Recognise a listing and give its disks; with ``onto``, the survey with what the listing adds to it."""
    reading = read_any(_bytes(body), size=body.size, table=body.table)
    return jsonify(reading_data(joined(body.onto.to_core(), reading) if body.onto is not None else Joined(reading)))


@api.post("/typed", responses={200: model_of(ReadingModel)})
def typed(body: TypedTable) -> Response:
    """A disk from rows of which size and used space are enough."""
    rows = [TypedRow(**row.model_dump()) for row in body.rows]
    made = typed_disk(rows, size=body.size, table=body.table, bare=body.bare)
    return jsonify(reading_data(Joined(Recognised("typed", (made,))), [p.role or "" for p in made.survey.disk.rows]))


@api.get("/commands", responses={200: model_of(CommandsModel)})
def commands() -> Response:
    """The one command that writes a listing, for each system."""
    shown = [(listing.where, listing.command) for listing in LISTINGS if listing.command]
    lines: CommandsModel = {"commands": [{"where": where, "command": command} for where, command in shown]}
    return jsonify(lines)


def _bytes(body: ListingText) -> bytes | str:
    if body.data is None:
        return body.text or ""
    try:
        return base64.b64decode(body.data, validate=True)
    except (binascii.Error, ValueError):
        raise BadSurvey("the file's bytes are not base64", at="data", mend="send them as base64") from None


def reading_data(joined: Joined, roles: list[str] | None = None) -> ReadingModel:
    reading = joined.reading
    return {
        "form": reading.form,
        "found": [
            {"name": item.name, "survey": survey_to_data(item.survey), "missing": list(item.missing)}
            for item in reading.found
        ],
        "unreadable": [f"{item.name}: {item.error.sentence()}" for item in reading.unreadable],
        "conflicts": list(joined.conflicts),
        "roles": roles or [],
    }
