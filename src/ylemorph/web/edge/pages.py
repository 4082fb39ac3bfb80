"""The built front end: one page for every path outside ``/api``, its parts cached for good by their hashed names."""

from pathlib import Path

from flask import Flask, Response, send_from_directory

from .problems import wrong_address

STATIC = Path(__file__).parents[1] / "static"
NOT_BUILT = "The screens are not built yet. Run make build, then reload this page.\n"


def register(app: Flask, folder: Path = STATIC) -> None:
    def _asset(name: str) -> Response:
        response = send_from_directory(folder / "assets", name, max_age=31_536_000)
        response.cache_control.immutable = True
        return response

    def _page(path: str = "") -> Response:
        if path.startswith("api/"):
            wrong_address(f"/{path}")
        if path == "mark.svg" and (folder / path).is_file():
            return send_from_directory(folder, path, max_age=86_400)
        if not (folder / "index.html").is_file():
            return Response(NOT_BUILT, status=503, mimetype="text/plain")
        response = send_from_directory(folder, "index.html", conditional=True)
        response.headers["Cache-Control"] = "no-cache"
        return response

    # Plain rules: these are no part of the OpenAPI document.
    app.add_url_rule("/assets/<path:name>", "asset", _asset)
    app.add_url_rule("/", "page", _page)
    app.add_url_rule("/<path:path>", "page", _page)
