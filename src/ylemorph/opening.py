"""Opening what a person named for reading: never something that waits for ever, and no more of it than makes sense."""

import errno
import os
import stat
from typing import IO

READ_ONLY = os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK
HANDED = ("/dev/stdin", "/dev/fd/", "/proc/self/fd/")  # pipes that a shell opened for this program: `<(lsblk --json)`


def open_regular(path: str | os.PathLike[str], *, device: bool = False) -> IO[bytes]:
    """An open file for reading; with ``device`` a block device too. Raises OSError or ValueError with the reason.

    A named pipe or a character device is refused: whoever opens one may wait for ever.
    """
    descriptor = os.open(path, READ_ONLY)
    try:
        mode = os.fstat(descriptor).st_mode
        if stat.S_ISFIFO(mode) and str(path).startswith(HANDED):
            os.set_blocking(descriptor, True)
        elif not (stat.S_ISREG(mode) or (device and stat.S_ISBLK(mode))):
            raise OSError(errno.EINVAL, _kind(mode, device=device))
        return os.fdopen(descriptor, "rb")
    except BaseException:
        os.close(descriptor)
        raise


def _kind(mode: int, *, device: bool) -> str:
    if stat.S_ISDIR(mode):
        return "it is a folder"
    if stat.S_ISFIFO(mode):
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
