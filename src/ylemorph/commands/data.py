"""``ylemorph backup``, ``restore`` and ``doctor``: the data folder as a whole."""

from pathlib import Path

import click

from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import write_output, write_text
from .outputs import PLACE, Guarded, check_place, note_input

_data = click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")


def _folder(data: str | None) -> Path:
    from platformdirs import user_data_path

    return Path(data) if data else user_data_path("ylemorph")


def _note_data(path: Path) -> None:
    """The data file, and what the database keeps beside it."""
    for beside in ("", "-wal", "-shm"):
        note_input(f"{path}{beside}")


@click.command(cls=Guarded)
@click.argument("file", type=PLACE)
@_data
def backup(file: str, data: str | None) -> int:
    """Write a whole copy of the data to FILE, also while Ylemorph runs."""
    from ..usecases.data import FILE_NAME, StoreError, back_up, look_at_copy

    path = _folder(data) / FILE_NAME
    if not path.is_file():
        raise StoreError("there is no data file", at=str(path), mend="name the data folder with --data")
    _note_data(path)
    check_place(file)
    back_up(path, Path(file))
    write_output(f"{look_at_copy(Path(file)).jobs} jobs are in {file}.\n")
    return EXIT_FITS


@click.command()
@click.argument("file", type=click.Path(dir_okay=False))
@_data
@click.option("--with-broken", is_flag=True, help="Take a copy in which some jobs cannot be read.")
def restore(file: str, data: str | None, with_broken: bool) -> int:
    """Put the copy FILE in the place of the data, which is kept aside; FILE is checked before."""
    from ..usecases.data import restore as put_back

    folder = _folder(data)
    held, aside = put_back(folder, Path(file), with_broken=with_broken)
    kept = f" What was there before stands in {aside}." if aside else ""
    write_output(f"{held.jobs} jobs are in {folder} now.{kept}\n")
    return EXIT_FITS


@click.command(cls=Guarded)
@_data
@click.option("--save", type=PLACE, metavar="FILE", help="Take every job that can be read out into this file.")
def doctor(data: str | None, save: str | None) -> int:
    """Say what is wrong with the data folder, and what can be saved; nothing is changed."""
    from ..usecases.data import FILE_NAME, examine

    _note_data(_folder(data) / FILE_NAME)
    check_place(save)
    found = examine(_folder(data))
    for finding in found:
        write_output(f"{'well ' if finding.well else 'wrong'}  {finding.text}\n")
    if save is not None:
        _save(_folder(data), save)
    return EXIT_FITS if all(finding.well for finding in found) else EXIT_DOES_NOT_FIT


def _save(folder: Path, save: str) -> None:
    import sqlite3
    from contextlib import closing

    from ..usecases.data import FILE_NAME, StoreError, connect, jobs_as_text

    path = folder / FILE_NAME
    if not path.is_file():
        raise StoreError("there is no data file", at=str(path), mend="name the data folder with --data")
    try:
        with closing(connect(path)) as connection:
            text, count = jobs_as_text(connection)
    except sqlite3.Error as error:
        raise StoreError(f"nothing can be read from it ({error})", at=str(path), mend="put a copy back") from None
    write_text(text + "\n", save)
    write_output(f"{count} jobs are in {save}.\n")
