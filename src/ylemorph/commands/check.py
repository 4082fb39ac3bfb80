"""``ylemorph check``."""

import click

from ..core.checkback.sampling import LEAST_SHARE_PERCENT, MOST_SHARE_PERCENT, SHARE_PERCENT
from ..usecases.disks import read_disk, read_text_file
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import write_text
from .outputs import Guarded, out_option


@click.command(cls=Guarded)
@click.argument("plan")
@click.argument("found")
@click.option(
    "--with", "source", metavar="SOURCE", help="Compare places drawn at random with SOURCE, an image or device."
)
@click.option(
    "--share",
    type=click.FloatRange(LEAST_SHARE_PERCENT, MOST_SHARE_PERCENT),
    default=SHARE_PERCENT,
    metavar="PCT",
    show_default=True,
    help="Damage of this share of what is in use is to be found by --with.",
)
@click.option("--disk", metavar="NAME", help="Which disk, where FOUND lists several.")
@click.option("--format", "form", type=click.Choice(["table", "json"]), default="table", show_default=True)
@out_option
def check(plan: str, found: str, source: str | None, share: float, disk: str | None, form: str, out: str | None) -> int:
    """Compare the finished disk FOUND (an image, a device, a survey or a listing) with PLAN (the JSON of a plan)."""
    from ..core.checkback.compare import check_back
    from ..core.errors import YlemorphError
    from ..formats.own.check import check_to_json, check_to_text, read_plan

    if plan == "-" and found == "-":
        raise YlemorphError("standard input can be read only once", at="FOUND", mend="give one of the two as a file")
    shown, text = read_text_file(plan)
    try:
        planned = read_plan(text)
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None
    checked = check_back(planned, read_disk(found, disk).disk)
    if source is not None:
        import random

        from ..usecases.sampling import sampled

        checked = sampled(planned, checked, found, source, share, random.SystemRandom())
    write_text(check_to_json(checked) if form == "json" else check_to_text(checked), out)
    return EXIT_FITS if checked.as_planned else EXIT_DOES_NOT_FIT
