"""The command line: which command there is, and how every failure is said. A command is imported when it is called."""

import sys
from importlib import import_module

import click

from . import __version__
from .commands import EXIT_FITS, EXIT_STOPPED, EXIT_WRONG_USE
from .core.errors import YlemorphError

COMMANDS = {"demo": "serve", "plan": "plan", "schema": "schema", "serve": "serve", "survey": "survey"}


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
        return EXIT_STOPPED
    except BrokenPipeError:
        sys.stderr.close()
        return EXIT_FITS
    return int(result or 0)


if __name__ == "__main__":
    sys.exit(main())
