"""One SQLite file: opening, migrating, short transactions."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path

from ..core.errors import YlemorphError

FILE_NAME = "ylemorph.sqlite3"


class StoreError(YlemorphError):
    """The data file cannot be used."""


class NotFound(YlemorphError):
    """What was asked for is not in the store."""


def now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def connect(path: Path) -> sqlite3.Connection:
    """A connection with foreign keys on and transactions left to us."""
    connection = sqlite3.connect(path, isolation_level=None, timeout=5)
    connection.row_factory = sqlite3.Row
    connection.execute("PRAGMA busy_timeout = 5000")
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = NORMAL")
    return connection


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[None]:
    """One write transaction; nothing of it stays if it fails."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
    except BaseException:
        connection.execute("ROLLBACK")
        raise
    connection.execute("COMMIT")


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


def prepare(folder: Path) -> Path:
    """The data file in ``folder``, made or migrated. Raises StoreError in one sentence where that cannot be."""
    path = folder / FILE_NAME
    try:
        folder.mkdir(parents=True, exist_ok=True)
        connection = connect(path)
        try:
            _check_whole(connection, path)
            connection.execute("PRAGMA journal_mode = WAL")
            _migrate(connection, path)
        finally:
            connection.close()
    except OSError as error:
        raise StoreError(
            f"the data folder cannot be used ({error.strerror})", at=str(folder), mend="choose another with --data"
        ) from None
    except sqlite3.Error as error:
        raise StoreError(
            f"the data file cannot be used ({error})", at=str(path), mend="put it aside or choose another folder"
        ) from None
    return path


def _check_whole(connection: sqlite3.Connection, path: Path) -> None:
    """Damage in the middle of the file is found here, not by whoever happens to open the job that it hit."""
    found = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    if found != "ok":
        raise StoreError(
            f"the data file is damaged ({' '.join(found.split())[:120]})",
            at=str(path),
            mend="put it aside and go back to a copy, or choose another folder with --data",
        )


def _back_up(connection: sqlite3.Connection, place: Path) -> None:
    """A copy by the database's own means, whole even where another program writes meanwhile."""
    copy = sqlite3.connect(place)
    try:
        connection.backup(copy)
    finally:
        copy.close()


def _migrations() -> list[tuple[int, str]]:
    folder = resources.files(__package__) / "migrations"
    files = sorted(item.name for item in folder.iterdir() if item.name.endswith(".sql"))
    return [(int(name[:4]), (folder / name).read_text(encoding="utf-8")) for name in files]


def _migrate(connection: sqlite3.Connection, path: Path) -> None:
    done = int(connection.execute("PRAGMA user_version").fetchone()[0])
    steps = _migrations()
    newest = steps[-1][0]
    if done > newest:
        raise StoreError(
            f"the data file was written by a newer version ({done}, this one knows {newest})",
            at=str(path),
            mend="start the newer version or choose another folder with --data",
        )
    waiting = [step for step in steps if step[0] > done]
    if waiting and done:
        _back_up(connection, path.with_suffix(f".before-{waiting[0][0]:04d}.sqlite3"))
    for number, sql in waiting:
        # The schema and its number go in together or not at all.
        try:
            connection.executescript(f"BEGIN IMMEDIATE;\n{sql}\nPRAGMA user_version = {number};\nCOMMIT;")
        except sqlite3.Error:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise
