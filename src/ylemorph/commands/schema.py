"""``ylemorph schema``."""

import json
import sys
from importlib import import_module

import click

from . import EXIT_FITS

SCHEMAS = {"disk": "survey", "plan": "plan_schema", "steps": "steps_schema", "check": "check", "fleet": "fleet"}


@click.command()
@click.argument("what", type=click.Choice(list(SCHEMAS)))
def schema(what: str) -> int:
    """Print the JSON Schema of a survey (disk), a plan, steps, a check or a fleet."""
    made = import_module(f"..formats.own.{SCHEMAS[what]}", __package__).schema()
    sys.stdout.write(json.dumps(made, indent=1) + "\n")
    return EXIT_FITS
