"""Where operating systems differ: opening for reading, positions in a file, raw devices, sparse files, open files.

Nothing else of this program asks which system it runs on. What a system lacks is left out here, or done in another
way; `docs/systems.md` says what was tried where.
"""

import os
import re
import socket
import stat
import struct
import sys
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from threading import Lock
from typing import IO, Literal, NamedTuple

# A pipe that nobody writes to would be waited for; what is opened stays with this program; bytes stay as they are.
READ_ONLY = (
    os.O_RDONLY | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
)  # fmt: skip
NO_LINK: int = getattr(os, "O_NOFOLLOW", 0)
FOLDER: int = getattr(os, "O_DIRECTORY", 0)
HANDED = ("/dev/stdin", "/dev/fd/", "/proc/self/fd/")  # pipes that a shell opened for this program: `<(lsblk --json)`
# Raw disks, which no look at an open file tells from other things: of Windows, and of macOS.
RAW_DISK = re.compile(r"\\\\[.?]\\PhysicalDrive\d{1,3}|/dev/rdisk\d{1,4}", re.IGNORECASE)
MOST_DESCRIPTORS = 4096

OpenedKind = Literal["file", "device", "folder", "pipe", "other"]


class Opened(NamedTuple):
    """An open descriptor, what stands behind it, and of a file its size in bytes."""

    descriptor: int
    kind: OpenedKind
    size: int = 0


class DeviceFigures(NamedTuple):
    """Bytes of a block device and of its sectors. ``aligned``: it gives whole sectors alone."""

    size: int
    sector: int
    physical: int
    aligned: bool


def open_read_only(path: str | os.PathLike[str], flags: int = 0, folder: int | None = None) -> Opened:
    """Whatever stands at ``path`` (in an open ``folder``), never written and never waited for.

    Raises OSError or ValueError.
    """
    descriptor = os.open(path, READ_ONLY | flags, dir_fd=folder)
    return opened(descriptor, str(path))


def opened(descriptor: int, path: str) -> Opened:
    """What an open descriptor is; it is closed where that cannot be told. Raises OSError."""
    if RAW_DISK.fullmatch(path):
        return Opened(descriptor, "device")
    try:
        status = os.fstat(descriptor)
    except BaseException:
        os.close(descriptor)
        raise
    return Opened(descriptor, kind_of(status.st_mode), status.st_size)


def kind_of(mode: int) -> OpenedKind:
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISBLK(mode):
        return "device"
    if stat.S_ISDIR(mode):
        return "folder"
    return "pipe" if stat.S_ISFIFO(mode) else "other"


def open_below(folder: Path, inside: Path) -> Opened:
    """Open ``inside``, a path below ``folder``, step by step and without following a link.

    What is opened is then what stands below the folder, whatever is changed there between a check and the opening.
    Where a system cannot open in an open folder, no step may be a link at the time of the look. Raises OSError,
    ValueError, or IndexError for no path.
    """
    steps = inside.parts
    last = steps[-1]
    if os.open not in os.supports_dir_fd or not NO_LINK:
        real = Path(os.path.realpath(folder / inside))
        if real != Path(os.path.realpath(folder)) / inside:
            raise OSError(40, "a link leads elsewhere")
        return open_read_only(real)
    at = os.open(folder, READ_ONLY | FOLDER)
    try:
        for step in steps[:-1]:
            further = os.open(step, READ_ONLY | FOLDER | NO_LINK, dir_fd=at)
            os.close(at)
            at = further
        return open_read_only(last, NO_LINK, at)
    finally:
        os.close(at)


def is_handed(path: str | os.PathLike[str]) -> bool:
    """Whether a pipe was opened by the shell for this program, which may wait for it."""
    return str(path).startswith(HANDED)


def let_wait(descriptor: int) -> None:
    if hasattr(os, "set_blocking"):
        os.set_blocking(descriptor, True)


# --- bytes by their place ---------------------------------------------------------------------------------------------

_TURNS = tuple(Lock() for _ in range(64))  # of descriptors, where a place is gone to before it is read


def read_at(descriptor: int, offset: int, length: int) -> bytes:
    """At most ``length`` bytes, none only at the end. Raises OSError."""
    if hasattr(os, "pread"):
        piece: bytes = os.pread(descriptor, length, offset)
        return piece
    with _TURNS[descriptor % len(_TURNS)]:
        os.lseek(descriptor, offset, os.SEEK_SET)
        return os.read(descriptor, length)


