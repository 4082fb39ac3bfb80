"""Writing for the commands, every failure one sentence with the file's name."""

import sys
from typing import TextIO

from ..core.errors import YlemorphError
from .outputs import STDOUT, write_file


def write_text(text: str, out: str | None) -> None:
    """To standard output, or whole into a file."""
    if out is None or out in STDOUT:
        write_output(text)
    else:
        write_file(out, lambda file: file.write(_encoded(text, "utf-8")))


def write_bytes(data: bytes, out: str | None) -> None:
    """To standard output, or whole into a file."""
    if out is not None and out not in STDOUT:
        write_file(out, lambda file: file.write(data))
    elif sys.stdout is None or is_terminal(sys.stdout):
        raise YlemorphError("this is no text for a screen", at="--format", mend="name a file with --out")
    else:
        sys.stdout.buffer.write(data)
        sys.stdout.flush()


def write_output(text: str) -> None:
    """To standard output in whatever it can show; what it lacks is written as ``?``."""
    stream = sys.stdout
    try:
        if stream is None:
            raise ValueError
        stream.write(_encoded(text, stream.encoding or "utf-8").decode(stream.encoding or "utf-8"))
        stream.flush()
    except BrokenPipeError:
        raise
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it is closed"
        raise YlemorphError(
            f"cannot be written ({reason})", at="standard output", mend="write to a file with --out"
        ) from None


def _encoded(text: str, encoding: str) -> bytes:
    return text.encode(encoding, "replace")


def is_terminal(stream: TextIO | None) -> bool:
    """Whether a stream is a screen; a program may also be started without any."""
    return stream is not None and stream.isatty()
