"""The command line: which command there is, and how every failure is said. A command is imported when it is called."""

import contextlib
import os
import sys
from importlib import import_module

import click

from . import __version__
from .commands import EXIT_FITS, EXIT_STOPPED, EXIT_WRONG_USE
from .core.errors import YlemorphError
from .core.plain import plain_line

COMMANDS = {
    "backup": "data", "check": "check", "demo": "serve", "doctor": "data", "fleet": "fleet",
    "people": "people", "plan": "plan", "record": "record",
    "rehearse": "rehearse", "restore": "data", "schema": "schema", "serve": "serve", "shelf": "shelf", "steps": "steps",
    "survey": "survey",
}  # fmt: skip


class _Commands(click.Group):
    """Commands by name, each from its module under ``commands``."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002  # click's signature
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002  # click's signature
        if cmd_name not in COMMANDS:
            return None
        found = getattr(import_module(f".commands.{COMMANDS[cmd_name]}", __package__), cmd_name)
        assert isinstance(found, click.Command)
        return found


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="ylemorph")
def cli() -> None:
    """Work out how a disk's partitions will fit a disk of another size, before the clone starts."""


def main(args: list[str] | None = None) -> int:
    """Run a command; every failure is one line on standard error."""
    try:
        result = cli.main(args, standalone_mode=False)
    except click.exceptions.NoArgsIsHelpError as error:
        _complain(error.format_message())
        return EXIT_WRONG_USE
    except click.ClickException as error:
        message = " ".join(error.format_message().split())
        _complain(f"ylemorph: {message}; see ylemorph --help")
        return EXIT_WRONG_USE
    except YlemorphError as error:
        _complain(f"ylemorph: {error}")
        return EXIT_WRONG_USE
    except (click.Abort, KeyboardInterrupt):
        _complain("ylemorph: stopped")
        return EXIT_STOPPED
    except OSError as error:
        return _output_lost(error)
    return int(result or 0)


def _complain(text: str) -> None:
    """One line on standard error, in whatever it can show, without what could steer a terminal."""
    stream = sys.stderr
    if stream is None or stream.closed:
        return
    encoding = stream.encoding or "ascii"
    try:
        print(plain_line(text).encode(encoding, "replace").decode(encoding), file=stream, flush=True)
    except OSError:
        _forget_output()


def _output_lost(error: OSError) -> int:
    """Whoever read the output went away, which is no fault; or it could not be written, which is."""
    gone = isinstance(error, BrokenPipeError)
    if not gone:
        reason = error.strerror or "unknown reason"
        _complain(f"ylemorph: this could not be read or written ({reason}); check the place")
    _forget_output()
    return EXIT_FITS if gone else EXIT_WRONG_USE


def _forget_output() -> None:
    """Nobody reads what was written: the interpreter must not try to flush it when it ends."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError, ValueError, AttributeError):
            os.dup2(nowhere, stream.fileno())


if __name__ == "__main__":
    sys.exit(main())
