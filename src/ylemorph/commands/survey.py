"""``ylemorph survey``."""

import sys
import time

import click

from ..formats.own.survey_data import write_survey
from ..probe.disks import survey_path
from . import EXIT_FITS
from .files import is_terminal, write_text
from .outputs import Guarded, out_option

QUIET_SECONDS = 1.0


@click.command(cls=Guarded)
@click.argument("path")
@out_option
def survey(path: str, out: str | None) -> int:
    """Survey an image file or a block device at PATH, read only."""
    write_text(write_survey(survey_path(path, _Meter() if is_terminal(sys.stderr) else None)), out)
    return EXIT_FITS


class _Meter:
    """Says how far a reading is, once it takes more than a second, and wipes what it said."""

    def __init__(self) -> None:
        self._next = time.monotonic() + QUIET_SECONDS
        self._total = 0

    def __call__(self, done: int, total: int) -> None:
        self._total = total or self._total
        now = time.monotonic()
        if now >= self._next:
            self._next = now + 0.2
            share = f"{min(99, done * 100 // self._total)} %" if self._total else ""
            sys.stderr.write(f"\rreading {share} \r")
            sys.stderr.flush()
