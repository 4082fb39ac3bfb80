"""A data folder made ready: the file made or brought up to date by numbered migrations, whole and as we make it."""

import contextlib
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from functools import cache
from importlib import resources
from pathlib import Path

from filelock import FileLock, Timeout

from .database import (
    FILE_MODE,
    FILE_NAME,
    FOLDER_MODE,
    StoreError,
    connect,
    end_after,
    give_up_reserve,
    hold_reserve,
    transaction,
)

MOST_COPIES = 5  # made before migrations, the oldest goes
LOCK_SECONDS = 120  # that another program may take to bring the file up to date
CHECK_SECONDS = 120  # that a file may take to be looked at
PART = ".part"  # behind the name of a file that is being written
OWN_TABLES = ("sqlite_stat1", "sqlite_stat4")  # that the database itself may add


def prepare(folder: Path) -> Path:
    """The data file in ``folder``, made or migrated. Raises StoreError in one sentence where that cannot be."""
    path = folder / FILE_NAME
    try:
        make_folder(folder)
        with alone(folder):
            given = give_up_reserve(folder)
            _tidy(folder)
            _keep_to_oneself(path)
            with closing(connect(path)) as connection:
                end_after(connection, CHECK_SECONDS)
                check_schema(connection, path)
                check_whole(connection, path)
                connection.execute("PRAGMA journal_mode = WAL")
                _copy_before(connection, path)
                migrate(connection)
                _try_writing(connection, frees=given)
            hold_reserve(folder)
    except OSError as error:
        raise StoreError(
            f"the data folder cannot be used ({error.strerror})", at=str(folder), mend="choose another with --data"
        ) from None
    except sqlite3.Error as error:
        raise StoreError(f"the data file cannot be used ({error})", at=str(path), mend=_mend(folder)) from None
    return path


