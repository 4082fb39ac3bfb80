"""``ylemorph record``."""

from pathlib import Path

import click

from ..usecases.disks import read_text_file
from . import EXIT_FITS
from .files import write_output


@click.command()
@click.argument("log")
@click.option("--job", type=click.IntRange(min=1), metavar="N", help="The job; the one whose plan it is unless given.")
@click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")
def record(log: str, job: int | None, data: str | None) -> int:
    """Fill a job's record from LOG, which its script wrote while it carried the job out."""
    from platformdirs import user_data_path

    from ..core.errors import YlemorphError
    from ..usecases import script_logs
    from ..usecases.data import prepare
    from ..usecases.workshop import Work, Workshop

    shown, text = read_text_file(log)
    shop = Workshop.over(prepare(Path(data) if data else user_data_path("ylemorph")))
    with shop.connected() as connection:
        work, said = Work(shop, connection), text.decode("utf-8", "replace")
        try:
            taken = script_logs.take_for_any(work, said) if job is None else script_logs.take(work, job, said)
        except YlemorphError as error:
            raise YlemorphError(error.problem, at=shown, mend=error.mend) from None
    write_output(f"Job {taken.job}: {taken.sentence()}\n")
    return EXIT_FITS
