"""The application factory."""

from pathlib import Path

from flask import Flask
from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI

from .. import __version__
from ..formats.own.wire import model_of
from ..usecases.jobs import Conflict
from ..usecases.readings import DisksFor
from ..usecases.shelf import ShelfConflict
from ..usecases.workshop import Workshop
from .buy import routes as shelf_routes
from .carry import routes as carry_routes
from .check import routes as check_routes
from .data import routes as data_routes
from .data import setting_routes
from .edge import guard, identity, live_routes, log, pages, problems, services
from .edge.blueprint import described
from .edge.certificates import Certificate
from .edge.limits import MAX_BODY_BYTES
from .edge.openapi import finished
from .edge.services import Services
from .fleet import routes as fleet_routes
from .jobs import compare_routes
from .jobs import plan_routes as plans
from .jobs import routes as job_routes
from .models import Problem
from .people import routes as people_routes
from .reading import bench_routes, collect_routes, disk_routes
from .reading import routes as survey_routes


def create_app(
    store: Path,
    *,
    bound_to: str = "127.0.0.1",
    static: Path = pages.STATIC,
    read_from: tuple[Path, ...] = (),
    disks: DisksFor = "nobody",
    network: bool = False,
    names: frozenset[str] = frozenset(),
    certificate: Certificate | None = None,
) -> Flask:
    """The application over the data file ``store``, for a server bound to the host ``bound_to``.

    Disks may be read by path from the folders ``read_from``; from none unless they are given; those attached to this
    machine by those whom ``disks`` names. With ``network`` people
    sign in; ``names`` are host names under which the server may be asked beside its own. ``certificate``: the one under
    which it is reached, where it is encrypted.
    """
    app = OpenAPI(
        "ylemorph",
        info=Info(title="Ylemorph", version=__version__),
        doc_prefix="/api",
        doc_url="/openapi.json",
        doc_ui=False,
        validation_error_model=model_of(Problem),
        validation_error_callback=problems.on_validation,
        static_folder=None,
    )
    made = Services(Workshop.over(store, read_from, disks), network, bound_to, certificate)
    services.register(app, made)
    app.config["MAX_CONTENT_LENGTH"] = MAX_BODY_BYTES
    app.json.sort_keys = False  # type: ignore[attr-defined]  # the default provider has it
    problems.register(app)
    app.register_error_handler(Conflict, job_routes.on_conflict)
    app.register_error_handler(ShelfConflict, shelf_routes.on_conflict)
    log.register(app)
    guard.register(app, bound_to, names)
    identity.register(app, network=network)
    guard.register_bodies(app)
    live_routes.register(app)
    collect_routes.register(app)
    app.register_api(plans.api)
    app.register_api(survey_routes.api)
    app.register_api(bench_routes.api)
    app.register_api(disk_routes.api)
    app.register_api(setting_routes.api)
    app.register_api(compare_routes.api)
    app.register_api(carry_routes.api)
    app.register_api(check_routes.api)
    app.register_api(job_routes.api)
    app.register_api(shelf_routes.api)
    app.register_api(fleet_routes.api)
    app.register_api(data_routes.api)
    app.register_api(people_routes.api)
    app.register_api(collect_routes.api)
    app.register_api(live_routes.api)
    app.add_url_rule("/api/openapi.json", "openapi", lambda: finished(described(app), problems.TITLES))
    pages.register(app, static)
    return app
