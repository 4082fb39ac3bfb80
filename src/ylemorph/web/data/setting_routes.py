"""The workshop's defaults over HTTP: what a new job begins with."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ... import __version__
from ...core.fit.options import OPTIONS, Options
from ...core.sizes import format_size
from ...formats.own.wire import model_of
from ...usecases import settings
from ..edge.blueprint import Routes
from ..edge.problems import problems
from ..edge.services import connection, services
from ..models import SettingsIn, SettingsModel

tag = Tag(name="settings")
api = Routes("settings", __name__, url_prefix="/api/settings", abp_tags=[tag], abp_responses=problems(422))


@api.get("", responses={200: model_of(SettingsModel)})
def read() -> Response:
    """The defaults of this workshop, and how the application comes."""
    return _answer()


@api.put("", responses={200: model_of(SettingsModel)})
def write(body: SettingsIn) -> Response:
    """Set some of them; an empty text takes one back to how the application comes."""
    settings.write(connection(), body.model_dump(exclude_unset=True))
    return _answer()


def _answer() -> Response:
    kept = settings.read(connection())
    options = settings.job_defaults(connection())
    shown: SettingsModel = {
        "headroom": _shown("headroom", options),
        "headroom_system": _shown("headroom_system", options),
        "headroom_data": _shown("headroom_data", options),
        "grain": _shown("grain", options),
        "units": "decimal" if kept.get("units") == "decimal" else "binary",
        "changed": sorted(kept),
        "folder": str(services().shop.store.parent),
        "read_from": services().shop.readings.shown,
        "version": __version__,
    }
    return jsonify(shown)


def _shown(key: str, options: Options) -> str:
    """A default as one would type it."""
    kind = OPTIONS[key]
    value = kind.of(options)
    return f"{value / 100:g}" if kind.kind == "percent" else format_size(value)
