"""Opening what is surveyed, read only: an image file or a block device, and of a virtual image the disk in it."""

import errno
import os
from pathlib import Path

from ...system import NO_LINK, Opened, device_figures, open_read_only
from ...system import open_below as opened_below
from .medium import CannotRead, Medium, RawDevice, reason_of
from .virtual import OpenBeside, as_disk


def open_medium(path: str | Path) -> Medium:
    """Open read only. Raises CannotRead with the reason for a folder, a missing file, a device that is not allowed."""
    name = str(path)
    try:
        found = open_read_only(path)
    except (OSError, ValueError) as error:
        raise CannotRead(f"cannot be read ({reason_of(error)})", at=name, mend=_mend(error)) from None
    return _medium_of(found, name, lambda other: open_read_only(Path(path).parent / other, NO_LINK))


def open_below(folder: Path, inside: Path) -> Medium:
    """Open ``inside``, a path below ``folder``, step by step and without following a link.

    What is opened is then what stands below the folder, whatever is changed there between a check and the opening.
    """
    name = str(folder / inside)
    try:
        found = opened_below(folder, inside)
    except (OSError, ValueError, IndexError) as error:
        reason = "it is a folder" if isinstance(error, IndexError) else reason_of(error)
        mend = "check the path" if isinstance(error, IndexError) else _mend(error)
        raise CannotRead(f"cannot be read ({reason})", at=name, mend=mend) from None
    return _medium_of(found, name, lambda other: opened_below(folder, inside.with_name(other)))


def _medium_of(found: Opened, name: str, beside: OpenBeside) -> Medium:
    """The medium behind an open descriptor, which is closed where it is none; of an image, the disk in it."""
    try:
        medium = _medium(found, name)
        disk = medium if medium.sector else as_disk(medium, beside)
    except BaseException:
        os.close(found.descriptor)
        raise
    if disk.size < 512:
        disk.close()
        raise CannotRead(
            f"{disk.size} bytes are less than one sector", at=name, mend="check that it is an image of a disk"
        )
    return disk


def _medium(found: Opened, name: str) -> Medium:
    if found.kind == "device":
        return _device(found.descriptor, name)
    if found.kind != "file":
        kind = "a folder" if found.kind == "folder" else "neither a file nor a block device"
        raise CannotRead(f"this is {kind}", at=name, mend="give an image file or a block device")
    return Medium(found.descriptor, found.size, None, None, name)


def _device(descriptor: int, name: str) -> Medium:
    try:
        size, sector, physical, aligned = device_figures(descriptor)
    except OSError as error:
        raise CannotRead(
            f"the device does not tell its size ({reason_of(error)})", at=name, mend="give an image file of it"
        ) from None
    if size < 512:
        raise CannotRead("there is no medium in the device", at=name, mend="attach the disk and try again")
    return (RawDevice if aligned else Medium)(descriptor, size, sector, physical, name)


def _mend(error: OSError | ValueError) -> str:
    code = error.errno if isinstance(error, OSError) else None
    if code in (errno.EACCES, errno.EPERM):
        return "run the command with the right to read it, or let an administrator copy it into an image"
    return "check the path"
