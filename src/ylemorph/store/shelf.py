"""The workshop's shelf: one list with a version, written as a whole."""

import contextlib
import json
import sqlite3
from collections.abc import Sequence
from typing import NamedTuple

from ..core.buy.shelf import MOST_SHELF, ShelfDisk
from ..core.errors import BadOption, YlemorphError
from ..formats.own.shelf import shelf_disk_from, shelf_disk_to_texts
from .database import snapshot, transaction


class Shelf(NamedTuple):
    version: int
    disks: tuple[ShelfDisk, ...]


class ShelfConflict(YlemorphError):
    """The shelf was changed meanwhile."""


def read(connection: sqlite3.Connection) -> Shelf:
    """A disk that cannot be read any more is passed over."""
    with snapshot(connection):
        found = []
        for row in connection.execute("SELECT body FROM shelf_disk ORDER BY place"):
            with contextlib.suppress(YlemorphError):
                found.append(shelf_disk_from(json.loads(row["body"])))
        return Shelf(_version(connection), tuple(found))


def write(connection: sqlite3.Connection, disks: Sequence[ShelfDisk], version: int | None = None) -> Shelf:
    """Put ``disks`` in the place of all; ``version`` is the one that was seen. Raises ShelfConflict or BadOption."""
    if len(disks) > MOST_SHELF:
        raise BadOption(f"{len(disks)} disks are more than {MOST_SHELF}", at="disks", mend="keep fewer")
    names = [item.name for item in disks]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise BadOption(f"“{twice}” stands there twice", at="disks", mend="give each disk a name of its own")
    with transaction(connection):
        if version is not None and version != _version(connection):
            raise ShelfConflict("the shelf was changed meanwhile", mend="load it again and make your change once more")
        connection.execute("DELETE FROM shelf_disk")
        connection.executemany(
            "INSERT INTO shelf_disk (place, body) VALUES (?, ?)",
            [(place, json.dumps(shelf_disk_to_texts(item), ensure_ascii=False)) for place, item in enumerate(disks)],
        )
        connection.execute("UPDATE shelf_version SET version = version + 1")
    return read(connection)


def _version(connection: sqlite3.Connection) -> int:
    return int(connection.execute("SELECT version FROM shelf_version").fetchone()[0])
