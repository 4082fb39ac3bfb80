"""Every error as ``application/problem+json`` (RFC 9457); nothing of the inside gets out."""

import contextlib
import json
import logging
import shutil
import sqlite3
from http import HTTPStatus
from typing import Any, NoReturn

from flask import Flask, Response, current_app, request
from pydantic import BaseModel, ValidationError
from werkzeug.exceptions import HTTPException, MethodNotAllowed
from werkzeug.exceptions import NotFound as NotFoundHere

from ...core.errors import OutOfBounds, YlemorphError
from ...formats.own.survey import first_problem
from ...formats.own.wire import model_of
from ...stand_ins.attached import NotAttached
from ...usecases.readings import NotAllowed
from ...usecases.workshop import LEAST_ROOM, Gone, NotFound
from ..models import Problem
from .limits import MB, most_bytes
from .log import request_id
from .services import services

_LOG = logging.getLogger(__name__)


def problem_data(error: YlemorphError, status: int = 422) -> Problem:
    bound = error.bound_bytes if isinstance(error, OutOfBounds) else None
    return {
        "type": "about:blank",
        "title": TITLES[status],
        "status": status,
        "detail": error.problem[:1].upper() + error.problem[1:],
        "at": error.at,
        "mend": error.mend,
        "bound_bytes": bound,
    }


def problems(*statuses: int) -> dict[str | int | HTTPStatus, type[BaseModel] | dict[Any, Any] | None]:
    """What the routes of a resource can answer with beside what they give."""
    return dict.fromkeys(statuses, model_of(Problem))


TITLES = {
    400: "The request cannot be read",
    401: "Not signed in",
    403: "Not allowed",
    404: "Not found",
    405: "Not possible here",
    409: "Changed meanwhile",
    412: "Changed meanwhile",
    413: "Too large",
    415: "Wrong kind of content",
    422: "This cannot be used",
    428: "The version is missing",
    429: "Too often",
    500: "Something went wrong here",
    503: "Busy",
    507: "Nothing was saved",
}


def answer(data: Problem) -> Response:
    text = json.dumps(data, ensure_ascii=False).encode("utf-8", "replace")
    return Response(text, status=data["status"], mimetype="application/problem+json")


def on_validation(error: ValidationError) -> Response:
    return answer(problem_data(first_problem(error)))


# What the data file's errors mean, by a word in them: the sentence, what to do, and the status.
_STORE_TROUBLES = (
    ("locked", "another program is using the data file", "try again", 503),
    ("full", "there is no room on this disk", "free some space, then try again", 507),
    ("readonly", "the data file may only be read", "give this program the right to write it", 507),
    ("disk i/o", "the disk does not take what is written", "see whether it is full or failing, then try again", 507),
    ("unable to open", "the data file is gone", "put it back, or stop the program and put a copy back", 507),
    ("malformed", "the data file is damaged", "stop the program and go back to a copy of the file", 507),
    ("not a database", "the data file is damaged", "stop the program and go back to a copy of the file", 507),
    ("constraint", "this contradicts what is kept already", "load the page again and make the change anew", 409),
)


def _no_room() -> bool:
    """On a full disk the database may report a failed write of another of its files only."""
    with contextlib.suppress(OSError):
        return shutil.disk_usage(services().shop.store.parent).free < LEAST_ROOM
    return False


def _store_trouble(text: str) -> tuple[str, str, int]:
    for word, problem, mend, status in _STORE_TROUBLES:
        if word in text:
            return problem, mend, status
    return "the data file could not be used", "check the data folder, then try again", 507


METHODS = ("GET", "POST", "PUT", "PATCH", "DELETE")


def methods_of(path: str) -> list[str]:
    """The methods under which an address of the API is known; the page's own rule takes every address and is none."""
    adapter, known = current_app.url_map.bind("localhost"), []
    for method in METHODS:
        with contextlib.suppress(HTTPException):
            if adapter.match(path, method=method)[0] != "page":
                known.append(method)
    return [*known, "HEAD"] if "GET" in known else known


def wrong_address(path: str) -> NoReturn:
    """405 where the address is known under other methods, else 404."""
    known = methods_of(path)
    raise MethodNotAllowed(valid_methods=known) if known else NotFoundHere()


def register(app: Flask) -> None:
    """Map every kind of failure to one JSON shape."""

    @app.errorhandler(NotFound)
    def _not_found(error: NotFound) -> Response:
        return answer(problem_data(error, 404))

    @app.errorhandler(NotAllowed)
    def _not_allowed(error: NotAllowed) -> Response:
        return answer(problem_data(error, 403))

    @app.errorhandler(NotAttached)
    def _not_attached(error: NotAttached) -> Response:
        return answer(problem_data(error, 404))

    @app.errorhandler(Gone)
    def _gone(error: Gone) -> Response:
        return answer(problem_data(error, 507))

    @app.errorhandler(YlemorphError)
    def _unusable(error: YlemorphError) -> Response:
        return answer(problem_data(error))

    @app.errorhandler(sqlite3.Error)
    def _store(error: sqlite3.Error) -> Response:
        _LOG.error("store: %s", error, extra={"request": request_id()})
        problem, mend, status = _store_trouble("full" if _no_room() else str(error).lower())
        return answer(problem_data(YlemorphError(problem, mend=mend), status))

    @app.errorhandler(RecursionError)
    def _too_deep(_error: RecursionError) -> Response:
        return answer(problem_data(YlemorphError("it is nested too deeply", mend="send what the page sends"), 422))

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        if isinstance(error, MethodNotAllowed) and not methods_of(request.path):
            error = NotFoundHere()
        status = error.code or 500
        if isinstance(error.response, Response):
            return error.response
        limit = most_bytes(request.path) / MB
        mends = {
            400: "send JSON",
            404: "check the address",
            413: f"send at most {limit:g} MB",
            415: "send application/json",
        }
        wrong = YlemorphError(TITLES.get(status, error.name).lower(), mend=mends.get(status, "check the request"))
        response = answer({**problem_data(wrong, 422), "status": status, "title": TITLES.get(status, error.name)})
        if isinstance(error, MethodNotAllowed) and error.valid_methods:
            response.headers["Allow"] = ", ".join(sorted(methods_of(request.path)))
        return response

    @app.errorhandler(Exception)
    def _unforeseen(error: Exception) -> Response:
        _LOG.error("unforeseen", exc_info=error, extra={"request": request_id()})
        wrong = YlemorphError(
            f"this should not have happened; the log of the program has it under {request_id()}", mend="try again"
        )
        return answer(problem_data(wrong, 500))
