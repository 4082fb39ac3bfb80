"""Writers of one data file take their turns in the order in which they came.

The database lets whoever asks at the right moment write, and makes the others ask again after pauses that grow: of
many writers a few wait for seconds. Here each hands on to the one that waits longest, and nobody has to ask again.
"""

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..order import Queue

WAIT_SECONDS = 20.0  # as long as a request waits for its turn at all


_queues: dict[str, Queue] = {}
_guard = threading.Lock()


def queue_of(path: Path) -> Queue:
    """The queue of a data file, one for all connections of this process."""
    with _guard:
        return _queues.setdefault(str(path.resolve()), Queue())


class Connection(sqlite3.Connection):
    """A connection that knows its file and the queue of it. ``depth``: turns that are taken, one inside the other."""

    path: Path
    queue: Queue
    depth = 0


@contextmanager
def turn(connection: sqlite3.Connection) -> Iterator[None]:
    """The turn to write; inside of itself it is the same one. Raises sqlite3.OperationalError where it never came."""
    assert isinstance(connection, Connection)
    if connection.depth == 0 and not connection.queue.take(WAIT_SECONDS):
        raise sqlite3.OperationalError("database is locked")
    connection.depth += 1
    try:
        yield
    finally:
        connection.depth -= 1
        if connection.depth == 0:
            connection.queue.hand_on()
