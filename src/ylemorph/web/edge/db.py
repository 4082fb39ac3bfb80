"""A connection per request, and one that stays open while the application runs."""

import sqlite3
from pathlib import Path

from flask import Flask, current_app, g

from ...store.database import Keeper, connect


def connection() -> sqlite3.Connection:
    """This request's connection. Raises Gone where the data file is no longer the one of the start."""
    if "connection" not in g:
        current_app.config["KEEPER"].check()
        g.connection = connect(current_app.config["STORE"])
    made: sqlite3.Connection = g.connection
    return made


def register(app: Flask, store: Path) -> None:
    app.config["STORE"] = store
    app.config["KEEPER"] = Keeper(store)

    @app.teardown_appcontext
    def _close(_error: BaseException | None) -> None:
        opened: sqlite3.Connection | None = g.pop("connection", None)
        if opened is not None:
            opened.close()
