"""The data file as a whole: copied, looked at as a copy, put back from one."""

import errno
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from ..core.errors import YlemorphError
from ..opening import open_regular, read_most
from . import jobs
from .database import FILE_MODE, FILE_NAME, LEAST_ROOM, NotFound, StoreError, connect, end_after
from .preparing import CHECK_SECONDS, PART, alone, check_schema, copy_to, make_folder, migrate
from .turns import turn

MAGIC = b"SQLite format 3\0"


def back_up(path: Path, place: Path) -> None:
    """A whole copy of the data file at ``place``, which is replaced only by a whole one. Raises StoreError."""
    try:
        _check_room(path, place)
        with alone(path.parent), closing(connect(path)) as connection:
            copy_to(connection, place)
    except (OSError, sqlite3.Error) as error:
        raise StoreError(
            f"no copy could be made ({reason_of(error)})", at=str(place), mend="make room, or choose another place"
        ) from None


def _check_room(path: Path, place: Path) -> None:
    """A copy on the disk of the data itself leaves what freeing some of it takes."""
    if place.parent.stat().st_dev == path.stat().st_dev:
        free = shutil.disk_usage(place.parent).free
        if free < path.stat().st_size + LEAST_ROOM:
            raise OSError(errno.ENOSPC, "there is no room on this disk")


class Copy(NamedTuple):
    """What a copy holds."""

    version: int
    jobs: int


def look_at_copy(place: Path) -> Copy:
    """Whether ``place`` is a whole data file that this program can take, looked at without changing it.

    Raises StoreError.
    """
    try:
        with open_regular(place) as file:
            if read_most(file, len(MAGIC)) != MAGIC:
                raise StoreError("this is no data file", at=str(place), mend="give one that ylemorph backup wrote")
        with closing(_open_copy(place)) as connection:
            end_after(connection, CHECK_SECONDS)
            version = check_schema(connection, place)
            if version == 0:
                raise StoreError("it holds nothing", at=str(place), mend="give one that ylemorph backup wrote")
            _check_content(connection, place)
            return Copy(version, int(connection.execute("SELECT count(*) FROM job").fetchone()[0]))
    except (OSError, sqlite3.Error) as error:
        raise StoreError(f"it cannot be read ({reason_of(error)})", at=str(place), mend="give another copy") from None


def _open_copy(place: Path) -> sqlite3.Connection:
    return sqlite3.connect(f"{place.absolute().as_uri()}?mode=ro", uri=True)


def _check_content(connection: sqlite3.Connection, place: Path) -> None:
    found = connection.execute("PRAGMA integrity_check(1)").fetchone()[0]
    if found != "ok":
        problem = f"the data file is damaged ({' '.join(str(found).split())[:120]})"
        raise StoreError(problem, at=str(place), mend="give another copy")
    if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
        raise StoreError("parts of it are missing", at=str(place), mend="give another copy")


def broken_jobs(connection: sqlite3.Connection) -> Iterator[tuple[jobs.JobHead, str]]:
    """Jobs that cannot be read, with why."""
    for line in jobs.lines(connection):
        try:
            jobs.get(connection, line.id)
        except YlemorphError as error:
            yield line, error.problem


def restore(folder: Path, place: Path, *, with_broken: bool = False) -> tuple[Copy, Path | None]:
    """Put a copy in the place of the data file, which is kept aside; gives what it holds and where the old one stands.

    All is tried on a copy of the copy before anything is replaced; jobs that cannot be read are refused unless
    ``with_broken``. Raises StoreError.
    """
    path = folder / FILE_NAME
    return _restore(folder, place, path.with_name(f"{path.stem}-{_stamp()}.sqlite3"), with_broken=with_broken)


def restore_backup(folder: Path, name: str) -> tuple[Copy, Path | None]:
    """Put a backup of the data folder back; what was there becomes a backup itself. Raises NotFound or StoreError."""
    place = backup_place(folder, name)
    done = _restore(folder, place, folder / FOLDER / f"ylemorph-{_stamp()}.sqlite3", with_broken=False)
    _keep_to_a_number(folder)
    return done


def _restore(folder: Path, place: Path, aside: Path, *, with_broken: bool) -> tuple[Copy, Path | None]:
    path = folder / FILE_NAME
    if path.exists() and place.exists() and path.samefile(place):
        raise StoreError("this is the data file itself", at=str(place), mend="give a copy of it")
    held = look_at_copy(place)
    try:
        make_folder(folder)
        with alone(folder), _tried(folder, place, with_broken=with_broken) as ready:
            kept = _set_aside(path, aside)
            _swap(ready, path, kept)
    except (OSError, sqlite3.Error) as error:
        raise StoreError(
            f"it could not be put back ({reason_of(error)})",
            at=str(place),
            mend=f"make room, then try again; the data in {path} is as it was",
        ) from None
    return held, kept


def _stamp() -> str:
    return f"{datetime.now(UTC):%Y%m%d-%H%M%S-%f}"


