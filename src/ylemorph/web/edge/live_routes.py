"""The stream of changes, and who has what open. Every write that went well is told to all windows."""

import re
from typing import Annotated

from flask import Flask, Response, request
from flask_openapi3.models.tag import Tag
from pydantic import Field

from ...usecases import people
from ...usecases.people import Session
from ..models import _In
from .blueprint import Routes
from .identity import current_session, made_by, window
from .live import Hub, Stream, TooMany, events
from .problems import answer, problem_data
from .rights import changes_data
from .services import services

tag = Tag(name="live")
api = Routes("live", __name__, url_prefix="/api", abp_tags=[tag])
# What a write was about: the resource, and its number where it has one.
ABOUT = re.compile(r"/(?:api/)?([a-z-]+)(?:/(\d{1,15}))?")


class HereIn(_In):
    """The address that this window shows, empty when it closes; ``window`` only where it cannot be sent as a header."""

    place: Annotated[str, Field(max_length=200, pattern=r"^(/[\w/.-]*)?$")]
    window: Annotated[str, Field(max_length=40)] = ""


@api.get("/events", responses={200: None})
def hear() -> Response:
    """Changes as they are made, as server-sent events: ``{"what": "jobs", "id": 3, "by": …, "window": …}``."""
    hub = services().hub
    stream = _opened(hub, current_session())
    gone = request.environ.get("waitress.client_disconnected", lambda: False)
    response = Response(events(hub, stream, gone), mimetype="text/event-stream")
    response.call_on_close(lambda: hub.close(stream))
    return response


def _opened(hub: Hub, session: Session | None) -> Stream:
    """Where people sign in, a stream lasts as long as the session does, however that ends."""
    if session is None:
        return hub.open()
    shop, digest = services().shop, session.digest

    def valid() -> bool:
        with shop.connected() as own:
            return people.session_by_digest(own, digest) is not None

    return hub.open(f"person {session.person.id}", frozenset((digest, session.person.name)), valid)


@api.post("/here", responses={204: None})
def here(body: HereIn) -> tuple[str, int]:
    """Say what this window shows, at least every two minutes; others that show the same are told."""
    name = window() or body.window
    if name:
        session = current_session()
        services().hub.here(name, body.place, made_by(), session.digest if session else "")
    return "", 204


def register(app: Flask) -> None:
    @app.after_request
    def _tell(response: Response) -> Response:
        if response.status_code < 400 and changes_data(request.method, request.path):
            about = ABOUT.match(request.path)
            assert about is not None
            number = int(about[2]) if about[2] else None
            tell(app, about[1], number)
        return response

    @app.errorhandler(TooMany)
    def _too_many(error: TooMany) -> Response:
        response = answer(problem_data(error, 503))
        response.headers["Retry-After"] = "30"
        return response


def tell(app: Flask, what: str, number: int | None) -> None:
    """Tell every window that ``what`` changed: a resource by its word in the address, and which one."""
    services(app).hub.publish({"what": what, "id": number, "by": made_by(), "window": window()})
