"""The simulated bench, and disks read by a path of this machine."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.fit.findings import contents_of
from ...core.sizes import format_size
from ...formats.own.survey import SurveyModel
from ...formats.own.survey_data import part_to_data, survey_to_data
from ...formats.own.wire import model_of
from ...stand_ins.attached import Attached
from ...usecases.readings import DiskRead
from ..edge.blueprint import Routes
from ..edge.problems import problems
from ..edge.services import services
from .models import BenchDisk, BenchModel, BenchPath, PathsModel, PathText, ProgressModel, ReadingPath

tag = Tag(name="bench")
api = Routes(
    "bench",
    __name__,
    url_prefix="/api",
    abp_tags=[tag],
    abp_responses=problems(403, 404, 422),
)


def _all_disks() -> Response:
    shown: BenchModel = {"disks": [_disk_data(attached) for attached in services().shop.bench.disks()]}
    return jsonify(shown)


@api.get("/bench", responses={200: model_of(BenchModel)})
def bench() -> Response:
    """All disks of the bench, attached or not."""
    return _all_disks()


@api.post("/bench/<key>/attach", responses={200: model_of(BenchModel)})
def attach(path: BenchPath) -> Response:
    """Attach a disk."""
    services().shop.bench.attach(path.key)
    return _all_disks()


@api.post("/bench/<key>/detach", responses={200: model_of(BenchModel)})
def detach(path: BenchPath) -> Response:
    """Detach a disk; attached again it is as it was shipped."""
    services().shop.bench.detach(path.key)
    return _all_disks()


@api.post("/bench/<key>/read", responses={200: SurveyModel})
def read_bench(path: BenchPath) -> Response:
    """Read an attached disk."""
    return jsonify(survey_to_data(services().shop.bench.read(path.key)))


@api.get("/readings", responses={200: model_of(PathsModel)})
def folders() -> Response:
    """From which folders of this machine disks may be read."""
    shown: PathsModel = {"folders": services().shop.readings.shown}
    return jsonify(shown)


@api.post("/readings", responses={202: model_of(ProgressModel)})
def begin(body: PathText) -> Response:
    """Begin to read an image or device by its path."""
    response = jsonify(progress_data(services().shop.readings.begin(body.path)))
    response.status_code = 202
    return response


@api.get("/readings/<reading_id>", responses={200: model_of(ProgressModel)})
def look(path: ReadingPath) -> Response:
    """How far a reading is."""
    return jsonify(progress_data(services().shop.readings.get(path.reading_id)))


@api.delete("/readings/<reading_id>", responses={200: model_of(ProgressModel)})
def stop(path: ReadingPath) -> Response:
    """Stop a reading."""
    return jsonify(progress_data(services().shop.readings.stop(path.reading_id)))


def _disk_data(attached: Attached) -> BenchDisk:
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
        "health": part_to_data(stand_in.health) if stand_in.health else None,
        "attached": survey is not None,
        "holds": contents_of(survey.disk) if survey else "",
        "same_identity": list(attached.same_identity),
    }


def progress_data(reading: DiskRead) -> ProgressModel:
    return {
        "id": reading.id,
        "path": reading.path,
        "state": reading.state,
        "done_bytes": reading.done,
        "total_bytes": reading.total,
        "survey": survey_to_data(reading.survey) if reading.survey else None,
        "trouble": reading.trouble,
    }
