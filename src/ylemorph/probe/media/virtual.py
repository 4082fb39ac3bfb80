"""Images of virtual disks, read as the disks that they hold: through the system's own utility, read only.

The utility gets the open file and not its name, with the format that the first bytes say, and serves what is inside to
this program alone over a socket; it ends when the connection does. An image that rests on another file is refused,
since nobody named that file. A fixed VHD is the disk itself with a footer behind it, a flat VMDK a description beside
it: both are read without a utility.
"""

import json
import os
import re
import shutil
import socket
import struct
import subprocess
import tempfile
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Timer

from ...core.disk.containers import (
    DESCRIPTOR_MAGIC,
    HEAD_BYTES,
    VHD_FOOTER_BYTES,
    VHD_MAGIC,
    Container,
    container_of,
)
from ...system import Opened, hands_files_over, local_socket
from .medium import CannotRead, Medium, Unsound, reason_of

UTILITIES = ("qemu-img", "qemu-nbd")
START_SECONDS = 20  # that the utility may take until it serves
ANSWER_SECONDS = 60
MAP_SECONDS = 120
MOST_BEHIND = 65_536  # bytes of a last cluster that was never written whole
MOST_DESCRIPTION = 65_536  # bytes of a description of a VMDK
OpenBeside = Callable[[str], Opened]
"""Opens a file by its bare name in the folder of the first one, never through a link. Raises OSError."""


def as_disk(medium: Medium, beside: OpenBeside) -> Medium:
    """The medium itself where it is a raw disk, else the disk in it. Raises CannotRead, with what makes a raw image."""
    fixed = _fixed_vhd(medium)
    if fixed is not None:
        return fixed
    container = container_of(medium.read(0, min(medium.size, HEAD_BYTES)))
    if container is None:
        return medium
    if not container.driver:
        raise _refused(medium, container, f"this is {container.name}, not a disk")
    if container.magic == DESCRIPTOR_MAGIC:
        return _described(medium, container, beside)
    try:
        rests = _rests_on_another(medium, container)
    except (Unsound, struct.error):
        raise _refused(medium, container, f"this is {container.name} that is damaged") from None
    if rests:
        raise _refused(medium, container, f"this is {container.name} that rests on another file")
    if not all(shutil.which(name) for name in UTILITIES) or not hands_files_over():
        raise _refused(
            medium, container, f"this is {container.name}, and {' and '.join(UTILITIES)} are not there to read it"
        )
    return Served(medium, container)


def _refused(medium: Medium, container: Container, problem: str) -> CannotRead:
    command = container.command.format(file=Path(medium.name).name)
    return CannotRead(problem, at=medium.name, mend=f"make a raw image of it: {command}")


# --- what needs no utility --------------------------------------------------------------------------------------------


def _fixed_vhd(medium: Medium) -> Medium | None:
    """The disk in front of a footer that says so (Virtual Hard Disk Image Format Specification, from memory)."""
    if medium.size <= VHD_FOOTER_BYTES or medium.size % VHD_FOOTER_BYTES:
        return None
    footer = medium.read(medium.size - VHD_FOOTER_BYTES, VHD_FOOTER_BYTES)
    (size,), (kind, checksum) = struct.unpack_from(">Q", footer, 48), struct.unpack_from(">II", footer, 60)
    whole = ~(sum(footer) - sum(footer[64:68])) & 0xFFFF_FFFF
    if not footer.startswith(VHD_MAGIC) or checksum != whole or kind != 2 or size != medium.size - VHD_FOOTER_BYTES:
        return None
    return medium.shorter(size)


_EXTENT = re.compile(r'^RW (\d+) (FLAT|VMFS) "([^"/\\\0]+)" 0\s*$', re.MULTILINE)
_ANY_EXTENT = re.compile(r"^(?:RW|RDONLY|NOACCESS) ", re.MULTILINE)


def _described(medium: Medium, container: Container, beside: OpenBeside) -> Medium:
    """The one flat file that a description names, which lies beside it."""
    text = medium.read(0, min(medium.size, MOST_DESCRIPTION)).decode("utf-8", "replace")
    found, every = _EXTENT.findall(text), _ANY_EXTENT.findall(text)
    if "parentCID=ffffffff" not in text or len(found) != 1 or len(every) != 1:
        raise _refused(medium, container, f"this is {container.name}, whose data stand in other files")
    sectors, _, name = found[0]
    try:
        descriptor, _, size = beside(name)
    except (OSError, ValueError):
        raise _refused(medium, container, f"this is {container.name}, and {name} is not beside it") from None
    if size < int(sectors) * 512 or not int(sectors):
        os.close(descriptor)
        raise _refused(medium, container, f"this is {container.name}, and {name} is shorter than it says")
    medium.close()
    return Medium(descriptor, int(sectors) * 512, None, None, medium.name)


def _rests_on_another(medium: Medium, container: Container) -> bool:
    """Whether the image holds only what changed against another file, or its data stand in another one.

    The utility itself refuses what rests on another file in the formats that are not asked about here.
    """
    head = medium.read(0, HEAD_BYTES)
    if container.driver == "qcow2":
        version, backing = struct.unpack_from(">IQ", head, 4)
        (features,) = struct.unpack_from(">Q", head, 72)
        return bool(backing or (version >= 3 and features & 4))
    if container.driver == "qed":
        return bool(struct.unpack_from("<Q", head, 16)[0] & 1)
    if container.driver == "vpc":
        return bool(struct.unpack_from(">I", head, 60)[0] == 4)
    return head.startswith(b"KDMV") and _describes_others(medium, head)


def _describes_others(medium: Medium, head: bytes) -> bool:
    """Of a VMDK with its description inside. Without a capacity of its own that names where the data stand."""
    capacity, _, at, length = struct.unpack_from("<QQQQ", head, 12)
    size = min(length * 512, MOST_DESCRIPTION, max(0, medium.size - at * 512))
    return not capacity or b"parentCID=ffffffff" not in medium.read(at * 512, size)


# --- through the utility ----------------------------------------------------------------------------------------------

# The protocol's words (the NBD project's doc/proto.md, from memory).
GREETING, OPTION, REPLY = b"NBDMAGIC", b"IHAVEOPT", 0x67446698
EXPORT_NAME, READ, DISCONNECT = 1, 0, 2
REQUEST = 0x25609513


class Served(Medium):
    """The disk in an image, as the utility serves it."""

    def __init__(self, medium: Medium, container: Container) -> None:
        self._file = medium
        try:
            self._folder = tempfile.TemporaryDirectory(prefix="ylemorph-")
        except OSError as error:
            raise CannotRead(
                f"there is no room for what reads it ({reason_of(error)})",
                at=medium.name,
                mend="make room on this computer",
            ) from None
        self._served: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None
        try:
            if self._is_cut_off(container):
                raise CannotRead(f"this is {container.name} whose end is missing", at=medium.name, mend="copy it again")
            self._process = self._started(container)
            self._served = self._connected()
            size = self._greeted(self._served)
        except CannotRead:
            self._ended()
            raise
        except (OSError, EOFError, ValueError, subprocess.SubprocessError):
            self._ended()
            raise _refused(medium, container, f"this is {container.name} that the utility cannot read") from None
        super().__init__(-1, size, None, None, medium.name)

    def _options(self, container: Container) -> str:
        number = self._file.descriptor
        return f"driver={container.driver},file.driver=file,file.filename=/proc/self/fd/{number},file.locking=off"

    def _is_cut_off(self, container: Container) -> bool:
        """Whether data should stand behind the file's end, where the utility would give zeros for them.

        The formats of which its map names no place are looked after by the utility itself.
        """
        command = [UTILITIES[0], "map", "--output=json", "--image-opts", self._options(container)]
        mapping = subprocess.Popen(  # noqa: S603  # fixed words and numbers
            command,
            pass_fds=(self._file.descriptor,),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        end = Timer(MAP_SECONDS, mapping.kill)
        end.start()
        try:
            with mapping:
                assert mapping.stdout is not None
                # Line by line, since an image may have a million pieces; to the end, so that the utility can end well.
                cut = sum(self._is_behind(line) for line in mapping.stdout if line.strip(b"[], \t\n"))
        finally:
            end.cancel()
        if mapping.returncode:
            raise ValueError("it has no map")
        return cut > 0

    def _is_behind(self, line: bytes) -> bool:
        piece = json.loads(line.strip(b"[], \t\n"))
        stop = piece.get("offset", 0) + piece["length"]
        return bool(piece["data"] and "offset" in piece and stop > self._file.size + MOST_BEHIND)

    def _started(self, container: Container) -> "subprocess.Popen[bytes]":
        command = [UTILITIES[1], "--read-only", f"--socket={self._socket}", "--image-opts", self._options(container)]
        return subprocess.Popen(  # noqa: S603  # fixed words and numbers
            command,
            pass_fds=(self._file.descriptor,),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    @property
    def _socket(self) -> str:
        return f"{self._folder.name}/disk"

    def _connected(self) -> socket.socket:
        """Raises OSError where the utility ended, or does not serve in time."""
        assert self._process is not None
        end = time.monotonic() + START_SECONDS
        while self._process.poll() is None and time.monotonic() < end:
            served = local_socket()
            served.settimeout(ANSWER_SECONDS)
            try:
                served.connect(self._socket)
            except OSError:
                served.close()
                time.sleep(0.005)
            else:
                return served
        raise OSError("it does not serve")

    @staticmethod
    def _greeted(served: socket.socket) -> int:
        """The size in bytes of what is served."""
        if not _received(served, 18).startswith(GREETING + OPTION):
            raise OSError("it speaks otherwise")
        served.sendall(struct.pack(">I", 1) + OPTION + struct.pack(">II", EXPORT_NAME, 0))
        size, _flags = struct.unpack(">QH", _received(served, 10))
        _received(served, 124)
        return int(size)

    def _piece(self, offset: int, length: int) -> bytes:
        """Raises OSError where the image does not give its bytes."""
        assert self._served is not None
        try:
            self._served.sendall(struct.pack(">IHHQQI", REQUEST, 0, READ, offset, offset, length))
            magic, error, handle = struct.unpack(">IIQ", _received(self._served, 16))
            if magic != REPLY or handle != offset or error:
                raise OSError(error, os.strerror(error) if error else "it speaks otherwise")
            return _received(self._served, length)
        except EOFError:
            raise OSError("the utility ended") from None

    def close(self) -> None:
        self._ended()
        self._file.close()

    def _ended(self) -> None:
        if self._served is not None:
            with suppress(OSError):
                self._served.sendall(struct.pack(">IHHQQI", REQUEST, 0, DISCONNECT, 0, 0, 0))
            self._served.close()
        if self._process is not None:
            self._process.terminate()
            self._process.wait()
        self._folder.cleanup()


def _received(served: socket.socket, length: int) -> bytes:
    """Raises EOFError where the other side ended."""
    data = bytearray()
    while len(data) < length:
        more = served.recv(length - len(data))
        if not more:
            raise EOFError
        data += more
    return bytes(data)
