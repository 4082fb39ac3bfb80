"""The data as a whole: how it stands, backups, jobs as one file."""

import json
import sqlite3
from pathlib import Path
from typing import NamedTuple

from ..store import fleets
from ..store.bundle import take_in, take_out
from ..store.database import FILE_NAME, StoreError, connect
from ..store.doctor import examine
from ..store.files import Kept, back_up, backup_place, backups, keep_backup, look_at_copy, restore, restore_backup
from ..store.preparing import newest_version, prepare
from ..system import room_taken
from .workshop import Work

__all__ = [
    "FILE_NAME", "Kept", "Standing", "StoreError", "answers", "back_up", "backup_place", "connect", "examine",
    "jobs_as_text", "keep_backup", "look_at_copy", "prepare", "restore", "restore_backup", "standing", "take_in",
]  # fmt: skip


class Standing(NamedTuple):
    """The data folder; ``working``: names of fleets that are being worked out."""

    folder: Path
    data_version: int
    file_bytes: int
    folder_bytes: int
    jobs: int
    surveys: int
    fleets: int
    working: list[str]
    backups: list[Kept]


def standing(work: Work) -> Standing:
    """How the data stands."""
    store = work.shop.store
    folder, heads = store.parent, fleets.heads(work.connection)
    jobs, surveys = work.connection.execute(
        "SELECT (SELECT count(*) FROM job), (SELECT count(*) FROM survey)"
    ).fetchone()
    taken = sum(room_taken(place.stat()) for place in folder.rglob("*") if place.is_file())
    working = [head.name for head in heads if work.shop.fleets.active(head.id)]
    return Standing(
        folder, newest_version(), store.stat().st_size, taken, jobs, surveys, len(heads), working, backups(folder)
    )


def answers(connection: sqlite3.Connection) -> None:
    """Raises sqlite3.Error where the data cannot be read."""
    connection.execute("SELECT 1 FROM job LIMIT 1").fetchone()


def jobs_as_text(connection: sqlite3.Connection, wanted: list[int] | None = None) -> tuple[str, int]:
    """Jobs as one file with surveys, every change, checks and records; all that can be read unless some are wanted."""
    taken = take_out(connection, wanted)
    return json.dumps(taken, ensure_ascii=False, indent=1), len(taken["jobs"])
