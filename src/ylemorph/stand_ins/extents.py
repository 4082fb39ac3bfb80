"""Sparse disk images in small files: the stretches that are not zero, compressed with xz.

Layout: the magic, the image's size (u64), then for each stretch its offset (u64), its length (u32), whether all of it
is one byte (u8), and that byte or all of them; numbers are little-endian. An image of a terabyte with four file systems
is some hundred kilobytes. Bitmaps of what lies past the end are hundreds of megabytes of one byte: kept as such, the
decompressor need not make them.
"""

import lzma
import struct
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO

from ..core.errors import YlemorphError
from ..system import data_stretches, make_sparse, read_at

MAGIC = b"YLEXTNT2"
HEAD = struct.Struct("<QI?")
BLOCK = 4096
ALIKE = 1 << 16  # bytes that are looked at together for being all the same
MOST_STRETCH = 1 << 20


class BadImage(YlemorphError):
    """A packed image that cannot be unpacked."""


def pack(pieces: Iterable[tuple[int, Path]], size: int, packed: Path) -> None:
    """Pack images that stand at offsets of one disk of ``size`` bytes; a later piece overlays an earlier one."""
    with lzma.open(packed, "wb", preset=9) as out:
        out.write(MAGIC + struct.pack("<Q", size))
        for offset, path in pieces:
            for at, data in stretches(path):
                for place in range(0, len(data), ALIKE):
                    piece = data[place : place + ALIKE]
                    alike = piece.count(piece[:1]) == len(piece)
                    out.write(HEAD.pack(offset + at + place, len(piece), alike) + (piece[:1] if alike else piece))


def stretches(path: Path) -> Iterator[tuple[int, bytes]]:
    """What of a sparse file is not zero, in blocks joined to stretches."""
    with path.open("rb") as file:
        for start, hole in data_stretches(file, path.stat().st_size):
            at = start
            while at < hole:
                data = read_at(file.fileno(), at, min(MOST_STRETCH, hole - at))
                yield from _not_zero(at, data)
                at += len(data)


def _not_zero(at: int, data: bytes) -> Iterator[tuple[int, bytes]]:
    start: int | None = None
    for place in range(0, len(data), BLOCK):
        empty = not data[place : place + BLOCK].strip(b"\0")
        if empty and start is not None:
            yield at + start, data[start:place]
            start = None
        elif not empty and start is None:
            start = place
    if start is not None:
        yield at + start, data[start:]


def unpack(packed: IO[bytes], path: Path) -> int:
    """Write the sparse image to ``path`` and give its size. Raises BadImage where the file is not whole."""
    try:
        with lzma.open(packed, "rb") as source, path.open("wb") as out:
            if source.read(len(MAGIC)) != MAGIC:
                raise BadImage("this is no packed image", at=str(path), mend="install the application again")
            (size,) = struct.unpack("<Q", source.read(8))
            make_sparse(out)
            out.truncate(size)
            while head := source.read(HEAD.size):
                offset, length, alike = HEAD.unpack(head)
                out.seek(offset)
                out.write(source.read(1) * length if alike else source.read(length))
    except (lzma.LZMAError, struct.error, EOFError):
        raise BadImage("the packed image is damaged", at=str(path), mend="install the application again") from None
    return int(size)
