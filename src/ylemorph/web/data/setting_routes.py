"""The workshop's defaults over HTTP: what a new job begins with."""

import contextlib

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ... import __version__
from ...core.disk.usual_sizes import nominal_disk
from ...core.errors import YlemorphError
from ...core.fit.frame import frame_of
from ...core.fit.options import OPTIONS, WORKSHOP_KEYS, OptionKind, Options
from ...core.sizes import GB, format_size
from ...formats.own.options import options_from, options_to_data
from ...store import settings
from ..edge.db import connection
from ..models import Problem, SettingsIn, SettingsModel

tag = Tag(name="settings")
api = APIBlueprint("settings", __name__, url_prefix="/api/settings", abp_tags=[tag], abp_responses={422: Problem})


@api.get("", responses={200: SettingsModel})
def read() -> Response:
    """The defaults of this workshop, and how the application comes."""
    return _answer()


@api.put("", responses={200: SettingsModel})
def write(body: SettingsIn) -> Response:
    """Set some of them; an empty text takes one back to how the application comes."""
    sent = body.model_dump(exclude_unset=True)
    values = {key: value.strip() or None if isinstance(value, str) else value for key, value in sent.items()}
    job = {key: values[key] for key in WORKSHOP_KEYS if values.get(key) is not None}
    try:
        # Read as a job would read them, on any pair of disks: what a job could not follow is refused here.
        usual = nominal_disk(1000 * GB)
        wanted = options_from(job, usual, usual)
        frame_of(usual, "gpt", wanted)
    except YlemorphError as error:
        raise type(error)(error.problem, at=error.at.removeprefix("options."), mend=error.mend) from None
    read_back = options_to_data(wanted)
    settings.write(connection(), {key: read_back.get(key) if key in WORKSHOP_KEYS else values[key] for key in values})
    return _answer()


def job_defaults() -> Options:
    """The options that a new job begins with; a default that cannot be read any more is left out."""
    kept = settings.read(connection())
    options = Options()
    for key in WORKSHOP_KEYS:
        if key in kept:
            with contextlib.suppress(YlemorphError):
                options = OPTIONS[key].put(options, OPTIONS[key].of(options_from({key: kept[key]})))
    return options


def _answer() -> Response:
    kept = settings.read(connection())
    options = job_defaults()
    return jsonify(
        {
            **{key: _shown(OPTIONS[key], options) for key in WORKSHOP_KEYS},
            "units": kept.get("units", "binary"),
            "changed": sorted(kept),
            "folder": str(current_app.config["STORE"].parent),
            "read_from": current_app.config["READINGS"].shown,
            "version": __version__,
        }
    )


def _shown(kind: OptionKind, options: Options) -> str:
    """A default as one would type it."""
    value = kind.of(options)
    return f"{value / 100:g}" if kind.kind == "percent" else format_size(value)
