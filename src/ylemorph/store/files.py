"""The data file as a whole: copied, put back from a copy, looked at."""

import shutil
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from ..core.errors import YlemorphError
from . import jobs
from .database import FILE_NAME, NotFound, StoreError, check_whole, connect, copy_to, newest_version, prepare

MAGIC = b"SQLite format 3\0"
LITTLE_ROOM = 64 * 2**20  # under which a full disk is near


def back_up(path: Path, place: Path) -> None:
    """A whole copy of the data file at ``place``, which is replaced only by a whole one. Raises StoreError."""
    try:
        with closing(connect(path)) as connection:
            copy_to(connection, place)
    except (OSError, sqlite3.Error) as error:
        raise StoreError(
            f"no copy could be made ({_reason(error)})", at=str(place), mend="make room, or choose another place"
        ) from None


class Copy(NamedTuple):
    """What a copy holds."""

    version: int
    jobs: int


def look_at_copy(place: Path) -> Copy:
    """Whether ``place`` is a whole data file that this program can take. Raises StoreError."""
    try:
        with place.open("rb") as file:
            if file.read(len(MAGIC)) != MAGIC:
                raise StoreError("this is no data file", at=str(place), mend="give one that ylemorph backup wrote")
        with closing(_open_copy(place)) as connection:
            check_whole(connection, place)
            version = int(connection.execute("PRAGMA user_version").fetchone()[0])
            if not 1 <= version <= newest_version():
                raise StoreError(
                    f"it is of version {version}, this program knows up to {newest_version()}", at=str(place),
                    mend="start the newer version",
                )  # fmt: skip
            if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
                raise StoreError("parts of it are missing", at=str(place), mend="give another copy")
            return Copy(version, int(connection.execute("SELECT count(*) FROM job").fetchone()[0]))
    except (OSError, sqlite3.Error) as error:
        raise StoreError(f"it cannot be read ({_reason(error)})", at=str(place), mend="check the path") from None


def _open_copy(place: Path) -> sqlite3.Connection:
    return sqlite3.connect(f"{place.absolute().as_uri()}?mode=ro", uri=True)


def restore(folder: Path, place: Path) -> tuple[Copy, Path | None]:
    """Put a copy in the place of the data file, which is kept aside; gives what it holds and where the old one stands.

    The copy is checked before anything is replaced. Raises StoreError.
    """
    held = look_at_copy(place)
    path, aside = folder / FILE_NAME, None
    if path.is_file() and path.stat().st_size:
        aside = path.with_name(f"{path.stem}-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite3")
        back_up(path, aside)
    put_back(folder, place)
    return held, aside


def put_back(folder: Path, place: Path) -> None:
    """A copy that was looked at, as one transaction: other windows see the old data or the new. Raises StoreError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with closing(_open_copy(place)) as copy, closing(connect(folder / FILE_NAME)) as connection:
            people = _people(connection)
            copy.backup(connection)
        prepare(folder)  # an older copy is brought up to date
        with closing(connect(folder / FILE_NAME)) as connection:
            connection.execute("DELETE FROM session")  # those of then are not signed in now
            if not any(role == "workshop" for _, role, _, _ in _people(connection)):
                # A copy from before there were people must not lock everybody out.
                sql = "INSERT OR IGNORE INTO person (name, role, password, created_at) VALUES (?, ?, ?, ?)"
                connection.executemany(sql, people)
    except (OSError, sqlite3.Error) as error:
        problem = f"it could not be put back ({_reason(error)})"
        raise StoreError(problem, at=str(place), mend="make room, then try again") from None


def _people(connection: sqlite3.Connection) -> list[tuple[str, str, str, str]]:
    """Whoever may sign in; nobody in a file of before."""
    if connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'person'").fetchone() is None:
        return []
    return [tuple(row) for row in connection.execute("SELECT name, role, password, created_at FROM person")]


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
    place = folder / FOLDER / f"ylemorph-{datetime.now(UTC):%Y%m%d-%H%M%S-%f}.sqlite3"
    try:
        place.parent.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise StoreError(
            f"no backup could be made ({_reason(error)})", at=str(place.parent), mend="make room"
        ) from None
    back_up(folder / FILE_NAME, place)
    for old in backups(folder)[MOST_BACKUPS:]:
        (folder / FOLDER / old.name).unlink(missing_ok=True)
    return next(kept for kept in backups(folder) if kept.name == place.name)


def backup_place(folder: Path, name: str) -> Path:
    """Where a backup stands. Raises NotFound for a name that is none of them."""
    if name not in {kept.name for kept in backups(folder)}:
        raise NotFound(f"there is no backup {name[:80]}", mend="load the page again")
    return folder / FOLDER / name


class Finding(NamedTuple):
    """One thing that was looked at: whether it is well, and in a sentence what is so or what to do."""

    well: bool
    text: str


def examine(folder: Path) -> list[Finding]:
    """The data folder, the file and every job in it, without changing anything."""
    path = folder / FILE_NAME
    if not folder.is_dir():
        return [Finding(False, f"There is no data folder {folder}. Start Ylemorph once, or name another with --data.")]
    found = [Finding(True, f"The data folder is {folder}.")]
    free = shutil.disk_usage(folder).free
    if free < LITTLE_ROOM:
        found.append(
            Finding(False, f"The disk has only {free // 2**20} MiB left: make room, or changes will be refused.")
        )
    if not path.is_file():
        return [*found, Finding(False, "There is no data file in it. Put one back with ylemorph restore.")]
    try:
        held = look_at_copy(path)
    except YlemorphError as error:
        text = f"The data file cannot be used: {error.problem}. Put a copy back with ylemorph restore."
        return [*found, Finding(False, text), *_what_can_be_saved(path)]
    found.append(Finding(True, f"The data file is whole: {held.jobs} jobs, version {held.version}."))
    return [*found, *_broken_jobs(path)]


def _broken_jobs(path: Path) -> list[Finding]:
    broken = []
    with closing(connect(path)) as connection:
        for line in jobs.lines(connection):
            try:
                jobs.get(connection, line.id)
            except YlemorphError as error:
                text = f"Job {line.code} {line.name} cannot be read: {error.problem}. Its surveys can be taken out."
                broken.append(Finding(False, text))
    return broken or [Finding(True, "Every job can be read.")]


def _what_can_be_saved(path: Path) -> list[Finding]:
    """How many jobs of a damaged file can still be read."""
    try:
        with closing(connect(path)) as connection:
            lines, readable = jobs.lines(connection), 0
            for line in lines:
                try:
                    jobs.get(connection, line.id)
                    readable += 1
                except (YlemorphError, sqlite3.Error):
                    continue
    except sqlite3.Error:
        return [Finding(False, "No job can be read from it.")]
    text = f"{readable} of {len(lines)} jobs can still be read: take them out with ylemorph doctor --save FILE."
    return [Finding(False, text)]


def _reason(error: OSError | sqlite3.Error) -> str:
    return getattr(error, "strerror", None) or str(error) or type(error).__name__