@contextmanager
def _tried(folder: Path, place: Path, *, with_broken: bool) -> Iterator[Path]:
    """A copy of the copy, brought up to date and read through, that can take the place of the data file."""
    ready = folder / f".restored{PART}"
    try:
        with closing(_open_copy(place)) as copy:
            copy_to(copy, ready)
        with closing(connect(ready)) as connection:
            end_after(connection, CHECK_SECONDS)
            connection.execute("PRAGMA journal_mode = MEMORY")
            migrate(connection)
            check_schema(connection, ready)
            _check_content(connection, place)
            broken = [f"{line.code} {line.name}" for line, _ in broken_jobs(connection)]
            if broken and not with_broken:
                raise StoreError(
                    f"{len(broken)} of its jobs cannot be read, such as {broken[0][:80]}",
                    at=str(place),
                    mend="give another copy, or take it all the same with ylemorph restore --with-broken",
                )
            _settle_people(connection, folder / FILE_NAME)
        yield ready
    finally:
        ready.unlink(missing_ok=True)


def _settle_people(ready: sqlite3.Connection, path: Path) -> None:
    """Nobody is signed in; a copy without somebody of the workshop keeps the people of now, so that nobody is locked
    out."""
    ready.execute("DELETE FROM session")
    if ready.execute("SELECT 1 FROM person WHERE role = 'workshop'").fetchone() is None and path.is_file():
        with suppress(sqlite3.Error), closing(_open_copy(path)) as now:
            people = now.execute("SELECT name, role, password, created_at FROM person").fetchall()
            sql = "INSERT OR IGNORE INTO person (name, role, password, created_at) VALUES (?, ?, ?, ?)"
            ready.executemany(sql, people)


def _set_aside(path: Path, aside: Path) -> Path | None:
    """A copy of the data of now; as bytes where the database cannot read it any more. None where there is none."""
    if not path.is_file() or not path.stat().st_size:
        return None
    try:
        with closing(connect(path)) as connection:
            copy_to(connection, aside)
    except sqlite3.DatabaseError:
        for beside in ("", "-wal"):
            if Path(f"{path}{beside}").exists():
                _copy_bytes(Path(f"{path}{beside}"), Path(f"{aside}{beside}"))
    return aside


def _copy_bytes(source: Path, place: Path) -> None:
    """On the disk before anything else is done: the one that it is a copy of is about to be replaced."""
    with source.open("rb") as file, place.open("xb") as copy:
        shutil.copyfileobj(file, copy)
        copy.flush()
        os.fsync(copy.fileno())
    place.chmod(FILE_MODE)


def _swap(ready: Path, path: Path, aside: Path | None) -> None:
    """As one transaction where a program may have it open: it sees the old data or the new. Raises StoreError."""
    try:
        if aside is not None:
            with closing(_open_copy(ready)) as copy, closing(connect(path)) as connection, turn(connection):
                copy.backup(connection)
            return
    except sqlite3.DatabaseError as error:
        if isinstance(error, sqlite3.OperationalError):
            raise
        # It is damaged so that the database does not even write it: the new one takes its name.
    for beside in ("-wal", "-shm", "-journal"):
        Path(f"{path}{beside}").unlink(missing_ok=True)
    ready.replace(path)


FOLDER = "backups"
MOST_BACKUPS = 20


class Kept(NamedTuple):
    """A backup in the data folder."""

    name: str
    made_at: str
    size_bytes: int


def backups(folder: Path) -> list[Kept]:
    """Those that were made from the program, the newest first."""
    places = sorted((folder / FOLDER).glob("ylemorph-*.sqlite3"), reverse=True)
    return [
        Kept(place.name, datetime.fromtimestamp(status.st_mtime, UTC).isoformat(timespec="seconds"), status.st_size)
        for place in places
        for status in (place.stat(),)
    ]


def keep_backup(folder: Path) -> Kept:
    """A backup in the data folder; the oldest of very many goes. Raises StoreError."""
    place = folder / FOLDER / f"ylemorph-{_stamp()}.sqlite3"
    try:
        place.parent.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise StoreError(
            f"no backup could be made ({reason_of(error)})", at=str(place.parent), mend="make room"
        ) from None
    back_up(folder / FILE_NAME, place)
    _keep_to_a_number(folder)
    return next(kept for kept in backups(folder) if kept.name == place.name)


def _keep_to_a_number(folder: Path) -> None:
    for old in backups(folder)[MOST_BACKUPS:]:
        (folder / FOLDER / old.name).unlink(missing_ok=True)


def backup_place(folder: Path, name: str) -> Path:
    """Where a backup stands. Raises NotFound for a name that is none of them."""
    if name not in {kept.name for kept in backups(folder)}:
        raise NotFound(f"there is no backup {name[:80]}", mend="load the page again")
    return folder / FOLDER / name


def reason_of(error: OSError | sqlite3.Error) -> str:
    return getattr(error, "strerror", None) or str(error) or type(error).__name__
