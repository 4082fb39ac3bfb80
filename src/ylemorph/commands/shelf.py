"""``ylemorph shelf``: what each disk that one has or could buy would mean for a source."""

from typing import TYPE_CHECKING, Any

import click

from ..core.errors import YlemorphError
from ..usecases.disks import read_disk, read_text_file
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import write_text
from .outputs import Guarded, out_option
from .pair import option_flags, options_given

if TYPE_CHECKING:
    from ..core.buy.shelf import ShelfDisk


@click.command(cls=Guarded)
@click.argument("source")
@click.option("--disk", metavar="NAME", help="Which disk, where SOURCE lists several.")
@click.option("--shelf", "shelf_file", metavar="FILE", help="A shelf as CSV; the usual sizes unless given.")
@option_flags
@click.option("--format", "form", type=click.Choice(["table", "json", "csv"]), default="table", show_default=True)
@out_option
def shelf(source: str, disk: str | None, shelf_file: str | None, form: str, out: str | None, **flags: Any) -> int:
    """Say of every disk of a shelf how the partitions of SOURCE would fit it."""
    from datetime import UTC, datetime

    from ..core.buy.growth import day_of, typed
    from ..core.buy.shelf import Circumstances, look
    from ..formats.own.ladder import ladder_to_csv, ladder_to_json, ladder_to_text
    from ..formats.own.options import options_from

    survey = read_disk(source, disk)
    options = options_from(options_given(flags), survey.disk)
    since = day_of(survey.taken) or datetime.now(UTC).date()
    around = Circumstances(growths={row: typed(size) for row, size in options.growth}, since=since)
    looked = look(survey.disk, options, read_shelf_file(shelf_file), around)
    write = {"table": ladder_to_text, "json": ladder_to_json, "csv": ladder_to_csv}[form]
    write_text(write(looked), out)
    fits = any(offer.outcome.verdict in ("comfortable", "tight") for offer in looked.offers)
    return EXIT_FITS if fits else EXIT_DOES_NOT_FIT


def read_shelf_file(name: str | None) -> "list[ShelfDisk]":
    """A shelf from a CSV file, or the usual sizes without prices. Raises YlemorphError with the file's name."""
    from ..core.buy.shelf import usual_shelf
    from ..formats.listings.reading import decoded
    from ..formats.own.shelf import read_shelf

    if name is None:
        return usual_shelf()
    shown, data = read_text_file(name)
    try:
        return read_shelf(decoded(data))
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None
