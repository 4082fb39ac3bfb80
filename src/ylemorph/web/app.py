"""The application factory."""

from pathlib import Path

from flask import Flask
from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI

from .. import __version__
from . import db, guard, job_routes, pages, plans, problems
from .models import Problem

# A job carries two surveys at the most.
MAX_BODY_BYTES = 16_000_000


def create_app(store: Path, *, bound_to: str = "127.0.0.1", static: Path = pages.STATIC) -> Flask:
    """The application over the data file ``store``, for a server bound to the host ``bound_to``."""
    app = OpenAPI(
        "ylemorph",
        info=Info(title="Ylemorph", version=__version__),
        doc_prefix="/api",
        doc_url="/openapi.json",
        doc_ui=False,
        validation_error_model=Problem,
        validation_error_callback=problems.on_validation,
        static_folder=None,
    )
    app.config["MAX_CONTENT_LENGTH"] = MAX_BODY_BYTES
    app.json.sort_keys = False  # type: ignore[attr-defined]  # the default provider has it
    problems.register(app)
    guard.register(app, bound_to)
    db.register(app, store)
    app.register_api(plans.api)
    app.register_api(job_routes.api)
    app.add_url_rule("/api/openapi.json", "openapi", lambda: app.api_doc)
    pages.register(app, static)
    return app
