"""The workshop's defaults over HTTP: what a new job begins with."""

from typing import Any

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from .. import __version__
from ..core.disk.usual_sizes import nominal_disk
from ..core.errors import YlemorphError
from ..core.fit.options import Headroom, Options
from ..core.sizes import GB, format_size
from ..formats.options import options_from, options_to_data
from ..store import settings
from .db import connection
from .models import Problem, SettingsIn, SettingsModel

tag = Tag(name="settings")
api = APIBlueprint("settings", __name__, url_prefix="/api/settings", abp_tags=[tag], abp_responses={422: Problem})

# Settings that are options of a new job.
JOB_DEFAULTS = ("headroom", "headroom_system", "headroom_data", "grain")


@api.get("", responses={200: SettingsModel})
def read() -> Response:
    """The defaults of this workshop, and how the application comes."""
    return _answer()


@api.put("", responses={200: SettingsModel})
def write(body: SettingsIn) -> Response:
    """Set some of them; an empty text takes one back to how the application comes."""
    sent = body.model_dump(exclude_unset=True)
    values = {key: value.strip() or None if isinstance(value, str) else value for key, value in sent.items()}
    job = {key: values[key] for key in JOB_DEFAULTS if values.get(key) is not None}
    try:
        # Read as a job would read them, on any pair of disks: what a job could not follow is refused here.
        read_back = options_to_data(options_from(job, nominal_disk(1000 * GB), nominal_disk(1000 * GB)))
    except YlemorphError as error:
        raise type(error)(error.problem, at=error.at.removeprefix("options."), mend=error.mend) from None
    settings.write(connection(), {key: read_back.get(key) if key in JOB_DEFAULTS else values[key] for key in values})
    return _answer()


def job_defaults() -> dict[str, Any]:
    """The options that a new job begins with."""
    return {key: value for key, value in settings.read(connection()).items() if key in JOB_DEFAULTS}


def _answer() -> Response:
    kept = settings.read(connection())
    come = Headroom()
    grain = kept.get("grain", Options().grain_bytes)
    return jsonify(
        {
            "headroom": str(kept.get("headroom", come.percent)).removesuffix(".0"),
            "headroom_system": format_size(kept.get("headroom_system", come.system_bytes)),
            "headroom_data": format_size(kept.get("headroom_data", come.data_bytes)),
            "grain": format_size(grain),
            "units": kept.get("units", "binary"),
            "changed": sorted(kept),
            "folder": str(current_app.config["STORE"].parent),
            "read_from": current_app.config["READINGS"].shown,
            "version": __version__,
        }
    )
