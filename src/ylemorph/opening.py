"""Opening what a person named for reading: never something that waits for ever, and no more of it than makes sense."""

import errno
import os
from typing import IO

from .system import OpenedKind, is_handed, let_wait, open_read_only


def open_regular(path: str | os.PathLike[str], *, device: bool = False) -> IO[bytes]:
    """An open file for reading; with ``device`` a block device too. Raises OSError or ValueError with the reason.

    A named pipe or a character device is refused: whoever opens one may wait for ever.
    """
    descriptor, kind, _ = open_read_only(path)
    try:
        if kind == "pipe" and is_handed(path):
            let_wait(descriptor)
        elif not (kind == "file" or (device and kind == "device")):
            raise OSError(errno.EINVAL, _reason(kind, device=device))
        return os.fdopen(descriptor, "rb")
    except BaseException:
        os.close(descriptor)
        raise


def _reason(kind: OpenedKind, *, device: bool) -> str:
    if kind == "folder":
        return "it is a folder"
    if kind == "pipe":
        return "it is a pipe that would be waited for; give what comes out of it as -"
    return "it is neither a file nor a block device" if device else "it is no file"


def read_most(file: IO[bytes], most: int) -> bytes:
    """At most so many bytes. Raises OSError where there is nothing to read yet and nobody knows when."""
    data = file.read(most)
    if data is None:  # what a stream that does not wait answers; typed as if it could not be
        raise OSError(errno.EAGAIN, "it gives nothing to read now")
    return data


def read_regular(path: str | os.PathLike[str], most: int) -> bytes:
    """A whole file of at most ``most`` bytes. Raises OSError or ValueError with the reason."""
    with open_regular(path) as file:
        data = read_most(file, most + 1)
    if len(data) > most:
        raise OSError(errno.EFBIG, f"it has more than {most} bytes")
    return data
