"""Every error as ``application/problem+json`` (RFC 9457); nothing of the inside gets out."""

import json
import logging
import secrets
import sqlite3
from typing import Any

from flask import Flask, Response, current_app
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from ..bench.bench import NotAttached
from ..core.errors import OutOfBounds, YlemorphError
from ..formats.survey import first_problem
from ..store.database import NotFound
from ..store.jobs import Conflict
from .readings import NotAllowed

_LOG = logging.getLogger(__name__)


def problem_data(error: YlemorphError, status: int = 422) -> dict[str, Any]:
    bound = error.bound_bytes if isinstance(error, OutOfBounds) else None
    return {
        "type": "about:blank",
        "title": _TITLES[status],
        "status": status,
        "detail": error.problem[:1].upper() + error.problem[1:],
        "at": error.at,
        "mend": error.mend,
        "bound_bytes": bound,
    }


_TITLES = {
    400: "The request cannot be read",
    403: "Not allowed",
    404: "Not found",
    405: "Not possible here",
    409: "Changed meanwhile",
    412: "Changed meanwhile",
    413: "Too large",
    415: "Wrong kind of content",
    422: "This cannot be used",
    428: "The version is missing",
    500: "Something went wrong here",
    503: "Busy",
    507: "Nothing was saved",
}


def answer(data: dict[str, Any]) -> Response:
    return Response(json.dumps(data, ensure_ascii=False), status=data["status"], mimetype="application/problem+json")


def on_validation(error: ValidationError) -> Response:
    return answer(problem_data(first_problem(error)))


def register(app: Flask) -> None:
    """Map every kind of failure to one JSON shape."""

    @app.errorhandler(Conflict)
    def _conflict(error: Conflict) -> Response:
        from .views import job_data

        return answer({**problem_data(error, 409), "job": job_data(error.job)})

    @app.errorhandler(NotFound)
    def _not_found(error: NotFound) -> Response:
        return answer(problem_data(error, 404))

    @app.errorhandler(NotAllowed)
    def _not_allowed(error: NotAllowed) -> Response:
        return answer(problem_data(error, 403))

    @app.errorhandler(NotAttached)
    def _not_attached(error: NotAttached) -> Response:
        return answer(problem_data(error, 404))

    @app.errorhandler(YlemorphError)
    def _unusable(error: YlemorphError) -> Response:
        return answer(problem_data(error))

    @app.errorhandler(sqlite3.Error)
    def _store(error: sqlite3.Error) -> Response:
        _LOG.error("store: %s", error)
        busy = "locked" in str(error)
        mend = "try again" if busy else "free some space on this disk or check the data folder, then try again"
        said = YlemorphError(
            "another program is using the data file" if busy else "the data file could not be used", mend=mend
        )
        return answer(problem_data(said, 503 if busy else 507))

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        status = error.code or 500
        if isinstance(error.response, Response):
            return error.response
        limit = current_app.config["MAX_CONTENT_LENGTH"] // 1_000_000
        mends = {
            400: "send JSON",
            404: "check the address",
            413: f"send at most {limit} MB",
            415: "send application/json",
        }
        said = YlemorphError(_TITLES.get(status, error.name).lower(), mend=mends.get(status, "check the request"))
        return answer({**problem_data(said, 422), "status": status, "title": _TITLES.get(status, error.name)})

    @app.errorhandler(Exception)
    def _unforeseen(error: Exception) -> Response:
        log_id = secrets.token_hex(4)
        _LOG.error("unforeseen %s", log_id, exc_info=error)
        said = YlemorphError(
            f"this should not have happened; the log of the program has it under {log_id}", mend="try again"
        )
        return answer(problem_data(said, 500))
