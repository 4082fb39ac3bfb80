"""A line of JSON for each request: its id, rule, status and time. No name of a person, customer or disk stands in it:
the rule is written, never the address with what was typed into it."""

import json
import logging
import secrets
import sys
import time
from datetime import UTC, datetime

from flask import Flask, Response, g, request

from ...usecases.people import Person

_LOG = logging.getLogger("ylemorph.requests")
_SECURITY = logging.getLogger("ylemorph.security")
_FIELDS = ("request", "event", "person", "address", "about", "method", "rule", "status", "ms", "bytes")


class JsonLines(logging.Formatter):
    """A record as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        data = {"at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds")}
        data |= {"level": record.levelname.lower(), "says": record.getMessage()}
        data |= {name: getattr(record, name) for name in _FIELDS if hasattr(record, name)}
        if record.exc_info:
            data["trace"] = self.formatException(record.exc_info)
        return json.dumps(data, ensure_ascii=False)


def write_lines(*, requests: bool, security: bool) -> None:
    """Send the program's log to standard error; lines of single requests only where wanted."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonLines())
    root = logging.getLogger("ylemorph")
    root.handlers = [handler]
    root.propagate = False
    _LOG.setLevel(logging.INFO if requests else logging.WARNING)
    _SECURITY.setLevel(logging.INFO if security else logging.WARNING)


def note(event: str, person: Person | None = None, **about: str | int) -> None:
    """One line for what somebody who looks after the server wants to know: who (by number) did what from where."""
    _SECURITY.info(
        "security",
        extra={
            "request": request_id(),
            "event": event,
            "person": person.id if person else None,
            "address": request.remote_addr or "",
            "about": about,
        },
    )


def request_id() -> str:
    """The id of this request, which its answer carries and its lines in the log begin with."""
    if "request_id" not in g:
        g.request_id = secrets.token_hex(4)
    made: str = g.request_id
    return made


def register(app: Flask) -> None:
    @app.before_request
    def _begin() -> None:
        g.begun = time.perf_counter()

    @app.after_request
    def _end(response: Response) -> Response:
        response.headers["X-Request-Id"] = request_id()
        begun = g.get("begun", time.perf_counter())
        _LOG.info(
            "request",
            extra={
                "request": request_id(),
                "method": request.method,
                "rule": request.url_rule.rule if request.url_rule else "",
                "status": response.status_code,
                "ms": round((time.perf_counter() - begun) * 1000, 1),
                "bytes": response.content_length,
            },
        )
        return response
