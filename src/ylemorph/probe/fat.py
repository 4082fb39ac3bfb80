"""FAT12, FAT16 and FAT32 (Microsoft FAT specification, fatgen103, from memory).

FAT32 is what keeps the size of its table in the long field (``BPB_FATSz16`` = 0), however few clusters it has: small
ones are usual for start partitions on 4096-byte sectors, and the system's utilities read them so. Below that the kind
follows from the cluster count; the label text says nothing. FSInfo's free count is a hint only.
"""

import struct
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.model import FileSystem, Kind, State
from ..core.disk.starting import HIDDEN_AT
from ..core.sizes import Bytes, div_up
from .bits import BitCounter
from .media.medium import MOST_AT_ONCE, Unsound, Window

FAT12_MOST, FAT16_MOST, FAT32_MOST = 4_084, 65_524, 0x0FFF_FFF5
MOST_CHAIN = 65_536
MOST_FOLDER_BYTES = 2 << 20
VOLUME_ID, LONG_NAME = 0x08, 0x0F
# Of the second entry: clear where the volume was not shut down cleanly. FAT12 has no such bit.
CLEAN = {16: 0x8000, 32: 0x0800_0000}
# A byte of the boot sector whose lowest bit says the same.
DIRTY_AT = {12: 0x25, 16: 0x25, 32: 0x41}
COPY_AT = 0x32  # BPB_BkBootSec of FAT32


class Bpb(NamedTuple):
    """The parameter block: sizes in bytes, areas as byte offsets in the volume.

    ``hidden``: sectors before the volume, as it says. ``copy_at``: where the boot sector's copy stands.
    """

    sector: int
    cluster: int
    clusters: int
    bits: int
    fat_at: int
    fat_bytes: int
    fats: int
    root_at: int
    root_bytes: int
    root_cluster: int
    heap_at: int
    size: int
    serial: str
    dirty: bool
    hidden: int
    copy_at: int | None


def looks_like_fat(first: bytes) -> bool:
    """Whether a first sector carries a FAT parameter block, judged by its figures."""
    if first[510:512] != b"\x55\xaa" or first[0] not in (0xEB, 0xE9):
        return False
    try:
        read_bpb(first)
    except Unsound:
        return False
    return True


SECTORS, PER_CLUSTER = (512, 1024, 2048, 4096), (1, 2, 4, 8, 16, 32, 64, 128)


def read_bpb(first: bytes) -> Bpb:
    """Raises Unsound where the figures cannot be those of a volume."""
    sector, per_cluster, reserved, fats, root_entries, small, _, fat16 = struct.unpack_from("<HBHBHHBH", first, 0x0B)
    large, fat32 = struct.unpack_from("<II", first, 0x20)
    sectors, fat_sectors = small or large, fat16 or fat32
    if sector not in SECTORS or per_cluster not in PER_CLUSTER:
        raise Unsound("the sizes of a FAT volume")
    if fats not in (1, 2) or not reserved or not fat_sectors or (not fat16 and root_entries):
        raise Unsound("the areas of a FAT volume")
    heap = reserved + fats * fat_sectors + div_up(root_entries * 32, sector)
    clusters = (sectors - heap) // per_cluster
    bits = _bits(clusters, fat_sectors * sector, narrow=bool(fat16))
    (serial,) = struct.unpack_from("<I", first, 0x43 if bits == 32 else 0x27)
    return Bpb(
        sector=sector,
        cluster=sector * per_cluster,
        clusters=clusters,
        bits=bits,
        fat_at=reserved * sector,
        fat_bytes=fat_sectors * sector,
        fats=fats,
        root_at=(reserved + fats * fat_sectors) * sector,
        root_bytes=root_entries * 32,
        root_cluster=struct.unpack_from("<I", first, 0x2C)[0] if bits == 32 else 0,
        heap_at=heap * sector,
        size=sectors * sector,
        serial=f"{serial >> 16:04X}-{serial & 0xFFFF:04X}",
        dirty=bool(first[DIRTY_AT[bits]] & 1),
        hidden=struct.unpack_from("<I", first, HIDDEN_AT)[0],
        copy_at=_copy_at(first, reserved, sector) if bits == 32 else None,
    )


def _copy_at(first: bytes, reserved: int, sector: int) -> int | None:
    """Where FAT32 keeps its boot sector's copy: a sector of the reserved ones, 0 or all ones where there is none."""
    (at,) = struct.unpack_from("<H", first, COPY_AT)
    return at * sector if 0 < at < reserved else None


def _bits(clusters: int, fat_bytes: int, *, narrow: bool) -> int:
    """Of an entry of the FAT; ``narrow``: its length stands where FAT32 has none. Raises Unsound."""
    if not 1 <= clusters <= FAT32_MOST:
        raise Unsound("the clusters of a FAT volume")
    bits = 32 if not narrow else 12 if clusters <= FAT12_MOST else 16
    if bits == 16 and clusters > FAT16_MOST:
        raise Unsound("more clusters than a FAT16 can number")
    if fat_bytes * 8 < (clusters + 2) * bits:
        raise Unsound("a FAT that is too short for its clusters")
    return bits


