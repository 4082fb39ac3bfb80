"""``ylemorph schema``."""

import json
import sys

import click

from . import EXIT_FITS


@click.command()
@click.argument("what", type=click.Choice(["disk", "plan"]))
def schema(what: str) -> int:
    """Print the JSON Schema of a survey (disk) or a plan."""
    if what == "disk":
        from ..formats.survey import schema as made
    else:
        from ..formats.plan_schema import schema as made
    sys.stdout.write(json.dumps(made(), indent=1) + "\n")
    return EXIT_FITS
