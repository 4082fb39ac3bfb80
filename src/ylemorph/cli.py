"""The command line. Each command imports only what it needs, so that a short one is quick."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from . import __version__
from .core.errors import YlemorphError
from .core.options import FITS, TABLE_WISHES

if TYPE_CHECKING:
    from .core.disk import Disk, Survey
    from .core.plan import Plan

EXIT_FITS, EXIT_DOES_NOT_FIT, EXIT_WRONG_USE = 0, 1, 2
PORT = 8642
PLAN_FORMATS = ("table", "json", "csv", "sfdisk")


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="ylemorph")
def cli() -> None:
    """Work out how a disk's partitions will fit a disk of another size, before the clone starts."""


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
        click.option("--order", metavar="N,N,…", help="Order of the rows on the target."),
    )
    for option in reversed(options):
        command = option(command)
    return command


@cli.command()
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
@_plan_options
@click.option("--format", "form", type=click.Choice(PLAN_FORMATS), default="table", show_default=True)
@click.option("--out", metavar="FILE", help="Write there instead of standard output.")
def plan(source: str, target: str, target_sector: str, form: str, out: str | None, **flags: Any) -> int:
    """Fit the partitions of SOURCE (a survey file, or - for standard input) to a target."""
    from .core.plan import make_plan
    from .core.wishes import options_from

    if source == "-" and target == "-":
        raise YlemorphError("standard input can be read only once", at="--target", mend="give one of the two as a file")
    source_disk = _read_disk(source).disk
    target_disk = _read_target(target, int(target_sector))
    order: str | None = flags.pop("order")
    wishes: dict[str, Any] = {
        k: list(v) if isinstance(v, tuple) else v for k, v in flags.items() if v not in (None, ())
    }
    if order is not None:
        wishes["order"] = [part.strip() for part in order.split(",")]
    made = make_plan(source_disk, target_disk, options_from(wishes, source_disk, target_disk))
    _write(_rendered(made, source_disk, target_disk, form, terminal=out is None and sys.stdout.isatty()), out)
    return EXIT_DOES_NOT_FIT if made.verdict == "does-not-fit" else EXIT_FITS


def _rendered(made: "Plan", source: "Disk", target: "Disk", form: str, *, terminal: bool) -> str:
    if form == "table":
        from .formats.text import plan_to_text

        return plan_to_text(made, source, target, terminal=terminal)
    if form == "sfdisk":
        from .formats.sfdisk import plan_to_script

        return plan_to_script(made)
    from .formats.plan import plan_to_csv, plan_to_json

    return plan_to_json(made) if form == "json" else plan_to_csv(made)


def _read_disk(name: str) -> "Survey":
    from .formats.survey import MAX_FILE_BYTES, read_survey

    shown = "standard input" if name == "-" else name
    try:
        if name == "-":
            data = sys.stdin.buffer.read(MAX_FILE_BYTES + 1)
        else:
            with Path(name).open("rb") as file:
                data = file.read(MAX_FILE_BYTES + 1)
    except OSError as error:
        raise YlemorphError(
            f"cannot be read ({error.strerror or 'unknown reason'})", at=shown, mend="check the path"
        ) from None
    try:
        return read_survey(data)
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None


def _read_target(text: str, sector: int) -> "Disk":
    """A size where the text reads as one and no file has that name; else a file."""
    from .core.errors import BadSize
    from .core.wishes import target_from_text

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
    return _read_disk(text).disk


def _write(text: str, out: str | None) -> None:
    if out is None:
        sys.stdout.write(text)
        return
    try:
        Path(out).write_text(text, encoding="utf-8", newline="")
    except OSError as error:
        raise YlemorphError(
            f"cannot be written ({error.strerror or 'unknown reason'})", at=out, mend="choose another place"
        ) from None


@cli.command()
@click.argument("what", type=click.Choice(["disk", "plan"]))
def schema(what: str) -> int:
    """Print the JSON Schema of a survey (disk) or a plan."""
    import json

    if what == "disk":
        from .formats.survey import schema as made
    else:
        from .formats.plan_schema import schema as made
    sys.stdout.write(json.dumps(made(), indent=1) + "\n")
    return EXIT_FITS


@cli.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True)
@click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")
def serve(host: str, port: int, data: str | None) -> int:
    """Start the application on this machine."""
    from .serving import run_server

    return run_server(host, port, data)


@cli.command()
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True)
@click.option("--data", type=click.Path(file_okay=False), help="Data folder of the demo.")
@click.option("--no-browser", is_flag=True, help="Do not open a browser.")
@click.option(
    "--fresh", is_flag=True, help="Begin again with the demo's first state; what was there is kept as a copy."
)
def demo(port: int, data: str | None, no_browser: bool, fresh: bool) -> int:
    """Start with demo data, in a data folder of its own."""
    from .serving import run_demo

    return run_demo(port, data, browser=not no_browser, fresh=fresh)


def main(args: list[str] | None = None) -> int:
    """Run a command; every failure is one line on standard error."""
    try:
        result = cli.main(args, standalone_mode=False)
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message(), err=True)
        return EXIT_WRONG_USE
    except click.ClickException as error:
        message = " ".join(error.format_message().split())
        click.echo(f"ylemorph: {message}; see ylemorph --help", err=True)
        return EXIT_WRONG_USE
    except YlemorphError as error:
        click.echo(f"ylemorph: {error}", err=True)
        return EXIT_WRONG_USE
    except (click.Abort, KeyboardInterrupt):
        click.echo("ylemorph: stopped", err=True)
        return 130
    except BrokenPipeError:
        sys.stderr.close()
        return EXIT_FITS
    return int(result or 0)


if __name__ == "__main__":
    sys.exit(main())
