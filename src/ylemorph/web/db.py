"""A connection per request."""

import sqlite3
from pathlib import Path

from flask import Flask, current_app, g

from ..store.database import connect


def connection() -> sqlite3.Connection:
    if "connection" not in g:
        g.connection = connect(current_app.config["STORE"])
    made: sqlite3.Connection = g.connection
    return made


def register(app: Flask, store: Path) -> None:
    app.config["STORE"] = store

    @app.teardown_appcontext
    def _close(_error: BaseException | None) -> None:
        opened: sqlite3.Connection | None = g.pop("connection", None)
        if opened is not None:
            opened.close()
