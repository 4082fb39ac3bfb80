"""The bytes that are read: an image file or a block device, and windows into it.

A reader asks for exact stretches; one that lies outside raises ``Unsound``, so that hostile figures end in one place.
"""

import os
from collections.abc import Callable
from types import TracebackType
from typing import Protocol

from ...core.errors import YlemorphError
from ...core.sizes import div_up
from ...system import read_at

MOST_AT_ONCE = 1 << 20
MOST_PIECE = 16 << 20  # asked of a medium in one go

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
        self.descriptor = descriptor

    def __enter__(self) -> "Medium":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        os.close(self.descriptor)

    def shorter(self, size: int) -> "Medium":
        """Its first ``size`` bytes; this one is not used any more."""
        return Medium(self.descriptor, size, self.sector, self.physical, self.name)

    def read(self, offset: int, length: int) -> bytes:
        """Exactly ``length`` bytes. Raises Unsound outside the medium and CannotRead where the device fails."""
        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound(f"bytes {offset} to {offset + length} lie outside")
        try:
            data = self._piece(offset, min(length, MOST_PIECE))
            while len(data) < length:
                more = self._piece(offset + len(data), min(length - len(data), MOST_PIECE))
                if not more:
                    raise Unsound(f"bytes end at {offset + len(data)}")
                data += more
        except OSError as error:
            raise CannotRead(
                f"the disk does not give its bytes at {offset} ({reason_of(error)})",
                at=self.name,
                mend="read it into an image with a tool that skips bad places, and survey the image",
            ) from None
        return data

    def _piece(self, offset: int, length: int) -> bytes:
        """At most ``length`` bytes, none only at the end. Raises OSError."""
        return read_at(self.descriptor, offset, length)


class RawDevice(Medium):
    """A device that gives whole sectors alone: what is asked for is cut out of those that hold it."""

    def _piece(self, offset: int, length: int) -> bytes:
        sector = self.sector or 512
        first, past = offset // sector * sector, div_up(offset + length, sector) * sector
        return super()._piece(first, past - first)[offset - first :][:length]


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


def reason_of(error: OSError | ValueError) -> str:
    return (error.strerror if isinstance(error, OSError) else None) or "not a path"
