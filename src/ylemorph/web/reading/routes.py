"""Surveys from listings and from typed rows; nothing is kept here."""

import base64
import binascii
from typing import Any

from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.disk.listing import Listed, merge
from ...core.disk.model import Survey
from ...core.errors import BadSurvey, YlemorphError
from ...formats.listings.reading import LISTINGS, Recognised, read_any
from ...formats.listings.typed_rows import TypedRow, typed_disk
from ...formats.own.survey_data import survey_to_data
from ..models import Problem
from .models import CommandsModel, ListingText, ReadingModel, TypedTable

tag = Tag(name="surveys")
api = APIBlueprint("surveys", __name__, url_prefix="/api/surveys", abp_tags=[tag], abp_responses={422: Problem})


@api.post("/read", responses={200: ReadingModel})
def read(body: ListingText) -> Response:
    """Recognise a listing and give its disks; with ``onto``, the survey with what the listing adds to it."""
    reading = read_any(_bytes(body), size=body.size, table=body.table)
    conflicts: tuple[str, ...] = ()
    if body.onto is not None:
        reading, conflicts = _added(body.onto.to_core(), reading)
    return jsonify(reading_data(reading, conflicts))


@api.post("/typed", responses={200: ReadingModel})
def typed(body: TypedTable) -> Response:
    """A disk from rows of which size and used space are enough."""
    rows = [TypedRow(**row.model_dump()) for row in body.rows]
    made = typed_disk(rows, size=body.size, table=body.table, bare=body.bare)
    return jsonify(reading_data(Recognised("typed", (made,)), (), [p.role or "" for p in made.survey.disk.rows]))


@api.get("/commands", responses={200: CommandsModel})
def commands() -> Response:
    """The one command that writes a listing, for each system."""
    shown = [(listing.where, listing.command) for listing in LISTINGS if listing.command]
    return jsonify({"commands": [{"where": where, "command": command} for where, command in shown]})


def _bytes(body: ListingText) -> bytes | str:
    if body.data is None:
        return body.text or ""
    try:
        return base64.b64decode(body.data, validate=True)
    except (binascii.Error, ValueError):
        raise BadSurvey("the file's bytes are not base64", at="data", mend="send them as base64") from None


def _added(survey: Survey, reading: Recognised) -> tuple[Recognised, tuple[str, ...]]:
    """The one disk of the listing that is the surveyed one, merged into it."""
    merged, trouble = [], None
    for item in reading.found:
        try:
            merged.append(merge(survey, item.survey))
        except YlemorphError as error:
            trouble = error
    if not merged:
        raise trouble or BadSurvey("there is no disk in it", mend="take the listing again")
    if len(merged) > 1:
        raise BadSurvey(f"{len(merged)} disks of the listing could be this one", mend="take the listing of one disk")
    found = Listed(survey.disk.model, merged[0].survey, ())
    return Recognised(reading.form, (found,)), merged[0].conflicts


def added_to(source: Survey | None, reading: Recognised) -> tuple[Recognised, tuple[str, ...]]:
    """The reading joined with what is known of a job's source, or as it is where it is of another disk."""
    if source is None:
        return reading, ()
    try:
        return _added(source, reading)
    except YlemorphError:
        return reading, ()


def reading_data(reading: Recognised, conflicts: tuple[str, ...], roles: list[str] | None = None) -> dict[str, Any]:
    return {
        "form": reading.form,
        "found": [
            {"name": item.name, "survey": survey_to_data(item.survey), "missing": list(item.missing)}
            for item in reading.found
        ],
        "unreadable": [f"{item.name}: {item.error.sentence()}" for item in reading.unreadable],
        "conflicts": list(conflicts),
        "roles": roles or [],
    }
