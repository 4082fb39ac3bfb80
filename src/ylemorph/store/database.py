"""One SQLite file: connections, short transactions in the order in which they are asked for, room on a full disk."""

import contextlib
import shutil
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from ..core.errors import YlemorphError
from .turns import Connection, queue_of, turn

FILE_NAME = "ylemorph.sqlite3"
FOLDER_MODE, FILE_MODE = 0o700, 0o600  # surveys name machines and people; nobody else on the machine reads them
RESERVE_NAME, RESERVE_BYTES = "reserve", 4 * 2**20  # given up on a full disk, so that deleting is always possible
LEAST_ROOM = 512 * 1024  # bytes under which nothing is written that does not free some: reading needs a little too
BUSY_SECONDS = 5  # that a lock of another process is waited for
MOST_IDLE = 4  # connections that wait for their next use; what comes back beyond them is closed
STEPS_BETWEEN = 20_000  # of the database's own machine, between two looks at the time


class StoreError(YlemorphError):
    """The data file cannot be used."""


class Gone(StoreError):
    """The data file is no longer the one that the program began with."""


class NotFound(YlemorphError):
    """What was asked for is not in the store."""


def now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def connect(path: Path) -> sqlite3.Connection:
    """A connection with foreign keys on and transactions left to us. A file that is gone is not made anew."""
    connection = sqlite3.connect(
        f"{path.absolute().as_uri()}?mode=rw",
        uri=True,
        isolation_level=None,
        timeout=BUSY_SECONDS,
        factory=Connection,
        check_same_thread=False,
    )
    connection.path, connection.queue = path, queue_of(path)
    connection.row_factory = sqlite3.Row
    connection.create_function("folded", 1, str.casefold, deterministic=True)  # the file's own knows ASCII alone
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = FULL")  # what was acknowledged outlives a power cut
    connection.execute("PRAGMA temp_store = MEMORY")  # sorting needs no room on a full disk
    return connection


def end_after(connection: sqlite3.Connection, seconds: float) -> None:
    """From now on a question that takes longer is broken off; what a file says of itself may have no end."""
    end = time.monotonic() + seconds
    connection.set_progress_handler(lambda: time.monotonic() > end, STEPS_BETWEEN)


@contextmanager
def transaction(connection: sqlite3.Connection, *, frees: bool = False) -> Iterator[None]:
    """One write transaction, nothing of which stays if it fails; inside of another one a part of that.

    Without ``frees`` it is refused where the disk is all but full, so that what frees room can be done.
    """
    if isinstance(connection, Connection) and connection.depth and connection.in_transaction:
        yield
        return
    with turn(connection):
        if not frees and _free_bytes(connection) < LEAST_ROOM:
            raise sqlite3.OperationalError("database or disk is full")
        connection.execute("BEGIN IMMEDIATE")
        try:
            yield
            connection.execute("COMMIT")
        except BaseException:
            if connection.in_transaction:  # on a full disk the database has rolled back by itself
                connection.execute("ROLLBACK")
            raise


@contextmanager
def snapshot(connection: sqlite3.Connection) -> Iterator[None]:
    """Several reads of one state of the data, whatever other windows write or delete meanwhile."""
    if connection.in_transaction:
        yield
        return
    connection.execute("BEGIN")
    try:
        yield
    finally:
        connection.execute("COMMIT")


class Keeper:
    """A data file that stays open while the program runs, and the connections to it that wait for their next use.

    Without an open one whoever closes the last connection copies the journal back into the data file, at each change;
    and a new one reads the file's head and all tables' definitions before its first answer.
    It also knows which file it was: one that was taken away or exchanged meanwhile is told from it, and neither read
    nor written.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._connection: sqlite3.Connection | None = None
        self._identity: tuple[int, int] | None = None
        self._idle: list[sqlite3.Connection] = []
        self._guard = threading.Lock()

    def _now(self) -> tuple[int, int] | None:
        try:
            status = self._path.stat()
        except OSError:
            return None
        return status.st_dev, status.st_ino

    def check(self) -> None:
        """Raises Gone."""
        with self._guard:
            if self._connection is None:
                self._connection = connect(self._path)
                self._connection.execute("SELECT 1 FROM job LIMIT 1").fetchone()
                self._identity = self._now()
        if self._now() != self._identity:
            raise Gone(
                f"the data file {self._path} was taken away or exchanged while Ylemorph ran; nothing is written",
                mend="put it back, or stop Ylemorph, put a copy back with ylemorph restore, and start it again",
            )

    def lend(self) -> sqlite3.Connection:
        """A connection for one piece of work, to be given back. Raises Gone."""
        self.check()
        with self._guard:
            if self._idle:
                return self._idle.pop()
        return connect(self._path)

    def give_back(self, connection: sqlite3.Connection, *, well: bool) -> None:
        """Kept for the next piece of work, where this one ended ``well`` and few wait.

        One that broke off in the middle of its rows would show the data of that moment to the next; one that was
        opened while the file was exchanged would write to the other, once the first is back.
        """
        with self._guard:
            ended = well and not connection.in_transaction and self._now() == self._identity
            kept = ended and self._connection is not None and len(self._idle) < MOST_IDLE
            if kept:
                self._idle.append(connection)
        if not kept:
            connection.close()

    def close(self) -> None:
        with self._guard:
            for connection in (*self._idle, self._connection):
                if connection is not None:
                    connection.close()
            self._idle.clear()
            self._connection = None


# --- room ------------------------------------------------------------------------------------------------------------


def _folder_of(connection: sqlite3.Connection) -> Path:
    assert isinstance(connection, Connection)
    return connection.path.parent


def _free_bytes(connection: sqlite3.Connection) -> int:
    """Free room beside a data file; as if there were much where that cannot be told."""
    try:
        return shutil.disk_usage(_folder_of(connection)).free
    except OSError:
        return LEAST_ROOM


def hold_reserve(folder: Path) -> None:
    """Room that is given up when the disk is full; without any room there is none to hold."""
    place = folder / RESERVE_NAME
    with contextlib.suppress(OSError):
        if not place.exists() or place.stat().st_size < RESERVE_BYTES:
            place.touch(mode=FILE_MODE)
            with place.open("wb", buffering=0) as file:  # what was written stays where the room ends
                for _ in range(RESERVE_BYTES // 65_536):
                    file.write(bytes(65_536))


def give_up_reserve(folder: Path) -> bool:
    """Whether there was one, and the disk is so full that it is needed."""
    place = folder / RESERVE_NAME
    try:
        if shutil.disk_usage(folder).free >= LEAST_ROOM or not place.exists():
            return False
        place.unlink()
    except OSError:
        return False
    return True


def freeing(connection: sqlite3.Connection, act: Callable[[], None]) -> None:
    """Something that makes room, or that must be possible without any: on a full disk the reserve is given up for it.

    Nobody else writes between giving it up and holding it again.
    """
    folder = _folder_of(connection)
    with turn(connection):
        given = give_up_reserve(folder)
        try:
            act()
        except sqlite3.OperationalError:
            if given or not give_up_reserve(folder):
                raise
            given = True
            act()
        finally:
            if given:
                with contextlib.suppress(sqlite3.Error):
                    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()
                hold_reserve(folder)
