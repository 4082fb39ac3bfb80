"""One SQLite file: opening, migrating, short transactions."""

import contextlib
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path

from ..core.errors import YlemorphError

FILE_NAME = "ylemorph.sqlite3"
FOLDER_MODE, FILE_MODE = 0o700, 0o600  # surveys name machines and people; nobody else on the machine reads them
MOST_COPIES = 5  # made before migrations, the oldest goes
RESERVE_NAME, RESERVE_BYTES = "reserve", 4 * 2**20  # given up on a full disk, so that deleting is always possible


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
    connection.execute("PRAGMA synchronous = FULL")  # what was acknowledged outlives a power cut
    return connection


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[None]:
    """One write transaction; nothing of it stays if it fails."""
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


def prepare(folder: Path) -> Path:
    """The data file in ``folder``, made or migrated. Raises StoreError in one sentence where that cannot be."""
    path = folder / FILE_NAME
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=FOLDER_MODE)
        _keep_to_oneself(path)
        connection = connect(path)
        try:
            check_whole(connection, path)
            connection.execute("PRAGMA journal_mode = WAL")
            _migrate(connection, path)
            _try_writing(connection)
        finally:
            connection.close()
        _hold_reserve(folder)
    except OSError as error:
        raise StoreError(
            f"the data folder cannot be used ({error.strerror})", at=str(folder), mend="choose another with --data"
        ) from None
    except sqlite3.Error as error:
        raise StoreError(
            f"the data file cannot be used ({error})", at=str(path), mend="put it aside or choose another folder"
        ) from None
    return path


def _keep_to_oneself(path: Path) -> None:
    """A data file for its owner alone; what the database puts beside it follows its mode. A folder stays as it is."""
    if not path.exists():
        path.touch(mode=FILE_MODE)
    # Somebody else's file, or a file system without modes, stays as it is.
    with contextlib.suppress(PermissionError):
        if path.stat().st_mode & 0o077:
            path.chmod(FILE_MODE)


def _try_writing(connection: sqlite3.Connection) -> None:
    """A folder that cannot be written is found at the start, not by the first change."""
    with transaction(connection):
        connection.execute("UPDATE shelf_version SET version = version")


def _hold_reserve(folder: Path) -> None:
    """Room that is given up when the disk is full; without any room there is none to hold."""
    place = folder / RESERVE_NAME
    with contextlib.suppress(OSError):
        if not place.exists() or place.stat().st_size < RESERVE_BYTES:
            place.write_bytes(bytes(RESERVE_BYTES))
            place.chmod(FILE_MODE)


def freeing(connection: sqlite3.Connection, act: Callable[[], None]) -> None:
    """Something that makes room, even on a full disk: then the reserve is given up first."""
    try:
        act()
    except sqlite3.OperationalError as error:
        path = Path(connection.execute("PRAGMA database_list").fetchone()["file"])
        reserve = path.parent / RESERVE_NAME
        if "full" not in str(error) or not reserve.exists():
            raise
        reserve.unlink()
        act()
        _hold_reserve(path.parent)


def check_whole(connection: sqlite3.Connection, path: Path) -> None:
    """Damage in the middle of the file is found here, not by whoever happens to open the job that it hit."""
    found = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    if found != "ok":
        raise StoreError(
            f"the data file is damaged ({' '.join(found.split())[:120]})",
            at=str(path),
            mend="put it aside and go back to a copy, or choose another folder with --data",
        )


def copy_to(connection: sqlite3.Connection, place: Path) -> None:
    """A copy by the database's own means, whole even where another program writes meanwhile."""
    beside = place.with_name(f".{place.name}.part")
    beside.unlink(missing_ok=True)
    beside.touch(mode=FILE_MODE)
    copy = sqlite3.connect(beside)
    try:
        connection.backup(copy)
        copy.execute("PRAGMA journal_mode = DELETE")  # one file, without another beside it
    except BaseException:
        copy.close()
        beside.unlink(missing_ok=True)
        raise
    copy.close()
    beside.replace(place)


def newest_version() -> int:
    """The version of data files that this program writes."""
    return _migrations()[-1][0]


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
        copy_to(connection, path.with_suffix(f".before-{waiting[0][0]:04d}.sqlite3"))
        for old in sorted(path.parent.glob("*.before-*.sqlite3"))[:-MOST_COPIES]:
            old.unlink()
    for number, sql in waiting:
        # The schema and its number go in together or not at all.
        try:
            connection.executescript(f"BEGIN IMMEDIATE;\n{sql}\nPRAGMA user_version = {number};\nCOMMIT;")
        except sqlite3.Error:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise
