"""Many surveys at once: files in any readable form, folders, archives. What cannot be read is said, the rest goes on.

An archive is never unpacked to disk, so no name in it leads anywhere; one that tries to is said all the same.
"""

import io
import os
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, NamedTuple

from ...core.buy.fleet import Trouble
from ...core.disk.model import Survey
from ...core.errors import YlemorphError
from ...core.plain import plain_line
from ...opening import open_regular, read_most
from ..own.survey_data import MAX_FILE_BYTES
from .reading import read_any

MOST_FILES = 20_000  # of one archive
MOST_UNPACKED = 2**30  # bytes of all files of an archive together
MOST_SWELLING = 200  # times that a file may be larger than it is packed; text seldom goes past 30
SMALL = 2**20  # a file up to which nobody asks how much it swells
PASSED_OVER = ("__macosx/", "thumbs.db", "desktop.ini", ".ds_store")
ZIP_MAGIC = b"PK\x03\x04"
EMPTY_ZIP = b"PK\x05\x06"


class Found(NamedTuple):
    """One machine of a file; ``origin``: where it stood."""

    name: str
    origin: str
    survey: Survey


def is_archive(head: bytes) -> bool:
    return head.startswith((ZIP_MAGIC, EMPTY_ZIP))


def read_item(origin: str, data: bytes) -> Iterator[Found | Trouble]:
    """All machines of one file, a file of an archive among them. A listing of several disks gives each of them."""
    if is_archive(data[:4]):
        yield from _read_archive(origin, io.BytesIO(data))
        return
    try:
        reading = read_any(data)
    except YlemorphError as error:
        yield Trouble(origin, _sentence(error))
        return
    stem = Path(origin.replace("\\", "/")).stem or origin
    many = len(reading.found) > 1
    for item in reading.found:
        typed = reading.form == "table of partitions" and item.name != "typed"
        name = item.name if typed else f"{stem} {item.name}" if many and item.name else stem
        yield Found(plain_line(name)[:120], origin, item.survey)
    for broken in reading.unreadable:
        yield Trouble(f"{origin}: {broken.name}", _sentence(broken.error))


def _read_archive(origin: str, file: IO[bytes]) -> Iterator[Found | Trouble]:
    for name, data in archive_items(origin, file):
        if isinstance(data, Trouble):
            yield data
        elif is_archive(data[:4]):
            yield Trouble(name, "an archive in an archive is not opened; unpack it first")
        else:
            yield from read_item(name, data)


def archive_items(origin: str, file: IO[bytes]) -> Iterator[tuple[str, bytes | Trouble]]:
    """The files of a zip archive with their names behind its own, unpacked one after the other in memory."""
    try:
        archive = zipfile.ZipFile(file)
        entries = [entry for entry in archive.infolist() if not entry.is_dir() and not passed_over(entry.filename)]
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        yield origin, Trouble(origin, f"the archive cannot be read ({error}); pack it again")
        return
    if len(entries) > MOST_FILES:
        yield origin, Trouble(origin, f"{len(entries)} files are more than {MOST_FILES}; give it in parts")
        return
    left = MOST_UNPACKED
    for entry in entries:
        name = f"{origin}/{plain_line(entry.filename)}"
        trouble = _refused(entry, left)
        if trouble:
            yield name, Trouble(name, trouble)
            continue
        try:
            with archive.open(entry) as part:
                data = part.read(MAX_FILE_BYTES + 1)
        except (
            zipfile.BadZipFile,
            zlib.error,
            OSError,
            RuntimeError,
            NotImplementedError,
            EOFError,
            ValueError,
        ) as error:
            yield name, Trouble(name, f"it cannot be unpacked ({plain_line(str(error))[:120]}); pack it again")
            continue
        left -= len(data)
        yield name, data


def _refused(entry: zipfile.ZipInfo, left: int) -> str:
    parts = entry.filename.replace("\\", "/").split("/")
    if ".." in parts or entry.filename.startswith(("/", "\\")) or ":" in parts[0]:
        return "its name leads outside of the archive; pack it again with plain names"
    swollen = entry.file_size > SMALL and entry.file_size > entry.compress_size * MOST_SWELLING
    if swollen or entry.file_size > MAX_FILE_BYTES:
        return f"unpacked it would have {entry.file_size} bytes, which no survey has; take it out"
    return "the archive is too large unpacked; give it in parts" if entry.file_size > left else ""


def passed_over(name: str) -> bool:
    """What systems leave in folders beside a person's files."""
    low = name.lower().replace("\\", "/")
    hidden = any(part.startswith(".") and part not in (".", "..") for part in low.split("/"))
    return hidden or low.startswith(PASSED_OVER[0]) or low.rsplit("/", 1)[-1] in PASSED_OVER[1:]


def paths_under(paths: list[str]) -> Iterator[str | Trouble]:
    """Files, and those in folders below, in the order of their names."""
    for given in paths:
        if not Path(given).is_dir():
            yield given
            continue
        inner = sorted(
            str(Path(folder) / name)
            for folder, _, names in os.walk(given)
            for name in names
            if not passed_over(str((Path(folder) / name).relative_to(given)))
        )
        yield from inner
        if not inner:
            yield Trouble(given, "there is no file in this folder; give one that holds surveys")


def read_path(path: str) -> Iterator[Found | Trouble]:
    """One file from its place."""
    try:
        with open_regular(path) as file:
            if is_archive(read_most(file, 4)):
                file.seek(0)
                yield from _read_archive(path, file)
                return
            file.seek(0)
            data = read_most(file, MAX_FILE_BYTES + 1)
    except (OSError, ValueError) as error:
        yield Trouble(path, f"cannot be read ({getattr(error, 'strerror', None) or 'not a path'}); check the path")
        return
    yield from read_item(path, data)


def _sentence(error: YlemorphError) -> str:
    return error.sentence()
