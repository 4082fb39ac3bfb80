"""``ylemorph rehearse``."""

import json

import click

from ..usecases.disks import read_text_file
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import write_output


@click.command()
@click.argument("steps")
@click.option("--format", "form", type=click.Choice(["table", "json"]), default="table", show_default=True)
def rehearse(steps: str, form: str) -> int:
    """Run STEPS (the JSON of `ylemorph steps`, or -) through a model of the disks, and say whether anything is lost."""
    from ..core.carry.rehearse import rehearse as run
    from ..core.errors import YlemorphError
    from ..formats.own.steps import verdict_to_data
    from ..formats.own.steps_read import read_steps, verdict_text

    shown, text = read_text_file(steps)
    try:
        sequence = read_steps(text)
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None
    verdict = run(sequence)
    if form == "json":
        write_output(json.dumps(verdict_to_data(verdict), ensure_ascii=False) + "\n")
    else:
        write_output(verdict_text(verdict, sequence) + "\n")
    return EXIT_FITS if verdict.safe else EXIT_DOES_NOT_FIT
