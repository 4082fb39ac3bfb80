"""NTFS on disk: boot sector, file records with their fix-ups, run lists and attribute lists.

No published source describes NTFS; the layout is as open-source drivers read it (from memory).
"""

import struct
from bisect import bisect_right
from collections.abc import Iterator
from typing import NamedTuple

from ..core.disk.starting import HIDDEN_AT
from .media.medium import Unsound, Window

SECTOR_SIZES = (512, 1024, 2048, 4096)
STRIDE = 512  # the stride of fix-ups, on 4096-byte sectors as well
MOST_CLUSTER, MOST_RECORD = 2 << 20, 1 << 16
MOST_LIST_BYTES, MOST_LIST_ENTRIES = 1 << 18, 20_000

STANDARD_LIST, DATA, INDEX_ROOT, INDEX_ALLOCATION, VOLUME_NAME, VOLUME_INFORMATION = 0x20, 0x80, 0x90, 0xA0, 0x60, 0x70
END_OF_ATTRIBUTES = 0xFFFFFFFF


class NtfsBoot(NamedTuple):
    """What the boot sector says. ``size`` counts the backup boot sector that the sector count leaves out."""

    sector: int
    cluster: int
    size: int
    clusters: int
    mft_lcn: int
    mirror_lcn: int
    record: int
    serial: str
    hidden: int  # sectors before the volume, as it says


def read_boot(data: bytes) -> NtfsBoot:
    """Raises Unsound where the figures cannot be those of a volume."""
    sector, per_cluster = struct.unpack_from("<HB", data, 0x0B)
    count, mft_lcn, mirror_lcn = struct.unpack_from("<QQQ", data, 0x28)
    (record_code,) = struct.unpack_from("<b", data, 0x40)
    cluster = sector * (1 << (256 - per_cluster) if per_cluster > 0x80 else per_cluster)
    if sector not in SECTOR_SIZES or not _is_power(cluster) or not sector <= cluster <= MOST_CLUSTER or count == 0:
        raise Unsound("the boot sector's sizes")
    record = 1 << -record_code if record_code < 0 else record_code * cluster
    if not _is_power(record) or not STRIDE <= record <= MOST_RECORD:
        raise Unsound("the size of a file record")
    size = (count + 1) * sector
    serial = data[0x48:0x50][::-1].hex().upper()
    (hidden,) = struct.unpack_from("<I", data, HIDDEN_AT)
    return NtfsBoot(sector, cluster, size, count * sector // cluster, mft_lcn, mirror_lcn, record, serial, hidden)


def _is_power(value: int) -> bool:
    return value > 0 and value & (value - 1) == 0


class DataRun(NamedTuple):
    """Clusters in a row: ``lcn`` on the volume, None for a hole; ``vcn`` counts from the stream's start."""

    vcn: int
    lcn: int | None
    clusters: int


class NtfsStream:
    """The bytes of an attribute that stands in runs."""

    def __init__(self, part: Window, cluster: int, runs: list[DataRun], size: int) -> None:
        self.runs = sorted(runs)
        self.size = size
        self._part = part
        self._cluster = cluster
        self._starts = [run.vcn for run in self.runs]

    def read(self, offset: int, length: int) -> bytes:
        if offset < 0 or offset + length > self.size:
            raise Unsound("a stream ends too early")
        parts = []
        while length > 0:
            vcn, inside = divmod(offset, self._cluster)
            place = bisect_right(self._starts, vcn) - 1
            run = self.runs[place] if place >= 0 else None
            if run is None or vcn >= run.vcn + run.clusters:
                raise Unsound("a stream has no clusters where it should")
            skip = (vcn - run.vcn) * self._cluster + inside
            take = min(length, run.clusters * self._cluster - skip)
            if run.lcn is None:
                parts.append(bytes(take))
            else:
                parts.append(self._part.read(run.lcn * self._cluster + skip, take))
            offset += take
            length -= take
        return parts[0] if len(parts) == 1 else b"".join(parts)


class Attribute(NamedTuple):
    """One attribute of a record: its value where it is resident, else its runs and its size."""

    type: int
    name: str
    value: bytes | None
    runs: list[DataRun]
    size: int


def fixed_up(data: bytes, magic: bytes) -> bytes:
    """A record with its fix-ups undone. Raises Unsound where the magic or the check numbers are wrong."""
    if data[:4] != magic:
        raise Unsound(f"no {magic.decode()} record")
    at, count = struct.unpack_from("<HH", data, 4)
    if count != len(data) // STRIDE + 1 or at + 2 * count > STRIDE:
        raise Unsound("the fix-ups of a record")
    out = bytearray(data)
    check = data[at : at + 2]
    for i in range(1, count):
        end = i * STRIDE
        if data[end - 2 : end] != check:
            raise Unsound("a record was written only in part")
        out[end - 2 : end] = data[at + 2 * i : at + 2 * i + 2]
    return bytes(out)


def attributes_of(record: bytes) -> Iterator[Attribute]:
    """The attributes that stand in a record itself."""
    (at,) = struct.unpack_from("<H", record, 0x14)
    while at + 8 <= len(record):
        kind, length = struct.unpack_from("<II", record, at)
        if kind == END_OF_ATTRIBUTES:
            return
        if length < 0x18 or length % 8 or at + length > len(record):
            raise Unsound("an attribute's length")
        yield _attribute(record[at : at + length], kind)
        at += length
    raise Unsound("a record without an end")


def _attribute(data: bytes, kind: int) -> Attribute:
    outside, name_length, name_at = struct.unpack_from("<BBH", data, 8)
    name = data[name_at : name_at + 2 * name_length].decode("utf-16-le", "replace")
    if not outside:
        length, at = struct.unpack_from("<IH", data, 16)
        if at + length > len(data):
            raise Unsound("a value outside its attribute")
        return Attribute(kind, name, data[at : at + length], [], length)
    first_vcn, _, pairs_at = struct.unpack_from("<QQH", data, 16)
    size = struct.unpack_from("<Q", data, 48)[0] if first_vcn == 0 and len(data) >= 56 else 0
    return Attribute(kind, name, None, list(_runs(data[pairs_at:], first_vcn)), size)


def _runs(pairs: bytes, vcn: int) -> Iterator[DataRun]:
    """The mapping pairs: lengths and signed steps from run to run."""
    at, lcn = 0, 0
    while at < len(pairs) and pairs[at]:
        length_bytes, step_bytes = pairs[at] & 15, pairs[at] >> 4
        if not 1 <= length_bytes <= 8 or step_bytes > 8:
            raise Unsound("a run list")
        at += 1
        clusters = int.from_bytes(pairs[at : at + length_bytes], "little")
        at += length_bytes
        if step_bytes:
            lcn += int.from_bytes(pairs[at : at + step_bytes], "little", signed=True)
        at += step_bytes
        if clusters == 0 or lcn < 0 or at > len(pairs):
            raise Unsound("a run list")
        yield DataRun(vcn, lcn if step_bytes else None, clusters)
        vcn += clusters


def list_entries(data: bytes) -> Iterator[tuple[int, str, int]]:
    """Type, name and record number of each entry of an attribute list."""
    at = 0
    while at + 26 <= len(data):
        kind, length, name_length, name_at, _, reference = struct.unpack_from("<IHBBQQ", data, at)
        if length < 26 or at + length > len(data):
            raise Unsound("an attribute list")
        name = data[at + name_at : at + name_at + 2 * name_length].decode("utf-16-le", "replace")
        yield kind, name, reference & (2**48 - 1)
        at += length
