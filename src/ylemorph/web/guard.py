"""Who may talk to this server, and what a page of it may load."""

import ipaddress
from urllib.parse import urlsplit

from flask import Flask, Response, abort, current_app, request

from ..core.errors import YlemorphError
from .problems import answer, problem_data

# Ant Design Vue writes its component styles into <style> elements at run time, so styles alone are allowed inline.
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
EVERY_ADDRESS = ("0.0.0.0", "::")  # noqa: S104  # compared with, never bound to
LOCAL_NAMES = frozenset(("localhost", "127.0.0.1", "::1"))


def register(app: Flask, bound_to: str) -> None:
    """Refuse foreign Host and Origin headers (a page elsewhere must not reach this server), and set the headers."""

    @app.before_request
    def _check_host() -> Response | None:
        if not _is_ours(request.host, bound_to):
            return _refused(f"the host {request.host[:60]!r} is not this server", "open it as http://127.0.0.1")
        origin = request.headers.get("Origin")
        if origin is not None and _netloc(origin) != request.host:
            return _refused("the request comes from another site", "open the application itself")
        return None

    @app.before_request
    def _check_json() -> Response | None:
        if request.method in ("POST", "PATCH", "PUT") and request.content_length:
            if request.content_length > current_app.config["MAX_CONTENT_LENGTH"]:
                abort(413)
            if not request.is_json:
                return answer(problem_data(YlemorphError("the body must be JSON", mend="send application/json"), 415))
            if _json_or_none() is None:
                return answer(problem_data(YlemorphError("the body is not JSON", mend="send a JSON object"), 400))
        return None

    @app.after_request
    def _set_headers(response: Response) -> Response:
        response.headers.extend(HEADERS)
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"
        return response


def _netloc(origin: str) -> str:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def _json_or_none() -> object:
    """The body's JSON; None where it is none, or nested deeper than can be read."""
    try:
        return request.get_json(silent=True)
    except RecursionError:
        return None


def _is_ours(host: str, bound_to: str) -> bool:
    try:
        name = urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return False
    if name in LOCAL_NAMES or name == bound_to:
        return True
    # Bound to every address: numbers are fine, names could be re-pointed by somebody else.
    return bound_to in EVERY_ADDRESS and _is_address(name)


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True


def _refused(problem: str, mend: str) -> Response:
    return answer(problem_data(YlemorphError(problem, mend=mend), 403))
