"""What a command writes, and where it never writes: over a device, over a folder, over what it reads (rule 16.1)."""

import errno
import os
import stat
import tempfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO, Any

import click

from ..core.errors import YlemorphError
from ..system import files_behind

STDOUT = ("-", "/dev/stdout")
NOTED = "ylemorph.inputs"  # in click's context: (device, inode) of each file that this command reads

Identity = tuple[int, int]


class Place(click.Path):
    """Where a command writes. `Guarded` looks at it before anything is read."""


PLACE = Place()


class Guarded(click.Command):
    """A command with an output: every other argument that names a file is an input, and is not written over."""

    def invoke(self, ctx: click.Context) -> Any:
        places = {param.name for param in self.params if isinstance(param.type, Place)}
        for name, value in ctx.params.items():
            for text in _texts(value) if name not in places else ():
                note_input(text)
        for name in places:
            check_place(ctx.params[name or ""])
        return super().invoke(ctx)


out_option = click.option("--out", type=PLACE, metavar="FILE", help="Write there instead of standard output.")


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, tuple):
        yield from (item for item in value if isinstance(item, str))


def note_input(path: str | Path) -> None:
    """A file that this command reads; a loop device is its backing file too. What does not exist is none."""
    context = click.get_current_context(silent=True)
    if context is not None:
        context.meta.setdefault(NOTED, set()).update(_identities(path))


def _identities(path: str | Path) -> Iterator[Identity]:
    try:
        status = os.stat(path)
    except (OSError, ValueError):
        return
    yield status.st_dev, status.st_ino
    for backing in files_behind(status):
        with suppress(OSError, ValueError):
            found = backing.stat()
            yield found.st_dev, found.st_ino


def check_place(out: str | None) -> None:
    """Raises YlemorphError where nothing may be written: a device, a folder, an input, a folder that takes nothing."""
    if out is None or out in STDOUT:
        return
    try:
        status = os.stat(out)
    except FileNotFoundError:
        _check_folder(out)
        return
    except (OSError, ValueError) as error:
        raise _cannot(error, out) from None
    if stat.S_ISDIR(status.st_mode):
        raise YlemorphError("this is a folder", at=out, mend="name a file in it")
    if stat.S_ISBLK(status.st_mode) or stat.S_ISCHR(status.st_mode):
        raise YlemorphError("this is a device, and nothing is ever written over one", at=out, mend="name a file")
    context = click.get_current_context(silent=True)
    if context is not None and (status.st_dev, status.st_ino) in context.meta.get(NOTED, ()):
        raise YlemorphError("this is what the command reads, and stays as it is", at=out, mend="name another file")
    if stat.S_ISREG(status.st_mode):
        _check_folder(out)


def _check_folder(out: str) -> None:
    """A whole file is written beside its place: its folder must take one."""
    folder = Path(os.path.realpath(out)).parent
    if not folder.is_dir():
        raise _cannot(OSError(errno.ENOENT, os.strerror(errno.ENOENT)), out)
    if not os.access(folder, os.W_OK | os.X_OK):
        raise _cannot(OSError(errno.EACCES, "its folder may not be written"), out)


def _cannot(error: OSError | ValueError, out: str) -> YlemorphError:
    reason = getattr(error, "strerror", None) or "not a path"
    return YlemorphError(f"cannot be written ({reason})", at=out, mend="choose another place")


def write_file(out: str, fill: Callable[[IO[bytes]], object]) -> None:
    """A whole file: written beside its place and renamed, so that a failure leaves the old file as it was."""
    check_place(out)
    try:
        # A link is written through; a pipe is written as it is.
        place = Path(os.path.realpath(out))
        if place.exists() and not place.is_file():
            with place.open("wb") as file:
                fill(file)
        else:
            _replace(place, fill)
    except (OSError, ValueError) as error:
        raise _cannot(error, out) from None


def _replace(place: Path, fill: Callable[[IO[bytes]], object]) -> None:
    with tempfile.NamedTemporaryFile("wb", dir=place.parent, prefix=f".{place.name[:80]}.", delete=False) as file:
        beside = Path(file.name)
        try:
            fill(file)
            file.flush()
            os.fsync(file.fileno())
        except BaseException:
            file.close()
            beside.unlink(missing_ok=True)
            raise
    # Not while it is open, which one system refuses.
    beside.chmod(place.stat().st_mode & 0o7777 if place.exists() else 0o666 & ~_umask())
    try:
        beside.replace(place)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
