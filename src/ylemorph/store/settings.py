"""The workshop's defaults, kept with the jobs."""

import json
import sqlite3
from collections.abc import Mapping

from .database import transaction


def read(connection: sqlite3.Connection) -> dict[str, object]:
    """All settings that were ever set, by key."""
    return {row["key"]: json.loads(row["value"]) for row in connection.execute("SELECT key, value FROM setting")}


def write(connection: sqlite3.Connection, values: Mapping[str, object]) -> None:
    """Set some; a value of None takes the setting back to how the application comes."""
    with transaction(connection):
        for key, value in values.items():
            if value is None:
                connection.execute("DELETE FROM setting WHERE key = ?", (key,))
            else:
                connection.execute(
                    "INSERT INTO setting (key, value) VALUES (?, ?)"
                    " ON CONFLICT (key) DO UPDATE SET value = excluded.value",
                    (key, json.dumps(value)),
                )