def read_fat(part: Window) -> FileSystem:
    """What the volume tells. FAT12 has no word of its own among the kinds and is ``unknown`` with that detail."""
    bpb = read_bpb(part.read(0, 512))
    kind: Kind = "unknown" if bpb.bits == 12 else "fat16" if bpb.bits == 16 else "fat32"
    detail = "FAT12" if bpb.bits == 12 else ""
    known = FileSystem(kind, uuid=bpb.serial, cluster_bytes=Bytes(bpb.cluster), state="damaged", detail=detail)
    if bpb.size > part.size:
        return known
    known = known.but(size_bytes=Bytes(bpb.size), named_start_lba=bpb.hidden)
    try:
        if bpb.copy_at is not None:
            known = known.but(copy_named_start_lba=_copy_of(part, bpb.copy_at))
        counter = BitCounter(bpb.clusters)
        for flags in flags_of(part, bpb):
            counter.add_flags(flags)
        counted = counter.result()
        known = known.but(
            used_bytes=Bytes(counted.used * bpb.cluster),
            used_kind="counted",
            last_used_byte=Bytes(bpb.heap_at + counted.end * bpb.cluster),
            usage_map=counted.usage_map(bpb.cluster),
            end_owner="files" if counted.end else "",
        )
        label = _label(part, bpb)
        state = _state(part, bpb)
    except (Unsound, struct.error, IndexError):
        return known
    return known.but(label=label, state=state)


def _copy_of(part: Window, at: int) -> int | None:
    """What the copy of the boot sector says of the volume's start; None where no copy stands there."""
    copy = part.read(at, 512)
    return int.from_bytes(copy[HIDDEN_AT : HIDDEN_AT + 4], "little") if looks_like_fat(copy) else None


def flags_of(part: Window, bpb: Bpb) -> Iterator[bytes]:
    """The first FAT from cluster 2 on, one byte for each cluster, zero where it is free; a chunk at a time."""
    total = div_up((bpb.clusters + 2) * bpb.bits, 8)
    if bpb.bits == 12:
        entries = _entries12(part.read(bpb.fat_at, total))
        yield bytes([value != 0 for value in entries[2 : 2 + bpb.clusters]])
        return
    width = bpb.bits // 8
    for offset in range(2 * width, total, MOST_AT_ONCE):
        yield _any_byte(part.read(bpb.fat_at + offset, min(MOST_AT_ONCE, total - offset)), width)


# The highest byte of a FAT32 entry: its top four bits are reserved and do not count.
_LOW_HALF = bytes(value & 0x0F for value in range(256))


def _any_byte(data: bytes, width: int) -> bytes:
    """For each entry a byte that is zero only where the entry is: its bytes laid over each other."""
    layers = [data[i::width] for i in range(width)]
    if width == 4:
        layers[3] = layers[3].translate(_LOW_HALF)
    merged = 0
    for layer in layers:
        merged |= int.from_bytes(layer, "little")
    return merged.to_bytes(len(layers[0]), "little")


def _entries12(data: bytes) -> list[int]:
    out = []
    for at in range(0, len(data) - 1, 3):
        low, middle = data[at], data[at + 1]
        out.append(low | (middle & 15) << 8)
        if at + 2 < len(data):
            out.append(middle >> 4 | data[at + 2] << 4)
    return out


def next_cluster(part: Window, bpb: Bpb, cluster: int) -> int:
    """The cluster's entry in the first FAT."""
    if bpb.bits == 12:
        (pair,) = struct.unpack("<H", part.read(bpb.fat_at + cluster * 3 // 2, 2))
        return int(pair >> 4 if cluster & 1 else pair & 0xFFF)
    width = bpb.bits // 8
    value = int.from_bytes(part.read(bpb.fat_at + cluster * width, width), "little")
    return value & 0x0FFF_FFFF if bpb.bits == 32 else value


def _state(part: Window, bpb: Bpb) -> State:
    """By the mark in the boot sector and the flag of the second entry; FAT12 has the mark alone."""
    if bpb.dirty:
        return "dirty"
    if bpb.bits == 12:
        return "unknown"
    width = bpb.bits // 8
    value = int.from_bytes(part.read(bpb.fat_at + width, width), "little")
    return "clean" if value & CLEAN[bpb.bits] else "dirty"


def root_folder(part: Window, bpb: Bpb) -> Iterator[bytes]:
    """The root folder in pieces; the chain of a FAT32 root may loop and is bounded."""
    if bpb.bits != 32:
        yield part.read(bpb.root_at, bpb.root_bytes)
        return
    cluster, read = bpb.root_cluster, 0
    for _ in range(MOST_CHAIN):
        if not 2 <= cluster < bpb.clusters + 2:
            if cluster < 0x0FFF_FFF8:
                raise Unsound("the chain of the root folder")
            return
        yield part.read(bpb.heap_at + (cluster - 2) * bpb.cluster, bpb.cluster)
        read += bpb.cluster
        if read > MOST_FOLDER_BYTES:
            return
        cluster = next_cluster(part, bpb, cluster)


def _label(part: Window, bpb: Bpb) -> str:
    """The volume's entry in the root folder; the boot sector's own copy is often stale."""
    for piece in root_folder(part, bpb):
        for at in range(0, len(piece) - 31, 32):
            if piece[at] == 0:
                return ""
            kind = piece[at + 11]
            if piece[at] != 0xE5 and kind & 0x3F != LONG_NAME and kind & VOLUME_ID:
                first = b"\xe5" if piece[at] == 0x05 else piece[at : at + 1]  # 0xE5 itself would mean deleted
                return (first + piece[at + 1 : at + 11]).decode("cp437", "replace").rstrip()
    return ""
