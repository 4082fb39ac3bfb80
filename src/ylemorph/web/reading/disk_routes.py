"""The disks that are attached to this machine: listed and read, where that is allowed."""

from flask import Response, jsonify, request
from flask_openapi3.models.tag import Tag

from ...core.carry.times import time_range
from ...core.errors import YlemorphError
from ...core.sizes import format_size
from ...formats.own.survey_data import part_to_data
from ...formats.own.wire import model_of
from ...usecases.readings import OneDisk
from ..edge.addresses import is_loopback
from ..edge.blueprint import Routes
from ..edge.identity import asker
from ..edge.problems import problems
from ..edge.rights import may
from ..edge.services import services
from .bench_routes import progress_data
from .models import BenchPath, ProgressModel, ReadAsked, RealDiskModel, RealDisksModel

tag = Tag(name="disks")
api = Routes("disks", __name__, url_prefix="/api/disks", abp_tags=[tag], abp_responses=problems(403, 404, 422))


def _is_here() -> bool:
    return is_loopback(request.remote_addr or "")


@api.get("", responses={200: model_of(RealDisksModel)})
def disks() -> Response:
    """The disks of this machine, as its system lists them now."""
    real, shown = services().shop.disks, RealDisksModel(allowed=False, disks=[], trouble="")
    person = asker()
    if real.open_to(here=_is_here()) and (person is None or may(person.role, "workshop")):
        try:
            shown = {"allowed": True, "disks": [_disk_data(one) for one in real.disks()], "trouble": ""}
        except YlemorphError as error:
            shown = {"allowed": True, "disks": [], "trouble": error.sentence()}
    return jsonify(shown)


@api.post("/<key>/read", responses={202: model_of(ProgressModel)})
def read(path: BenchPath, body: ReadAsked) -> Response:
    """Begin to read one of them; one that is in use only when that is said."""
    real = services().shop.disks
    real.check(here=_is_here())
    response = jsonify(progress_data(real.begin(path.key, although_in_use=body.although_in_use)))
    response.status_code = 202
    return response


def _disk_data(one: OneDisk) -> RealDiskModel:
    real, disk = one.real, one.real.disk
    return {
        "key": real.key,
        "path": real.path,
        "place": real.place,
        "model": disk.model,
        "serial": disk.serial,
        "link": disk.link,
        "rotational": disk.rotational,
        "size_bytes": disk.size_bytes,
        "label": format_size(disk.size_bytes, "decimal"),
        "sector_bytes": disk.logical_sector_bytes,
        "health": part_to_data(disk.health) if disk.health else None,
        "holds": real.holds,
        "uses": list(real.uses),
        "cannot": one.cannot,
        "alike": list(one.alike),
        "takes": time_range(one.seconds),
    }
