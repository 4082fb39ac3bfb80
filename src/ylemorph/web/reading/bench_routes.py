"""The simulated bench, and disks read by a path of this machine."""

from typing import Any

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.fit.findings import contents_of
from ...core.sizes import format_size
from ...formats.own.survey import SurveyModel
from ...formats.own.survey_data import fact_data, survey_to_data
from ...stand_ins.attached import Attached, Bench
from ..models import Problem
from .by_path import Readings, progress_data
from .models import BenchModel, BenchPath, PathsModel, PathText, ProgressModel, ReadingPath

tag = Tag(name="bench")
api = APIBlueprint(
    "bench", __name__, url_prefix="/api", abp_tags=[tag], abp_responses={403: Problem, 404: Problem, 422: Problem}
)


def _bench() -> Bench:
    bench: Bench = current_app.config["BENCH"]
    return bench


def _readings() -> Readings:
    readings: Readings = current_app.config["READINGS"]
    return readings


def _all_disks() -> Response:
    return jsonify({"disks": [_disk_data(attached) for attached in _bench().disks()]})


@api.get("/bench", responses={200: BenchModel})
def bench() -> Response:
    """All disks of the bench, attached or not."""
    return _all_disks()


@api.post("/bench/<key>/attach", responses={200: BenchModel})
def attach(path: BenchPath) -> Response:
    """Attach a disk."""
    _bench().attach(path.key)
    return _all_disks()


@api.post("/bench/<key>/detach", responses={200: BenchModel})
def detach(path: BenchPath) -> Response:
    """Detach a disk; attached again it is as it was shipped."""
    _bench().detach(path.key)
    return _all_disks()


@api.post("/bench/<key>/read", responses={200: SurveyModel})
def read_bench(path: BenchPath) -> Response:
    """Read an attached disk."""
    return jsonify(survey_to_data(_bench().read(path.key)))


@api.get("/readings", responses={200: PathsModel})
def folders() -> Response:
    """From which folders of this machine disks may be read."""
    return jsonify({"folders": _readings().shown})


@api.post("/readings", responses={202: ProgressModel})
def begin(body: PathText) -> Response:
    """Begin to read an image or device by its path."""
    response = jsonify(progress_data(_readings().begin(body.path)))
    response.status_code = 202
    return response


@api.get("/readings/<reading_id>", responses={200: ProgressModel})
def look(path: ReadingPath) -> Response:
    """How far a reading is."""
    return jsonify(progress_data(_readings().get(path.reading_id)))


@api.delete("/readings/<reading_id>", responses={200: ProgressModel})
def stop(path: ReadingPath) -> Response:
    """Stop a reading."""
    return jsonify(progress_data(_readings().stop(path.reading_id)))


def _disk_data(attached: Attached) -> dict[str, Any]:
    stand_in, survey = attached.stand_in, attached.survey
    size = stand_in.sectors * stand_in.sector
    return {
        "key": stand_in.key,
        "place": stand_in.place,
        "model": stand_in.model,
        "serial": stand_in.serial,
        "link": stand_in.link,
        "rotational": stand_in.rotational,
        "size_bytes": size,
        "label": format_size(size, "decimal"),
        "sector_bytes": stand_in.sector,
        "rate": stand_in.rate,
        "health": fact_data(stand_in.health) if stand_in.health else None,
        "attached": survey is not None,
        "holds": contents_of(survey.disk) if survey and survey.disk.holds_something else "",
        "same_identity": list(attached.same_identity),
    }
