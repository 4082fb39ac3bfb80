"""Files of a FAT volume by their path (Microsoft FAT specification, "FAT Directory Structure", from memory)."""

import struct
from collections.abc import Iterator
from typing import NamedTuple

from .fat import LONG_NAME, MOST_CHAIN, MOST_FOLDER_BYTES, VOLUME_ID, Bpb, next_cluster, read_bpb, root_folder
from .media.medium import Unsound, Window

FOLDER, DELETED, LAST_PIECE = 0x10, 0xE5, 0x40
# Where the thirteen characters of a piece of a long name stand in its entry.
LONG_PIECES = ((1, 11), (14, 26), (28, 32))


class FatEntry(NamedTuple):
    """One file or folder: its first cluster, 0 where it holds nothing, and its size in bytes."""

    names: frozenset[str]  # short and long, in lower case
    is_folder: bool
    cluster: int
    size: int


def find_file(part: Window, path: tuple[str, ...]) -> FatEntry | None:
    """The entry of a file by the names that lead to it, case aside; None where there is none.

    Raises Unsound where the volume cannot be followed.
    """
    bpb = read_bpb(part.read(0, 512))
    pieces = root_folder(part, bpb)
    for depth, name in enumerate(path, 1):
        found = next((entry for entry in _entries(pieces) if name.lower() in entry.names), None)
        if found is None or depth == len(path):
            return found
        if not found.is_folder:
            return None
        pieces = _chain(part, bpb, found.cluster, MOST_FOLDER_BYTES)
    return None


def read_file(part: Window, entry: FatEntry) -> bytes:
    """What a file holds. Raises Unsound where its chain is broken."""
    data = b"".join(_chain(part, read_bpb(part.read(0, 512)), entry.cluster, entry.size)) if entry.size else b""
    if len(data) < entry.size:
        raise Unsound("a file that ends too early")
    return data[: entry.size]


def _chain(part: Window, bpb: Bpb, cluster: int, most: int) -> Iterator[bytes]:
    """The clusters of a file or folder up to ``most`` bytes; a chain may loop and is bounded."""
    read = 0
    for _ in range(MOST_CHAIN):
        if not 2 <= cluster < bpb.clusters + 2 or read >= most:
            return
        yield part.read(bpb.heap_at + (cluster - 2) * bpb.cluster, bpb.cluster)
        read += bpb.cluster
        cluster = next_cluster(part, bpb, cluster)


def _entries(pieces: Iterator[bytes]) -> Iterator[FatEntry]:
    long: dict[int, bytes] = {}  # pieces of a long name by their order
    for piece in pieces:
        for at in range(0, len(piece) - 31, 32):
            entry = piece[at : at + 32]
            if entry[0] == 0:
                return
            if entry[0] == DELETED:
                long = {}
            elif entry[11] & 0x3F == LONG_NAME:
                if entry[0] & LAST_PIECE:
                    long = {}
                long[entry[0] & 0x1F] = b"".join(entry[start:stop] for start, stop in LONG_PIECES)
            else:
                if not entry[11] & VOLUME_ID:
                    yield _entry(entry, b"".join(long[order] for order in sorted(long)))
                long = {}


def _entry(entry: bytes, long: bytes) -> FatEntry:
    high, low, size = struct.unpack("<20xH4xHI", entry)
    stem, ending = (part.decode("cp437").rstrip() for part in (entry[:8], entry[8:11]))
    short = f"{stem}.{ending}" if ending else stem
    names = {short, long.decode("utf-16-le", "replace").split("\0")[0]}
    return FatEntry(frozenset(name.lower() for name in names if name), bool(entry[11] & FOLDER), high << 16 | low, size)
