"""``ylemorph people``: who may sign in where Ylemorph serves a network."""

import sqlite3
import sys
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import click

from ..core.errors import YlemorphError
from ..core.plain import plain_line
from ..opening import read_regular
from ..usecases import people as kept
from ..usecases.people import ROLES, PersonRole
from . import EXIT_FITS
from .files import write_output

_data = click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")
_role = click.option("--role", type=click.Choice(ROLES), default="bench", show_default=True)
_password = click.option(
    "--password-file", metavar="FILE", help="Read the password from a file's first line, or - for standard input."
)
MOST_BYTES = 4096  # of a file that holds a password and a line's end


@contextmanager
def _opened(data: str | None) -> Iterator[sqlite3.Connection]:
    from platformdirs import user_data_path

    from ..usecases.data import connect, prepare

    with closing(connect(prepare(Path(data) if data else user_data_path("ylemorph")))) as connection:
        yield connection


def _asked(file: str | None) -> str:
    """The password. Raises YlemorphError for a file that holds none."""
    if file is not None:
        return _first_line(file)
    return str(click.prompt("Password", hide_input=True, confirmation_prompt=True, err=True))


def _first_line(file: str) -> str:
    try:
        if file == "-" and (sys.stdin is None or sys.stdin.closed):
            raise ValueError
        data = sys.stdin.buffer.readline(MOST_BYTES) if file == "-" else read_regular(file, MOST_BYTES)
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise YlemorphError("this is no text in UTF-8", at=file, mend="write the password alone into a file") from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it is closed or no path"
        raise YlemorphError(f"it cannot be read ({reason})", at=file, mend="give a file that holds a line") from None
    line = text.splitlines()[0] if text else ""
    if plain_line(line) != line:
        raise YlemorphError("there are signs in it that nobody can type", at=file, mend="write the password alone")
    return line


@click.group()
def people() -> None:
    """Who may sign in where Ylemorph serves a network: workshop (all), bench (jobs), look (reads)."""


@people.command("add")
@click.argument("name")
@_role
@_password
@_data
def add(name: str, role: PersonRole, password_file: str | None, data: str | None) -> int:
    """Add somebody."""
    with _opened(data) as connection:
        person = kept.add(connection, name, role, _asked(password_file))
    write_output(f"{person.name} may sign in as {person.role}.\n")
    return EXIT_FITS


@people.command("list")
@_data
def list_people(data: str | None) -> int:
    """Everybody who may sign in."""
    with _opened(data) as connection:
        for person in kept.everyone(connection):
            write_output(f"{person.role:9} {person.name}\n")
    return EXIT_FITS


@people.command("password")
@click.argument("name")
@_password
@_data
def password(name: str, password_file: str | None, data: str | None) -> int:
    """Give somebody a new password; the old one's browsers are signed out."""
    with _opened(data) as connection:
        kept.change(connection, kept.by_name(connection, name).id, password=_asked(password_file))
    write_output(f"{name} has a new password.\n")
    return EXIT_FITS


@people.command("role")
@click.argument("name")
@click.argument("role", type=click.Choice(ROLES))
@_data
def role(name: str, role: PersonRole, data: str | None) -> int:
    """Give somebody another role."""
    with _opened(data) as connection:
        kept.change(connection, kept.by_name(connection, name).id, role)
    write_output(f"{name} is {role} now.\n")
    return EXIT_FITS


@people.command("remove")
@click.argument("name")
@_data
def remove(name: str, data: str | None) -> int:
    """Remove somebody; what the person changed keeps the name."""
    with _opened(data) as connection:
        kept.remove(connection, kept.by_name(connection, name).id)
    write_output(f"{name} is removed.\n")
    return EXIT_FITS
