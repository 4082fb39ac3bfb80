"""File systems for practice where no mkfs utility is installed: NTFS grown from a small one that is shipped, FAT32 and
swap written outright. What tells size, used space and state is right, so that the probe and the usual utilities read
them; nobody stores files in them.

FAT32 after Microsoft's FAT specification; NTFS and the swap header as open-source drivers read them (from memory).
"""

import struct
import uuid
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import IO

from ..core.errors import YlemorphError
from ..core.sizes import div_up
from ..probe.media.opening import open_medium
from ..probe.ntfs import BITMAP, Volume
from ..probe.ntfs_records import DATA, END_OF_ATTRIBUTES, NtfsBoot, read_boot
from .extents import unpack

SECTOR = 512
BAD_CLUSTERS = 8  # the record of $BadClus, whose stream $Bad is a hole as long as the volume
LEAST_FAT32 = 65_525  # clusters, by which the kind of a FAT is told
PAGE = 4096


def too_small(size: int, kind: str) -> YlemorphError:
    return YlemorphError(f"{size} bytes are too few for {kind}", mend="practise on a larger row")


def grown_ntfs(path: Path, size: int) -> None:
    """An NTFS of ``size`` bytes in ``path``: the shipped one with a longer bitmap behind it. Raises YlemorphError."""
    with (files(__package__) / "images" / "ntfs-start.xz").open("rb") as packed:
        unpack(packed, path)
    with open_medium(path) as medium:
        boot = read_boot(medium.read(0, SECTOR))
        stream = Volume(medium, boot).stream(BITMAP)
        (run,) = stream.runs
        used = int.from_bytes(stream.read(0, (boot.clusters + 7) // 8), "little") & ((1 << boot.clusters) - 1)
    sectors = size // SECTOR - 1  # the last one holds the copy of the boot sector
    clusters = sectors * SECTOR // boot.cluster
    length = div_up(clusters, 64) * 8
    own = div_up(length, boot.cluster)
    if boot.clusters + own >= clusters:
        raise too_small(size, "an NTFS")
    used &= ~(1 << (run.lcn or 0))  # where the bitmap stood
    used |= ((1 << own) - 1) << boot.clusters
    used |= ((1 << (length * 8 - clusters)) - 1) << clusters  # past the end
    with path.open("r+b") as file:
        file.truncate(size)
        file.seek(boot.clusters * boot.cluster)
        file.write(used.to_bytes(length, "little"))
        _set_runs(file, boot, BITMAP, "", (boot.clusters, own), length)
        _set_runs(file, boot, BAD_CLUSTERS, "$Bad", (None, clusters), clusters * boot.cluster)
        file.seek(0)
        first = bytearray(file.read(SECTOR))
        struct.pack_into("<Q", first, 0x28, sectors)
        for place in (0, sectors * SECTOR):
            file.seek(place)
            file.write(first)


def _set_runs(
    file: IO[bytes], boot: NtfsBoot, number: int, name: str, run: tuple[int | None, int], length: int
) -> None:
    """Give the stream ``name`` of a record one run, of clusters from a place on or as a hole, and its length."""
    place = boot.mft_lcn * boot.cluster + number * boot.record
    file.seek(place)
    record = file.read(boot.record)
    at = next(at for at, own in _streams(record) if own == name)
    lcn, clusters = run
    count = clusters.to_bytes((clusters.bit_length() + 7) // 8, "little")
    step = b"" if lcn is None else lcn.to_bytes(lcn.bit_length() // 8 + 1, "little")
    pairs = bytes([len(step) << 4 | len(count)]) + count + step + b"\0"
    (attribute,) = struct.unpack_from("<I", record, at + 4)
    (pairs_at,) = struct.unpack_from("<H", record, at + 0x20)
    assert pairs_at + len(pairs) <= attribute  # the shipped one leaves room for any disk
    whole = clusters * boot.cluster
    edited = bytearray(record)
    struct.pack_into("<QQ", edited, at + 0x10, 0, clusters - 1)
    struct.pack_into("<QQQ", edited, at + 0x28, whole, length, 0 if lcn is None else length)
    edited[at + pairs_at : at + attribute] = pairs.ljust(attribute - pairs_at, b"\0")
    assert record[0x1FC:] == edited[0x1FC:]  # the fix-ups stay as they are
    file.seek(place)
    file.write(edited)


def _streams(record: bytes) -> Iterator[tuple[int, str]]:
    """Where the data attributes that stand in runs begin in a record, and their names."""
    (at,) = struct.unpack_from("<H", record, 0x14)
    while True:
        kind, length = struct.unpack_from("<II", record, at)
        if kind == END_OF_ATTRIBUTES:
            return
        outside, name_length, name_at = struct.unpack_from("<BBH", record, at + 8)
        if kind == DATA and outside:
            yield at, record[at + name_at : at + name_at + 2 * name_length].decode("utf-16-le")
        at += length


def fat32(path: Path, size: int, label: str) -> None:
    """An empty FAT32 of ``size`` bytes in ``path``; ``label``: at most eleven capitals and figures. Raises
    YlemorphError."""
    sectors, reserved, fats = size // SECTOR, 32, 2
    per_cluster = next((n for n in (64, 32, 16, 8, 4, 2, 1) if sectors // n >= LEAST_FAT32 * 102 // 100), None)
    if per_cluster is None:
        raise too_small(size, "a FAT32")
    # Each FAT needs four bytes for every cluster and two more; the clusters are what the FATs leave.
    fat = div_up((sectors - reserved) // per_cluster * 4 + 8, SECTOR)
    clusters = (sectors - reserved - fats * fat) // per_cluster
    name = label.encode("ascii").ljust(11) if label else b"NO NAME    "
    boot = bytearray(SECTOR)
    struct.pack_into("<3s8sHBHBHHBHHHII", boot, 0, b"\xeb\x58\x90", b"YLEMORPH", SECTOR, per_cluster, reserved, fats,
                     0, 0, 0xF8, 0, 63, 255, 0, sectors)  # fmt: skip
    struct.pack_into("<IHHIHH12xBBBI11s8s", boot, 36, fat, 0, 0, 2, 1, 6, 0x80, 0, 0x29,
                     uuid.uuid4().int & 0xFFFFFFFF, name, b"FAT32   ")  # fmt: skip
    boot[510:] = b"\x55\xaa"
    info = bytearray(SECTOR)
    struct.pack_into("<I", info, 0, 0x41615252)
    struct.pack_into("<III", info, 484, 0x61417272, clusters - 1, 3)
    info[510:] = b"\x55\xaa"
    with path.open("r+b") as file:
        file.truncate(size)
        for sector, data in ((0, boot), (1, info), (6, boot), (7, info)):
            file.seek(sector * SECTOR)
            file.write(data)
        for copy in range(fats):
            file.seek((reserved + copy * fat) * SECTOR)
            file.write(struct.pack("<III", 0x0FFFFFF8, 0x0FFFFFFF, 0x0FFFFFFF))  # the media, its state, the root folder
        if label:
            file.seek((reserved + fats * fat) * SECTOR)
            file.write(name + b"\x08")  # the root folder begins with the label


def swap(path: Path, size: int) -> None:
    """A swap area of ``size`` bytes in ``path``."""
    page = bytearray(PAGE)
    struct.pack_into("<III16s", page, 1024, 1, size // PAGE - 1, 0, uuid.uuid4().bytes)
    page[-10:] = b"SWAPSPACE2"
    with path.open("r+b") as file:
        file.truncate(size)
        file.write(page)
