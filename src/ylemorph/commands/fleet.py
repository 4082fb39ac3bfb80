"""``ylemorph fleet``: many machines against several disks under several fits, on all cores."""

import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from ..core.fit.options import FITS, OPTIONS
from ..opening import open_regular, read_most
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import is_image, write_bytes, write_text
from .outputs import Guarded, note_input, out_option
from .pair import option_flags, options_given, read_target
from .shelf import read_shelf_file

if TYPE_CHECKING:
    from ..core.buy.assess import Target
    from ..core.buy.fleet import Bought, Fleet, Read, Trouble
    from ..core.fit.options import Fit, Options
    from ..formats.listings.fleet_read import Found

SHARED = [kind for kind in OPTIONS.values() if kind.scope not in ("rows", "target") and kind.key != "fit"]
TOGETHER = 16  # files that a process gets at a time


@click.command(cls=Guarded)
@click.argument("paths", nargs=-1, required=True, metavar="PATH...")
@click.option("--target", "targets", multiple=True, metavar="TARGET", help="A size, sectors or a survey; repeatable.")
@click.option(
    "--shelf", "shelf_file", metavar="FILE", help="A shelf as CSV: its disks are targets, its prices the mix's."
)
@click.option(
    "--currency", default="", metavar="EUR", help="Which prices count, where the shelf has several currencies."
)
@click.option("--fit", "fits", multiple=True, type=click.Choice(FITS), help="Repeatable; proportional unless given.")
@partial(option_flags, kinds=SHARED)
@click.option("--processes", type=click.IntRange(1, 256), default=None, help="As many as there are cores unless given.")
@click.option(
    "--format", "form", type=click.Choice(["table", "json", "csv", "xlsx"]), default="table", show_default=True
)
@out_option
def fleet(
    paths: tuple[str, ...], targets: tuple[str, ...], shelf_file: str | None, currency: str, fits: tuple["Fit", ...],
    processes: int | None, form: str, out: str | None, **flags: Any,
) -> int:  # fmt: skip
    """Fit many machines: PATH is a survey, a folder or archive of them, or a table with a machine column."""
    from ..core.buy.fleet import Read, fleet_of
    from ..formats.own.options import options_from

    options = options_from(options_given(flags))
    wanted, shelf = _targets(targets, shelf_file)
    chosen: tuple[Fit, ...] = fits or ("proportional",)
    read: list[Read] = []
    troubles: list[Trouble] = []
    for item in assessed(paths, wanted, chosen, options, form, processes or os.cpu_count() or 1):
        if isinstance(item, Read):
            read.append(item)
        else:
            troubles.append(item)
    if not read:
        first = troubles[0]
        raise YlemorphError(f"no machine could be read: {first.sentence}", at=first.name, mend="give surveys")
    made = fleet_of(wanted, chosen, read, troubles)
    _write(made, _bought(made, shelf, currency), form, out)
    fitting = {"comfortable", "tight"}
    all_fit = all(fitting.intersection(machine.assessed.best) for machine in made.counted)
    return EXIT_FITS if all_fit else EXIT_DOES_NOT_FIT


def _targets(texts: tuple[str, ...], shelf_file: str | None) -> "tuple[list[Target], list[Any]]":
    from ..core.buy.assess import Target

    shelf = read_shelf_file(shelf_file) if shelf_file is not None else []
    found = [Target(text, read_target(text, 512, None)) for text in dict.fromkeys(texts)]
    found += [Target(item.name, item.disk) for item in shelf]
    if not found:
        raise YlemorphError("there is no target", at="--target", mend="give a size (480GB), or a shelf with --shelf")
    return found, shelf


def _bought(made: "Fleet", shelf: list[Any], currency: str) -> "Bought | None":
    from ..core.buy.fleet import able_of, buy

    return buy(able_of(made), shelf, currency) if any(item.price is not None for item in shelf) else None


