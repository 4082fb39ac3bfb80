"""exFAT (Microsoft exFAT specification, from memory): the allocation bitmap through its own cluster chain."""

import struct
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.model import FileSystem, State
from ..core.sizes import MAX_BYTES, Bytes, div_up
from .bits import count_bitmap
from .media.medium import Unsound, Window
from .ntfs_records import DataRun, NtfsStream

MAGIC = b"EXFAT   "
END_OF_CHAIN = 0xFFFF_FFF8
MOST_FOLDER_BYTES = 2 << 20
BITMAP, LABEL = 0x81, 0x83
DIRTY, FAILED = 0x0002, 0x0004
OFFSET_AT, COPY_SECTOR = 0x40, 12  # PartitionOffset; the backup boot region


class ExfatBoot(NamedTuple):
    """Sizes in bytes, areas as byte offsets in the volume."""

    cluster: int
    clusters: int
    fat_at: int
    fat_bytes: int
    heap_at: int
    root: int
    size: int
    flags: int
    serial: str
    offset: int | None  # sectors before the volume, as it says; None where no disk has so many
    sector: int


def read_boot(first: bytes) -> ExfatBoot:
    """Raises Unsound where the figures cannot be those of a volume."""
    (length, fat_at, fat_length, heap_at, clusters, root, serial, _, flags, sector_bits, cluster_bits, fats) = (
        struct.unpack_from("<QIIIIIIHHBBB", first, 0x48)
    )
    if not 9 <= sector_bits <= 12 or not 0 <= cluster_bits <= 25 - sector_bits or fats not in (1, 2):
        raise Unsound("the sizes of an exFAT volume")
    sector, cluster = 1 << sector_bits, 1 << sector_bits + cluster_bits
    if not 0 < clusters <= END_OF_CHAIN or heap_at * sector + clusters * cluster > length * sector:
        raise Unsound("the areas of an exFAT volume")
    (offset,) = struct.unpack_from("<Q", first, OFFSET_AT)
    return ExfatBoot(
        cluster,
        clusters,
        fat_at * sector,
        fat_length * sector,
        heap_at * sector,
        root,
        length * sector,
        flags,
        f"{serial >> 16:04X}-{serial & 0xFFFF:04X}",
        offset if offset <= MAX_BYTES else None,
        sector,
    )


def read_exfat(part: Window) -> FileSystem:
    """What the volume tells; where a structure is broken the state is ``damaged`` and the rest stays unknown."""
    try:
        boot = read_boot(part.read(0, 512))
    except Unsound:
        return FileSystem("exfat", state="damaged")
    known = FileSystem("exfat", uuid=boot.serial, cluster_bytes=Bytes(boot.cluster), state="damaged")
    if boot.size > part.size:
        return known
    known = known.but(size_bytes=Bytes(boot.size), named_start_lba=boot.offset)
    try:
        copy = part.read(COPY_SECTOR * boot.sector, 512)
        if copy[3:11] == MAGIC:
            known = known.but(copy_named_start_lba=read_boot(copy).offset)
        bitmap, length, label = root_entries(part, boot)
        if length * 8 < boot.clusters:
            raise Unsound("a bitmap that is too short for its clusters")
        counted = count_bitmap(boot.clusters, chain_of(part, boot, bitmap, div_up(boot.clusters, 8)).read)
    except (Unsound, struct.error, IndexError):
        return known
    state: State = "damaged" if boot.flags & FAILED else "dirty" if boot.flags & DIRTY else "clean"
    return known.but(
        label=label,
        used_bytes=Bytes(counted.used * boot.cluster),
        used_kind="counted",
        last_used_byte=Bytes(boot.heap_at + counted.end * boot.cluster),
        usage_map=counted.usage_map(boot.cluster),
        end_owner="files" if counted.end else "",
        state=state,
    )


def chain_of(part: Window, boot: ExfatBoot, first: int, size: int | None) -> NtfsStream:
    """The clusters of a chain as runs, up to ``size`` bytes or what a folder may have; it may loop or point outside."""
    runs: list[DataRun] = []
    cluster = first
    for vcn in range(div_up(MOST_FOLDER_BYTES if size is None else size, boot.cluster)):
        if not 2 <= cluster < boot.clusters + 2:
            raise Unsound("a chain of clusters points outside")
        last = runs[-1] if runs else None
        if last is not None and last.lcn is not None and last.lcn + last.clusters == cluster - 2:
            runs[-1] = last._replace(clusters=last.clusters + 1)
        else:
            runs.append(DataRun(vcn, cluster - 2, 1))
        if 4 * cluster + 4 > boot.fat_bytes:
            raise Unsound("a FAT that is too short for its clusters")
        (cluster,) = struct.unpack("<I", part.read(boot.fat_at + 4 * cluster, 4))
        if cluster >= END_OF_CHAIN:
            break
    total = sum(run.clusters for run in runs) * boot.cluster
    if size is not None and total < size:
        raise Unsound("a chain that ends too early")
    return NtfsStream(_Heap(part, boot), boot.cluster, runs, total if size is None else size)


class _Heap:
    """The cluster heap, whose first cluster has number 2."""

    def __init__(self, part: Window, boot: ExfatBoot) -> None:
        self.size = part.size - boot.heap_at
        self._part = part
        self._at = boot.heap_at

    def read(self, offset: int, length: int) -> bytes:
        return self._part.read(self._at + offset, length)


def root_entries(part: Window, boot: ExfatBoot) -> tuple[int, int, str]:
    """First cluster and length of the bitmap, and the label."""
    bitmap: tuple[int, int] | None = None
    label = ""
    for entry in _entries(chain_of(part, boot, boot.root, None)):
        if entry[0] == BITMAP and bitmap is None and not entry[1] & 1:
            bitmap = struct.unpack_from("<IQ", entry, 20)
        elif entry[0] == LABEL:
            label = entry[2 : 2 + 2 * min(entry[1], 11)].decode("utf-16-le", "replace")
    if bitmap is None:
        raise Unsound("there is no allocation bitmap")
    return *bitmap, label


def _entries(folder: NtfsStream) -> Iterator[bytes]:
    for offset in range(0, min(folder.size, MOST_FOLDER_BYTES), 4096):
        data = folder.read(offset, min(4096, folder.size - offset))
        for at in range(0, len(data) - 31, 32):
            if data[at] == 0:
                return
            yield data[at : at + 32]
