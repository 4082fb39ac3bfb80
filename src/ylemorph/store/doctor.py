"""The data folder looked at: what is wrong with it, and what can be saved. Nothing is changed."""

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from ..core.errors import YlemorphError
from . import jobs
from .database import FILE_NAME, connect, end_after
from .files import broken_jobs, look_at_copy
from .preparing import CHECK_SECONDS, newest_version

LITTLE_ROOM = 64 * 2**20  # under which a full disk is near


class Examined(NamedTuple):
    """One thing that was looked at: whether it is well, and in a sentence what is so or what to do."""

    well: bool
    text: str


def examine(folder: Path) -> list[Examined]:
    """The data folder, the file and every job in it, without changing anything."""
    path = folder / FILE_NAME
    if not folder.is_dir():
        return [Examined(False, f"There is no data folder {folder}. Start Ylemorph once, or name another with --data.")]
    found = [Examined(True, f"The data folder is {folder}.")]
    free = shutil.disk_usage(folder).free
    if free < LITTLE_ROOM:
        found.append(
            Examined(False, f"The disk has only {free // 2**20} MiB left: make room, or changes will be refused.")
        )
    if not path.is_file():
        return [*found, Examined(False, "There is no data file in it. Put one back with ylemorph restore.")]
    try:
        held = look_at_copy(path)
    except YlemorphError as error:
        text = f"The data file cannot be used: {error.problem}. Put a copy back with ylemorph restore."
        return [*found, Examined(False, text), *_what_can_be_saved(path)]
    found.append(Examined(True, f"The data file is whole: {held.jobs} jobs, version {held.version}."))
    if held.version < newest_version():
        return [*found, Examined(True, "It is brought up to date when Ylemorph starts, with a copy kept beside it.")]
    return [*found, *_broken_jobs(path)]


def _broken_jobs(path: Path) -> list[Examined]:
    with closing(connect(path)) as connection:
        return [
            Examined(False, f"Job {line.code} {line.name} cannot be read: {why}. Its surveys can be taken out.")
            for line, why in broken_jobs(connection)
        ]


def _what_can_be_saved(path: Path) -> list[Examined]:
    """How many jobs of a damaged file can still be read."""
    try:
        with closing(connect(path)) as connection:
            end_after(connection, CHECK_SECONDS)
            lines, readable = jobs.lines(connection), 0
            for line in lines:
                try:
                    jobs.get(connection, line.id)
                    readable += 1
                except (YlemorphError, sqlite3.Error):
                    continue
    except sqlite3.Error:
        return [Examined(False, "No job can be read from it.")]
    text = f"{readable} of {len(lines)} jobs can still be read: take them out with ylemorph doctor --save FILE."
    return [Examined(False, text)]