def _write(made: "Fleet", bought: "Bought | None", form: str, out: str | None) -> None:
    import io

    from ..formats.documents.fleet_text import fleet_to_text
    from ..formats.own import fleet as formats

    if form == "xlsx":
        book = io.BytesIO()
        formats.write_fleet_sheet(made, book)
        write_bytes(book.getvalue(), out)
    else:
        write = {
            "table": lambda: fleet_to_text(made, bought), "json": lambda: formats.fleet_to_json(made, bought),
            "csv": lambda: formats.fleet_to_csv(made),
        }  # fmt: skip
        write_text(write[form](), out)


def assessed(
    paths: Iterable[str],
    targets: "list[Target]",
    fits: "tuple[Fit, ...]",
    options: "Options",
    form: str,
    processes: int,
) -> "Iterator[Read | Trouble]":
    """Every machine in the order of the files, whatever process had it."""
    work = partial(_work, targets=targets, fits=fits, options=options, form=form)
    tasks = _tasks(paths)
    if processes == 1:
        for task in tasks:
            yield from work(task)
        return
    from ..usecases.fleet_work import leave_with

    for module in ("formats.own.fleet", "formats.listings.reading", "formats.own.survey", "probe.disks"):
        import_module(f"..{module}", __package__)  # once, before the processes part
    with ProcessPoolExecutor(processes, initializer=leave_with, initargs=(os.getpid(),)) as pool:
        for found in pool.map(work, tasks, chunksize=TOGETHER):
            yield from found


def _tasks(paths: Iterable[str]) -> "Iterator[str | tuple[str, bytes] | Trouble]":
    """Paths as they are; an archive's files one by one, so that all processes get some."""
    from ..formats.listings.fleet_read import archive_items, is_archive, paths_under

    for path in paths_under(list(paths)):
        if isinstance(path, str):
            note_input(path)
        if isinstance(path, str) and _head(path, is_archive):
            with open_regular(path) as file:
                for name, data in archive_items(path, file):
                    yield (name, data) if isinstance(data, bytes) else data
        else:
            yield path


def _head(path: str, wanted: Any) -> bool:
    try:
        with open_regular(path) as file:
            return bool(wanted(read_most(file, 4)))
    except OSError:
        return False


def _work(
    task: "str | tuple[str, bytes] | Trouble",
    targets: "list[Target]",
    fits: "tuple[Fit, ...]",
    options: "Options",
    form: str,
) -> "list[Read | Trouble]":
    from ..core.buy.assess import assess
    from ..core.buy.fleet import Read, Trouble

    made: list[Read | Trouble] = []
    names = [target.name for target in targets]
    for found in _found(task):
        if isinstance(found, Trouble):
            made.append(found)
            continue
        try:
            made.append(
                _written(Read(found.name, found.origin, assess(found.survey, targets, fits, options)), names, form)
            )
        except YlemorphError as error:
            made.append(Trouble(found.name, error.sentence()))
    return made


def _written(read: "Read", names: list[str], form: str) -> "Read":
    """With its lines as text, where the form is made of such: less travels between processes than with values."""
    from ..formats.own.fleet import WRITERS, cells_of

    if form not in WRITERS:
        return read
    text = WRITERS[form](cells_of(read.name, read.assessed, names))
    return read._replace(assessed=read.assessed._replace(lines=()), written=text)


def _found(task: "str | tuple[str, bytes] | Trouble") -> "Iterable[Found | Trouble]":
    from ..core.buy.fleet import Trouble
    from ..formats.listings.fleet_read import Found, read_item, read_path

    if isinstance(task, Trouble):
        return [task]
    if not isinstance(task, str):
        return read_item(*task)
    if not is_image(task):
        return read_path(task)
    from ..probe.disks import survey_path

    try:
        return [Found(Path(task).stem, task, survey_path(task))]
    except YlemorphError as error:
        return [Trouble(task, error.sentence())]
