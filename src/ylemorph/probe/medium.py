"""The bytes that are read: an image file or a block device, opened read only, and windows into it.

A reader asks for exact stretches; one that lies outside raises ``Unsound``, so that hostile figures end in one place.
"""

import errno
import os
import stat
import struct
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Protocol

from ..core.errors import YlemorphError
from ..opening import READ_ONLY

MOST_AT_ONCE = 1 << 20

# Requests of <linux/fs.h>: size in bytes, logical and physical sector.
BLKGETSIZE64, BLKSSZGET, BLKPBSZGET = 0x80081272, 0x1268, 0x127B

Progress = Callable[[int, int], None]
"""Told the bytes read so far and the bytes to read; may raise ``Stopped``."""


class CannotRead(YlemorphError):
    """A path that cannot be read as a disk."""


class Stopped(YlemorphError):
    """The reading was stopped by the person who began it."""


class Unsound(Exception):
    """What a structure says cannot be: it points outside, or its figures contradict each other."""


class Window(Protocol):
    """Bytes that can be read by offset."""

    @property
    def size(self) -> int: ...

    def read(self, offset: int, length: int) -> bytes: ...


class Medium:
    """An image file or block device. ``sector`` and ``physical`` are None where only the contents can tell."""

    def __init__(self, descriptor: int, size: int, sector: int | None, physical: int | None, name: str) -> None:
        self.size = size
        self.sector = sector
        self.physical = physical
        self.name = name
        self._descriptor = descriptor

    def __enter__(self) -> "Medium":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        os.close(self._descriptor)

    def read(self, offset: int, length: int) -> bytes:
        """Exactly ``length`` bytes. Raises Unsound outside the medium and CannotRead where the device fails."""
        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound(f"bytes {offset} to {offset + length} lie outside")
        try:
            data = os.pread(self._descriptor, length, offset)
            while len(data) < length:
                more = os.pread(self._descriptor, length - len(data), offset + len(data))
                if not more:
                    raise Unsound(f"bytes end at {offset + len(data)}")
                data += more
        except OSError as error:
            raise CannotRead(
                f"the disk does not give its bytes at {offset} ({_reason(error)})",
                at=self.name,
                mend="read it into an image with a tool that skips bad places, and survey the image",
            ) from None
        return data


class Part:
    """A stretch of a medium, such as one partition; offsets count from its start."""

    def __init__(self, medium: Window, start: int, size: int) -> None:
        self.start = start
        self.size = size
        self._medium = medium

    def read(self, offset: int, length: int) -> bytes:
        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound(f"bytes {offset} to {offset + length} lie outside the partition")
        return self._medium.read(self.start + offset, length)


def open_medium(path: str | Path) -> Medium:
    """Open read only. Raises CannotRead with the reason for a folder, a missing file, a device that is not allowed."""
    name = str(path)
    try:
        descriptor = os.open(path, READ_ONLY)
    except (OSError, ValueError) as error:
        raise CannotRead(f"cannot be read ({_reason(error)})", at=name, mend=_mend(error)) from None
    return medium_of(descriptor, name)


def open_below(folder: Path, inside: Path) -> Medium:
    """Open ``inside``, a path below ``folder``, step by step and without following a link.

    What is opened is then what stands below the folder, whatever is changed there between a check and the opening.
    """
    name = str(folder / inside)
    steps = inside.parts
    try:
        at = os.open(folder, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY)
        try:
            for step in steps[:-1]:
                further = os.open(step, os.O_RDONLY | os.O_CLOEXEC | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=at)
                os.close(at)
                at = further
            descriptor = os.open(steps[-1], READ_ONLY | os.O_NOFOLLOW, dir_fd=at)
        finally:
            os.close(at)
    except (OSError, ValueError, IndexError) as error:
        reason = "it is a folder" if isinstance(error, IndexError) else _reason(error)
        mend = "check the path" if isinstance(error, IndexError) else _mend(error)
        raise CannotRead(f"cannot be read ({reason})", at=name, mend=mend) from None
    return medium_of(descriptor, name)


def medium_of(descriptor: int, name: str) -> Medium:
    """The medium behind an open descriptor, which is closed where it is none."""
    try:
        return _medium(descriptor, name)
    except BaseException:
        os.close(descriptor)
        raise


def _medium(descriptor: int, name: str) -> Medium:
    status = os.fstat(descriptor)
    if stat.S_ISBLK(status.st_mode):
        return _device(descriptor, name)
    if not stat.S_ISREG(status.st_mode):
        kind = "a folder" if stat.S_ISDIR(status.st_mode) else "neither a file nor a block device"
        raise CannotRead(f"this is {kind}", at=name, mend="give an image file or a block device")
    if status.st_size < 512:
        raise CannotRead(
            f"{status.st_size} bytes are less than one sector", at=name, mend="check that it is an image of a disk"
        )
    return Medium(descriptor, status.st_size, None, None, name)


def _device(descriptor: int, name: str) -> Medium:
    from fcntl import ioctl

    try:
        (size,) = struct.unpack("=Q", ioctl(descriptor, BLKGETSIZE64, bytes(8)))
        (sector,) = struct.unpack("=I", ioctl(descriptor, BLKSSZGET, bytes(4)))
        (physical,) = struct.unpack("=I", ioctl(descriptor, BLKPBSZGET, bytes(4)))
    except OSError as error:
        raise CannotRead(
            f"the device does not tell its size ({_reason(error)})", at=name, mend="give an image file of it"
        ) from None
    if size < 512:
        raise CannotRead("there is no medium in the device", at=name, mend="attach the disk and try again")
    return Medium(descriptor, size, sector, physical, name)


def _reason(error: OSError | ValueError) -> str:
    return (error.strerror if isinstance(error, OSError) else None) or "not a path"


def _mend(error: OSError | ValueError) -> str:
    code = error.errno if isinstance(error, OSError) else None
    if code in (errno.EACCES, errno.EPERM):
        return "run the command with the right to read it, or let an administrator copy it into an image"
    return "check the path"
