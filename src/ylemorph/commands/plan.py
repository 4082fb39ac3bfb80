"""``ylemorph plan``."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import is_terminal, write_text
from .outputs import STDOUT, Guarded, out_option, write_file
from .pair import pair_options, plan_of

if TYPE_CHECKING:
    from ..core.fit.plan import Plan

PLAN_FORMATS = ("table", "json", "csv", "sfdisk", "svg", "table-image")


@click.command(cls=Guarded)
@pair_options
@click.option("--format", "form", type=click.Choice(PLAN_FORMATS), default="table", show_default=True)
@out_option
def plan(form: str, out: str | None, **given: Any) -> int:
    """Fit the partitions of SOURCE (a survey file, or - for standard input) to a target."""
    if form == "table-image":
        _check_image_place(out)
    made = plan_of(**given)
    if form == "table-image":
        _write_table_image(made, given["source"], str(out))
    else:
        write_text(_rendered(made, form, terminal=out is None and is_terminal(sys.stdout)), out)
    return EXIT_FITS if made.verdict in ("comfortable", "tight") else EXIT_DOES_NOT_FIT


def _check_image_place(out: str | None) -> None:
    """A sparse file of a disk's size is neither for a screen nor for a disk: what is there would be overwritten."""
    if out is None or out in STDOUT:
        raise YlemorphError("a table image is a file of the target's size", at="--format", mend="name it with --out")
    if Path(out).exists() and not Path(out).is_file():
        raise YlemorphError("a table image is never written to a pipe", at=out, mend="name a file with --out")


def _write_table_image(made: "Plan", source: str, out: str) -> None:
    from ..formats.documents.table_bytes import table_pieces, write_pieces
    from ..usecases.disks import start_code_of

    # Before a file is begun; the code ends where the table's own figures begin.
    pieces = [*table_pieces(made), *start_code_of(source, made)]
    write_file(out, lambda file: write_pieces(made, pieces, file))


def _rendered(made: "Plan", form: str, *, terminal: bool) -> str:
    if form == "table":
        from ..formats.documents.plan_text import plan_to_text

        return plan_to_text(made, made.source, made.target, terminal=terminal)
    if form == "sfdisk":
        from ..formats.documents.sfdisk import plan_to_script

        return plan_to_script(made)
    if form == "svg":
        from ..formats.documents.svg import plan_to_svg

        return plan_to_svg(made, made.source, made.target)
    from ..formats.own.plan import plan_to_csv, plan_to_json

    return plan_to_json(made) if form == "json" else plan_to_csv(made)