def forget(descriptor: int, start: int, length: int) -> None:
    """Let go of what lies in memory of a stretch, so that it is read anew; not every system can."""
    if hasattr(os, "posix_fadvise"):
        os.posix_fadvise(descriptor, start, length, getattr(os, "POSIX_FADV_DONTNEED", 4))


def data_stretches(file: IO[bytes], size: int) -> Iterator[tuple[int, int]]:
    """Start and end of what was ever written in a sparse file; all of it where the system does not tell."""
    if sys.platform == "win32":
        yield from _allocated(file.fileno(), size)
    else:
        at = 0
        while at < size:
            try:
                at = os.lseek(file.fileno(), at, os.SEEK_DATA)
            except OSError:
                return  # nothing but a hole up to the end
            hole = os.lseek(file.fileno(), at, os.SEEK_HOLE)
            yield at, hole
            at = hole


def make_sparse(file: IO[bytes]) -> None:
    """Have what is never written take no room; most systems do it by themselves."""
    if sys.platform == "win32":
        with suppress(OSError):  # a file system that cannot: it takes the room
            _control(file.fileno(), FSCTL_SET_SPARSE, b"", 0)


def room_taken(status: os.stat_result) -> int:
    """Bytes on the disk, which of a sparse file are fewer than its length."""
    return int(getattr(status, "st_blocks", -(-status.st_size // 512))) * 512


# --- raw devices ------------------------------------------------------------------------------------------------------

# <linux/fs.h>: size in bytes, logical and physical sector.
BLKGETSIZE64, BLKSSZGET, BLKPBSZGET = 0x80081272, 0x1268, 0x127B
# <sys/disk.h> of macOS (from memory): sector, number of sectors, physical sector.
DKIOCGETBLOCKSIZE, DKIOCGETBLOCKCOUNT, DKIOCGETPHYSICALBLOCKSIZE = 0x40046418, 0x40086419, 0x4004644D
# <winioctl.h> (from memory): length, geometry, properties, and a file that may have holes.
DISK_GET_LENGTH_INFO, DISK_GET_DRIVE_GEOMETRY = 0x7405C, 0x70000
STORAGE_QUERY_PROPERTY, ACCESS_ALIGNMENT = 0x2D1400, 6
FSCTL_SET_SPARSE, FSCTL_QUERY_ALLOCATED_RANGES, RANGES_AT_ONCE = 0x900C4, 0x940CF, 64


def device_figures(descriptor: int) -> DeviceFigures:
    """Of an open block device. Raises OSError where it does not tell."""
    if sys.platform == "win32":
        return _figures_of_windows(descriptor)
    elif sys.platform == "darwin":  # noqa: RET505  # what another system lacks is seen by the type checker alone so
        sector = _asked(descriptor, DKIOCGETBLOCKSIZE, "=I")
        size = _asked(descriptor, DKIOCGETBLOCKCOUNT, "=Q") * sector
        return DeviceFigures(size, sector, _asked(descriptor, DKIOCGETPHYSICALBLOCKSIZE, "=I"), aligned=True)
    else:
        size, sector = _asked(descriptor, BLKGETSIZE64, "=Q"), _asked(descriptor, BLKSSZGET, "=I")
        return DeviceFigures(size, sector, _asked(descriptor, BLKPBSZGET, "=I"), aligned=False)


def windows_figures(length: bytes, alignment: bytes, geometry: bytes) -> DeviceFigures:
    """From the answers to the three requests; an adapter may leave the alignment out, which is empty then.

    Layouts of GET_LENGTH_INFORMATION, STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR and DISK_GEOMETRY (from memory).
    """
    (size,) = struct.unpack_from("<q", length)
    (sector,) = struct.unpack_from("<I", geometry, 20)
    physical = sector
    if len(alignment) >= 24:
        told, physical = struct.unpack_from("<II", alignment, 16)
        sector = told or sector
    return DeviceFigures(size, sector, physical or sector, aligned=True)


if sys.platform == "win32":

    def _figures_of_windows(descriptor: int) -> DeviceFigures:
        alignment = b""
        with suppress(OSError):
            query = struct.pack("<III", ACCESS_ALIGNMENT, 0, 0)
            alignment = _control(descriptor, STORAGE_QUERY_PROPERTY, query, 28)
        length = _control(descriptor, DISK_GET_LENGTH_INFO, b"", 8)
        return windows_figures(length, alignment, _control(descriptor, DISK_GET_DRIVE_GEOMETRY, b"", 24))

    def _allocated(descriptor: int, size: int) -> Iterator[tuple[int, int]]:
        """So many at a time: one that is left out is asked for again, from where the last one ended."""
        at = 0
        while at < size:
            try:
                query = struct.pack("<QQ", at, size - at)
                told = _control(descriptor, FSCTL_QUERY_ALLOCATED_RANGES, query, 16 * RANGES_AT_ONCE)
            except OSError:  # a file system without holes
                yield at, size
                return
            found = [struct.unpack_from("<QQ", told, place) for place in range(0, len(told), 16)]
            yield from ((start, start + length) for start, length in found)
            if len(found) < RANGES_AT_ONCE:
                return
            at = sum(found[-1])

    def _control(descriptor: int, request: int, given: bytes, most: int) -> bytes:
        """The answer to a request of a device or file. Raises OSError."""
        import ctypes
        import msvcrt

        answer, got = ctypes.create_string_buffer(most or 1), ctypes.c_uint32()
        done = ctypes.WinDLL("kernel32", use_last_error=True).DeviceIoControl(
            ctypes.c_void_p(msvcrt.get_osfhandle(descriptor)), ctypes.c_uint32(request),
            given or None, len(given), answer, most, ctypes.byref(got), None,
        )  # fmt: skip
        if not done:
            raise ctypes.WinError(ctypes.get_last_error())
        return answer.raw[: got.value]
else:

    def _asked(descriptor: int, request: int, form: str) -> int:
        from fcntl import ioctl

        (value,) = struct.unpack(form, ioctl(descriptor, request, bytes(struct.calcsize(form))))
        return int(value)


# --- the rest ---------------------------------------------------------------------------------------------------------

LOOP = "/sys/dev/block/{}:{}/{}loop/backing_file"  # of a loop device, of a partition of one


def files_behind(status: os.stat_result) -> list[Path]:
    """Of a loop device, the file that it shows; of other devices and systems none."""
    found: list[Path] = []
    if sys.platform != "win32" and stat.S_ISBLK(status.st_mode):
        major, minor = os.major(status.st_rdev), os.minor(status.st_rdev)
        for step in ("", "../"):
            with suppress(OSError, ValueError):
                found.append(Path(Path(LOOP.format(major, minor, step)).read_text("utf-8").rstrip("\n")))
    return found


def open_files_allowed() -> int:
    """Files that this program may have open, as many as the system allows without asking."""
    if sys.platform == "win32":  # a system that counts otherwise
        return MOST_DESCRIPTORS
    try:
        import resource
    except ImportError:
        return MOST_DESCRIPTORS
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST_DESCRIPTORS if hard == resource.RLIM_INFINITY else min(hard, MOST_DESCRIPTORS)
    if soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    return max(soft, wanted)


def keep_port(listener: socket.socket) -> None:
    """Before it is bound: a port that a program of before left may be taken at once, one of another never."""
    if sys.platform == "win32":  # where the other option would take a port from whoever listens on it
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_EXCLUSIVEADDRUSE, 1)
    else:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)


def local_socket() -> socket.socket:
    """A socket that is reached by a path of this machine. Raises OSError where there are none."""
    if sys.platform == "win32" or not hasattr(socket, "AF_UNIX"):
        raise OSError("this system has no sockets of that kind")
    return socket.socket(socket.AF_UNIX)


def hands_files_over() -> bool:
    """Whether an open file can be given to another program by its number."""
    return sys.platform != "win32" and Path("/proc/self/fd").is_dir()


def has_screen() -> bool:
    """Whether a browser could show itself here; on a machine without a screen one would only complain."""
    return sys.platform in ("win32", "darwin") or any(os.environ.get(key) for key in ("DISPLAY", "WAYLAND_DISPLAY"))


System = Literal["linux", "windows", "macos"]


def system_name() -> System:
    return "windows" if sys.platform == "win32" else "macos" if sys.platform == "darwin" else "linux"
