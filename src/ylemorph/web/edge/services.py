"""What the routes work with, as one typed value for each application, and a request's own connection."""

import sqlite3
from dataclasses import dataclass, field
from http import HTTPStatus

from flask import Flask, Response, current_app, g

from ...usecases.workshop import Work, Workshop
from ..jobs.lines import Lines
from .attempts import Attempts
from .certificates import Certificate
from .live import Hub

NAME = "ylemorph"  # among the extensions of the application


@dataclass(slots=True)
class Services:
    """``network``: people sign in; ``certificate``: the one under which it is reached, where it is encrypted."""

    shop: Workshop
    network: bool
    bound_to: str
    certificate: Certificate | None
    hub: Hub = field(default_factory=Hub)
    attempts: Attempts = field(default_factory=Attempts)
    lines: Lines = field(default_factory=Lines)

    def forget(self) -> None:
        """What is known of jobs beside the data file, when another file was put in its place."""
        self.lines.clear()
        self.shop.practices.forget()
        self.hub.drop()


def services(app: Flask | None = None) -> Services:
    """Of an application, or of the one that answers this request."""
    found: Services = (app or current_app).extensions[NAME]
    return found


def connection() -> sqlite3.Connection:
    """This request's connection. Raises Gone where the data file is no longer the one of the start."""
    if "connection" not in g:
        g.keeper = services().shop.keeper  # it is given back to whom it came from
        g.connection = g.keeper.lend()
    lent: sqlite3.Connection = g.connection
    return lent


def work(by: str = "") -> Work:
    """This request's piece of work; ``by`` whom, where it changes something."""
    return Work(services().shop, connection(), by)


def register(app: Flask, made: Services) -> None:
    app.extensions[NAME] = made

    @app.after_request
    def _went_well(response: Response) -> Response:
        g.well = response.status_code < HTTPStatus.BAD_REQUEST
        return response

    @app.teardown_appcontext
    def _give_back(_error: BaseException | None) -> None:
        if "connection" in g:
            g.keeper.give_back(g.pop("connection"), well=g.pop("well", False))
