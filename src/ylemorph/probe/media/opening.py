"""Opening what is surveyed, read only: an image file or a block device, and of a virtual image the disk in it."""

import errno
import os
import stat
import struct
from pathlib import Path

from ...opening import READ_ONLY
from .medium import CannotRead, Medium, reason_of
from .virtual import OpenBeside, as_disk

# Requests of <linux/fs.h>: size in bytes, logical and physical sector.
BLKGETSIZE64, BLKSSZGET, BLKPBSZGET = 0x80081272, 0x1268, 0x127B


def open_medium(path: str | Path) -> Medium:
    """Open read only. Raises CannotRead with the reason for a folder, a missing file, a device that is not allowed."""
    name = str(path)
    try:
        descriptor = os.open(path, READ_ONLY)
    except (OSError, ValueError) as error:
        raise CannotRead(f"cannot be read ({reason_of(error)})", at=name, mend=_mend(error)) from None
    return _medium_of(descriptor, name, lambda other: os.open(Path(path).parent / other, READ_ONLY | os.O_NOFOLLOW))


def open_below(folder: Path, inside: Path) -> Medium:
    """Open ``inside``, a path below ``folder``, step by step and without following a link.

    What is opened is then what stands below the folder, whatever is changed there between a check and the opening.
    """
    name = str(folder / inside)
    try:
        descriptor = _descriptor_below(folder, inside)
    except (OSError, ValueError, IndexError) as error:
        reason = "it is a folder" if isinstance(error, IndexError) else reason_of(error)
        mend = "check the path" if isinstance(error, IndexError) else _mend(error)
        raise CannotRead(f"cannot be read ({reason})", at=name, mend=mend) from None
    return _medium_of(descriptor, name, lambda other: _descriptor_below(folder, inside.with_name(other)))


def _descriptor_below(folder: Path, inside: Path) -> int:
    steps = inside.parts
    at = os.open(folder, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY)
    try:
        for step in steps[:-1]:
            further = os.open(step, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=at)
            os.close(at)
            at = further
        return os.open(steps[-1], READ_ONLY | os.O_NOFOLLOW, dir_fd=at)
    finally:
        os.close(at)


def _medium_of(descriptor: int, name: str, beside: OpenBeside) -> Medium:
    """The medium behind an open descriptor, which is closed where it is none; of an image, the disk in it."""
    try:
        medium = _medium(descriptor, name)
        disk = medium if medium.sector else as_disk(medium, beside)
    except BaseException:
        os.close(descriptor)
        raise
    if disk.size < 512:
        disk.close()
        raise CannotRead(
            f"{disk.size} bytes are less than one sector", at=name, mend="check that it is an image of a disk"
        )
    return disk


def _medium(descriptor: int, name: str) -> Medium:
    status = os.fstat(descriptor)
    if stat.S_ISBLK(status.st_mode):
        return _device(descriptor, name)
    if not stat.S_ISREG(status.st_mode):
        kind = "a folder" if stat.S_ISDIR(status.st_mode) else "neither a file nor a block device"
        raise CannotRead(f"this is {kind}", at=name, mend="give an image file or a block device")
    return Medium(descriptor, status.st_size, None, None, name)


def _device(descriptor: int, name: str) -> Medium:
    from fcntl import ioctl

    try:
        (size,) = struct.unpack("=Q", ioctl(descriptor, BLKGETSIZE64, bytes(8)))
        (sector,) = struct.unpack("=I", ioctl(descriptor, BLKSSZGET, bytes(4)))
        (physical,) = struct.unpack("=I", ioctl(descriptor, BLKPBSZGET, bytes(4)))
    except OSError as error:
        raise CannotRead(
            f"the device does not tell its size ({reason_of(error)})", at=name, mend="give an image file of it"
        ) from None
    if size < 512:
        raise CannotRead("there is no medium in the device", at=name, mend="attach the disk and try again")
    return Medium(descriptor, size, sector, physical, name)


def _mend(error: OSError | ValueError) -> str:
    code = error.errno if isinstance(error, OSError) else None
    if code in (errno.EACCES, errno.EPERM):
        return "run the command with the right to read it, or let an administrator copy it into an image"
    return "check the path"
