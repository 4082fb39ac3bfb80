"""``ylemorph plan``."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from ..core.fit.options import OPTIONS
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import is_terminal, read_disk, write_file, write_text

if TYPE_CHECKING:
    from ..core.disk.model import Disk
    from ..core.fit.plan import Plan

PLAN_FORMATS = ("table", "json", "csv", "sfdisk", "svg", "table-image")


REPEATED = frozenset(("rows", "row-sizes", "row-roles"))


def _plan_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """A flag for each option of the table."""
    for kind in reversed(OPTIONS.values()):
        command = click.option(
            "--" + kind.key.replace("_", "-"),
            kind.key,
            type=click.Choice(kind.choices) if kind.choices else str,
            multiple=kind.kind in REPEATED,
            metavar=kind.metavar or None,
            help=kind.help,
        )(command)
    return command


@click.command()
@click.argument("source")
@click.option(
    "--target", required=True, metavar="TARGET", help="A survey file, a size (480GB) or sectors (937703088s)."
)
@click.option(
    "--target-sector",
    type=click.Choice(["512", "4096"]),
    default="512",
    show_default=True,
    help="Logical sector of a target given as a size.",
)
@click.option("--disk", metavar="NAME", help="Which disk, where SOURCE lists several.")
@click.option("--target-disk", metavar="NAME", help="Which disk, where TARGET lists several.")
@_plan_options
@click.option("--format", "form", type=click.Choice(PLAN_FORMATS), default="table", show_default=True)
@click.option("--out", metavar="FILE", help="Write there instead of standard output.")
def plan(
    source: str,
    target: str,
    target_sector: str,
    disk: str | None,
    target_disk: str | None,
    form: str,
    out: str | None,
    **flags: Any,
) -> int:
    """Fit the partitions of SOURCE (a survey file, or - for standard input) to a target."""
    from ..core.fit.plan import make_plan
    from ..formats.options import options_from

    if form == "table-image":
        _check_image_place(out)
    if source == "-" and target == "-":
        raise YlemorphError("standard input can be read only once", at="--target", mend="give one of the two as a file")
    source_read = read_disk(source, disk).disk
    target_read = _read_target(target, int(target_sector), target_disk)
    made = make_plan(source_read, target_read, options_from(_options_given(flags), source_read, target_read))
    if form == "table-image":
        _write_table_image(made, str(out))
    else:
        text = _rendered(made, source_read, target_read, form, terminal=out is None and is_terminal(sys.stdout))
        write_text(text, out)
    return EXIT_FITS if made.verdict in ("comfortable", "tight") else EXIT_DOES_NOT_FIT


def _check_image_place(out: str | None) -> None:
    """A sparse file of a disk's size is neither for a screen nor for a disk: what is there would be overwritten."""
    if out is None:
        raise YlemorphError("a table image is a file of the target's size", at="--format", mend="name it with --out")
    if Path(out).exists() and not Path(out).is_file():
        raise YlemorphError("a table image is never written to a device", at=out, mend="name a file with --out")


def _write_table_image(made: "Plan", out: str) -> None:
    from ..formats.table_bytes import table_pieces, write_pieces

    pieces = table_pieces(made)  # before a file is begun
    write_file(out, lambda file: write_pieces(made, pieces, file))


def _options_given(flags: dict[str, Any]) -> dict[str, Any]:
    """The flags that were given, in the shape that options are read from."""
    given: dict[str, Any] = {key: list(value) if isinstance(value, tuple) else value for key, value in flags.items()}
    wanted = {key: value for key, value in given.items() if value not in (None, [])}
    if "order" in wanted:
        wanted["order"] = [part.strip() for part in wanted["order"].split(",")]
    return wanted


def _rendered(made: "Plan", source: "Disk", target: "Disk", form: str, *, terminal: bool) -> str:
    if form == "table":
        from ..formats.text import plan_to_text

        return plan_to_text(made, source, target, terminal=terminal)
    if form == "sfdisk":
        from ..formats.sfdisk import plan_to_script

        return plan_to_script(made)
    if form == "svg":
        from ..formats.svg import plan_to_svg

        return plan_to_svg(made, source, target)
    from ..formats.plan import plan_to_csv, plan_to_json

    return plan_to_json(made) if form == "json" else plan_to_csv(made)


def _read_target(text: str, sector: int, wanted: str | None) -> "Disk":
    """A size where the text reads as one and no file has that name; else a file."""
    from ..core.errors import BadSize
    from ..formats.targets import target_from_text

    if text != "-" and not Path(text).exists():
        try:
            return target_from_text(text, sector)
        except BadSize:
            if text[:1].isdigit() or text[:1] in "+-." or not text:
                raise YlemorphError(
                    f"“{text}” is neither a file nor a size",
                    at="--target",
                    mend="give a survey file, a nominal size (480GB) or sectors (937703088s)",
                ) from None
    return read_disk(text, wanted, "--target-disk").disk
