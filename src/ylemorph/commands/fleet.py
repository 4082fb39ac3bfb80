"""``ylemorph fleet``: many machines against several disks under several fits, on all cores."""

import os
from functools import partial
from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from ..core.fit.options import FITS, OPTIONS
from ..usecases.disks import read_target
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import write_bytes, write_text
from .outputs import Guarded, note_input, out_option
from .pair import option_flags, options_given
from .shelf import read_shelf_file

if TYPE_CHECKING:
    from ..core.buy.assess import Target
    from ..core.buy.fleet import Bought, Fleet, Trouble
    from ..core.fit.options import Fit

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
    paths: tuple[str, ...],
    targets: tuple[str, ...],
    shelf_file: str | None,
    currency: str,
    fits: tuple["Fit", ...],
    processes: int | None,
    form: str,
    out: str | None,
    **flags: Any,
) -> int:
    """Fit many machines: PATH is a survey, a folder or archive of them, or a table with a machine column."""
    from ..core.buy.fleet import Read, bought_for, fleet_of
    from ..formats.own.options import options_from
    from ..usecases.fleet_files import assess_files
    from ..usecases.fleet_work import Against

    options = options_from(options_given(flags))
    wanted, shelf = _targets(targets, shelf_file)
    chosen: tuple[Fit, ...] = fits or ("proportional",)
    read: list[Read] = []
    troubles: list[Trouble] = []
    work = Against(tuple(wanted), chosen, options)
    for item in assess_files(paths, work, form, processes or os.cpu_count() or 1, note_input):
        if isinstance(item, Read):
            read.append(item)
        else:
            troubles.append(item)
    if not read:
        first = troubles[0]
        raise YlemorphError(f"no machine could be read: {first.sentence}", at=first.name, mend="give surveys")
    made = fleet_of(wanted, chosen, read, troubles)
    _write(made, bought_for(made, shelf, currency), form, out)
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
            "table": lambda: fleet_to_text(made, bought),
            "json": lambda: formats.fleet_to_json(made, bought),
            "csv": lambda: formats.fleet_to_csv(made),
        }
        write_text(write[form](), out)
