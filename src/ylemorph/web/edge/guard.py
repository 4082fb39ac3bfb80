"""Who may talk to this server, and what a page of it may load."""

import ipaddress
from urllib.parse import urlsplit

from flask import Flask, Response, abort, request

from ...core.errors import YlemorphError
from .limits import has_too_many_values, is_too_deep, most_bytes
from .problems import answer, methods_of, problem_data

# Ant Design Vue writes its component styles into <style> elements at run time, so styles alone are allowed inline.
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; worker-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
HSTS_SECONDS = 30 * 86_400
EVERY_ADDRESS = ("0.0.0.0", "::")  # noqa: S104  # compared with, never bound to
OPEN_IT = "open it as http://127.0.0.1"
# What a browser says of a request's origin: our own pages, or the address bar. Another site is "cross-site".
OWN_SITES = ("same-origin", "none")
OVERRIDES = ("X-HTTP-Method-Override", "X-HTTP-Method", "X-Method-Override")
LOCAL_NAMES = frozenset(("localhost", "127.0.0.1", "::1"))


def register(app: Flask, bound_to: str, names: frozenset[str] = frozenset()) -> None:
    """Refuse foreign Host and Origin headers (a page elsewhere must not reach this server), and set the headers.

    ``names``: host names under which this server may be asked, beside its own.
    """
    ours = frozenset(name.casefold() for name in names) | LOCAL_NAMES | {bound_to.casefold()}

    @app.before_request
    def _check_host() -> Response | None:
        if not _is_ours(request.host, ours):
            mend = "open it by its number, or start it with --name" if bound_to in EVERY_ADDRESS else OPEN_IT
            return _refused(f"the host {request.host[:60]!r} is not this server", mend)
        origin = request.headers.get("Origin")
        if origin is not None and _netloc(origin) != request.host:
            return _refused("the request comes from another site", "open the application itself")
        if request.path.startswith("/api/") and request.headers.get("Sec-Fetch-Site", "none") not in OWN_SITES:
            return _refused("the request comes from another site", "open the application itself")
        if any(request.headers.get(name) for name in OVERRIDES):
            return _refused("a request is taken under its own method", "send it under the method that is meant")
        return None

    @app.after_request
    def _set_headers(response: Response) -> Response:
        response.headers.extend(HEADERS)
        if request.is_secure:
            response.headers["Strict-Transport-Security"] = f"max-age={HSTS_SECONDS}"
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"
            if request.method == "OPTIONS" and response.status_code < 400:
                response.headers["Allow"] = ", ".join(sorted({*methods_of(request.path), "OPTIONS"}))
        return response


def register_bodies(app: Flask) -> None:
    """Look at bodies, once it is known who asks and that they may: a body is what costs."""

    @app.before_request
    def _check_json() -> Response | None:
        if request.method not in ("POST", "PATCH", "PUT") or not request.content_length:
            return None
        if request.content_length > most_bytes(request.path):
            abort(413)
        if request.path.startswith("/collect/"):
            return None  # a listing is no JSON, and is read once it is known that its code is one
        if not request.is_json:
            return answer(problem_data(YlemorphError("the body must be JSON", mend="send application/json"), 415))
        if has_too_many_values(request.get_data()):
            return answer(problem_data(YlemorphError("there is too much in it", mend="send it in parts"), 413))
        if _json_or_none() is None:
            return answer(problem_data(YlemorphError("the body is not JSON", mend="send a JSON object"), 400))
        return None


def _netloc(origin: str) -> str:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def _json_or_none() -> object:
    """The body's JSON; None where it is none, or nested deeper than can be read."""
    try:
        value = request.get_json(silent=True)
    except RecursionError:
        return None
    return None if is_too_deep(value) else value


def _is_ours(host: str, ours: frozenset[str]) -> bool:
    try:
        parts = urlsplit(f"//{host}")
        name, _ = parts.hostname or "", parts.port
    except ValueError:
        return False
    if name.casefold() in ours:
        return True
    # Bound to every address: numbers are fine, names could be re-pointed by somebody else.
    return bool(ours.intersection(EVERY_ADDRESS)) and _is_address(name)


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True


def _refused(problem: str, mend: str) -> Response:
    return answer(problem_data(YlemorphError(problem, mend=mend), 403))