def make_folder(folder: Path) -> None:
    """A data folder for its owner alone; one that is there stays as it is."""
    folder.mkdir(parents=True, exist_ok=True, mode=FOLDER_MODE)


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Of several programs that begin at once, one at a time. Raises StoreError."""
    lock = FileLock(folder / "lock", timeout=LOCK_SECONDS, mode=FILE_MODE)
    try:
        lock.acquire()
    except Timeout:
        raise StoreError(
            "another program has been at work on this data folder for long", at=str(folder), mend="stop it first"
        ) from None
    try:
        yield
    finally:
        lock.release()


def _tidy(folder: Path) -> None:
    """Take away what a program left that was killed while it copied. Nobody copies while we are alone."""
    for place in (folder, folder / "backups"):
        for pattern in (f".*{PART}", f".*{PART}-journal", f".*{PART}-wal", f".*{PART}-shm"):
            for left in place.glob(pattern):
                left.unlink(missing_ok=True)


def _keep_to_oneself(path: Path) -> None:
    """A data file for its owner alone; what the database puts beside it follows its mode. A folder stays as it is."""
    if not path.exists():
        path.touch(mode=FILE_MODE)
    # Somebody else's file, or a file system without modes, stays as it is.
    with contextlib.suppress(PermissionError):
        if path.stat().st_mode & 0o077:
            path.chmod(FILE_MODE)


def _try_writing(connection: sqlite3.Connection, *, frees: bool) -> None:
    """A folder that cannot be written is found at the start, not by the first change."""
    with transaction(connection, frees=frees):
        connection.execute("UPDATE shelf_version SET version = version")


def _mend(folder: Path) -> str:
    """What to do about a data file that cannot be used, with the copies that stand beside it."""
    copies = [*folder.glob("backups/ylemorph-*.sqlite3"), *folder.glob("ylemorph?*.sqlite3")]
    newest = max(copies, key=lambda place: place.stat().st_mtime, default=None)
    back = f"put a copy back with ylemorph restore, such as {newest}" if newest else "put it aside"
    return f"{back}; or choose another folder with --data"


# --- what a data file holds -------------------------------------------------------------------------------------------


def check_whole(connection: sqlite3.Connection, path: Path) -> None:
    """Damage in the middle of the file is found here, not by whoever happens to open the job that it hit."""
    found = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    if found != "ok":
        raise StoreError(
            f"the data file is damaged ({' '.join(found.split())[:120]})", at=str(path), mend=_mend(path.parent)
        )


def version_of(connection: sqlite3.Connection) -> int:
    return int(connection.execute("PRAGMA user_version").fetchone()[0])


def check_schema(connection: sqlite3.Connection, path: Path) -> int:
    """The version of a file that holds the tables and indexes of that version, and nothing else.

    A view, a trigger or a table that is none of ours would work in our name. Raises StoreError.
    """
    version = version_of(connection)
    if not 0 <= version <= newest_version():
        raise StoreError(
            f"the data file was written by a newer version ({version}, this one knows {newest_version()})",
            at=str(path),
            mend="start the newer version, or choose another folder with --data",
        )
    found, ours = _objects(connection), schema_of(version)
    wrong = [f"{kind} {name} is none of ours" for kind, name, _ in found - ours if not _named(ours, kind, name)]
    wrong += [f"the {kind} {name} is missing" for kind, name, _ in ours - found if not _named(found, kind, name)]
    wrong += [
        f"the {kind} {name} is not as version {version} has it"
        for kind, name, _ in ours - found
        if _named(found, kind, name)
    ]
    if wrong:
        raise StoreError(
            f"this is not a data file as Ylemorph makes it: {sorted(wrong)[0]}", at=str(path), mend=_mend(path.parent)
        )
    return version


Object = tuple[str, str, str]


def _named(objects: frozenset[Object], kind: str, name: str) -> bool:
    return any(item[:2] == (kind, name) for item in objects)


def _objects(connection: sqlite3.Connection) -> frozenset[Object]:
    """Kind, name and words of everything that the file defines."""
    return frozenset(
        (str(kind), str(name), " ".join(str(sql or "").split()))
        for kind, name, sql in connection.execute("SELECT type, name, sql FROM sqlite_master")
        if name not in OWN_TABLES
    )


@cache
def schema_of(version: int) -> frozenset[Object]:
    """What the migrations up to a version make."""
    with closing(sqlite3.connect(":memory:")) as connection:
        for number, sql in _migrations():
            if number <= version:
                connection.executescript(sql)
        return _objects(connection)


# --- migrations ------------------------------------------------------------------------------------------------------


def newest_version() -> int:
    """The version of data files that this program writes."""
    return _migrations()[-1][0]


@cache
def _migrations() -> tuple[tuple[int, str], ...]:
    folder = resources.files(__package__) / "migrations"
    files = sorted(item.name for item in folder.iterdir() if item.name.endswith(".sql"))
    return tuple((int(name[:4]), (folder / name).read_text(encoding="utf-8")) for name in files)


def migrate(connection: sqlite3.Connection) -> None:
    """Each migration and its number go in together or not at all."""
    done = version_of(connection)
    for number, sql in _migrations():
        if number <= done:
            continue
        try:
            connection.executescript(f"BEGIN IMMEDIATE;\n{sql}\nPRAGMA user_version = {number};\nCOMMIT;")
        except sqlite3.Error:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise


def _copy_before(connection: sqlite3.Connection, path: Path) -> None:
    """A copy of a file that is about to be migrated; the oldest of many goes."""
    done = version_of(connection)
    if 0 < done < newest_version():
        copy_to(connection, path.with_suffix(f".before-{done + 1:04d}.sqlite3"))
        for old in sorted(path.parent.glob("*.before-*.sqlite3"))[:-MOST_COPIES]:
            old.unlink()


def copy_to(connection: sqlite3.Connection, place: Path) -> None:
    """A copy by the database's own means, whole even where another program writes meanwhile."""
    beside = place.with_name(f".{place.name}{PART}")
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
