"""``ylemorph plan``."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from ..core.fit.options import FIRMWARES, FITS, TABLE_WISHES
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import read_disk, write_text

if TYPE_CHECKING:
    from ..core.disk.model import Disk
    from ..core.fit.plan import Plan

PLAN_FORMATS = ("table", "json", "csv", "sfdisk", "svg")


def _plan_options(command: Callable[..., Any]) -> Callable[..., Any]:
    options = (
        click.option("--fit", type=click.Choice(FITS), help="How spare or missing space is shared out."),
        click.option("--grow", type=int, metavar="N", help="The row that takes the rest, with --fit rest-to-one."),
        click.option("--pin", multiple=True, metavar="N=SIZE", help="Set a row's size by hand."),
        click.option("--leave", multiple=True, type=int, metavar="N", help="Leave a row behind."),
        click.option("--hold", multiple=True, type=int, metavar="N", help="Keep a row at its source size."),
        click.option("--elastic", multiple=True, type=int, metavar="N", help="Let a row change its size."),
        click.option("--role", multiple=True, metavar="N=ROLE", help="Say what a row is."),
        click.option("--lighten", multiple=True, metavar="N=SIZE", help="So much of a row stays behind."),
        click.option("--cleared", multiple=True, type=int, metavar="N", help="A row's immovable end is cleared."),
        click.option("--headroom", metavar="PCT", help="Comfort headroom in percent of the used space."),
        click.option("--tail", metavar="SIZE", help="Space kept empty at the end."),
        click.option("--free-after", type=int, metavar="N", help="Free space stands after this row."),
        click.option("--table", type=click.Choice(TABLE_WISHES), help="Partition table of the target."),
        click.option("--grain", metavar="SIZE", help="Alignment unit, 1MiB unless given."),
        click.option("--firmware", type=click.Choice(FIRMWARES), help="In which mode the machine starts."),
        click.option("--overwrite", metavar="LAST4", help="Last four of the target's serial: its contents may go."),
        click.option("--order", metavar="N,N,…", help="Order of the rows on the target."),
    )
    for option in reversed(options):
        command = option(command)
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

    if source == "-" and target == "-":
        raise YlemorphError("standard input can be read only once", at="--target", mend="give one of the two as a file")
    source_read = read_disk(source, disk).disk
    target_read = _read_target(target, int(target_sector), target_disk)
    order: str | None = flags.pop("order")
    wishes: dict[str, Any] = {
        k: list(v) if isinstance(v, tuple) else v for k, v in flags.items() if v not in (None, ())
    }
    if order is not None:
        wishes["order"] = [part.strip() for part in order.split(",")]
    made = make_plan(source_read, target_read, options_from(wishes, source_read, target_read))
    write_text(_rendered(made, source_read, target_read, form, terminal=out is None and sys.stdout.isatty()), out)
    return EXIT_DOES_NOT_FIT if made.verdict == "does-not-fit" else EXIT_FITS


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
    from ..formats.options import target_from_text

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
