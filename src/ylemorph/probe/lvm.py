"""A physical volume of LVM2: what of it is in use, by the metadata that stand in it, and the volumes inside.

The label stands in one of the first four sectors and names the areas of metadata; these are a ring of text, of which a
header names the newest. Layout and checksum are those of the project's own source (from memory), tried on volumes that
its utilities made.
"""

import re
import struct
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NamedTuple

from ..core.disk.extents import with_extents
from ..core.disk.model import MOST_TEXT, FileSystem, Inside
from ..core.sizes import Bytes
from .media.medium import Unsound, Window

LABEL, LABEL_SECTORS = b"LABELONE", 4
AREA_MAGIC = b" LVM2 x[5A%r0N*>"
AREA_HEADER = 512
FIRST_SUM = 0xF597A6CF  # the checksum begins with this instead of all ones, and is not turned at the end
MOST_METADATA = 8 << 20
MOST_AREAS, MOST_DEPTH, MOST_INSIDE, MOST_PIECES = 8, 12, 1000, 4096
LEAST_EXTENT = 1024
SECTOR = 512  # the metadata count in these
_TOKEN = re.compile(r'#[^\n]*|"((?:[^"\\]|\\.)*)"|([^\s{}\[\]=,"#]+)|([{}\[\]=,])')

Section = dict[str, Any]  # of a text that somebody else wrote: looked at where it is used
Reader = Callable[[Window], FileSystem | None]


class Stretch(NamedTuple):
    """Extents of a volume on this physical volume: first one in the volume, first one here, how many."""

    inside: int
    here: int
    length: int


class _Label(NamedTuple):
    uuid: str
    data_at: int
    data_size: int
    areas: tuple[tuple[int, int], ...]


def read_lvm(part: Window, read_inner: Reader) -> FileSystem:
    """What the metadata tell; ``read_inner`` reads the file system of a volume. Nothing is known where they are broken
    or where there are none at the beginning; with a second copy at the end it is held as it is."""
    known = FileSystem("lvm")
    try:
        label = _label(part)
        known = known.but(uuid=_dashed(label.uuid))
        text = _metadata(part, label.areas[0]) if label.areas else ""
        if len(label.areas) > 1:
            return known.but(detail="LVM with metadata at both ends")
        if not text:
            return known if label.areas == () else _empty(known, label, part.size)
        return _of_group(part, known, label, _parsed(text), read_inner)
    except (Unsound, struct.error, LookupError, TypeError, ValueError, ArithmeticError, AttributeError, StopIteration):
        return known


def _label(part: Window) -> _Label:
    for sector in range(LABEL_SECTORS):
        head = part.read(sector * SECTOR, SECTOR)
        if head.startswith(LABEL):
            break
    else:
        raise Unsound("no label")
    (at,) = struct.unpack_from("<I", head, 20)
    uuid = head[at : at + 32].decode("ascii")
    lists: list[list[tuple[int, int]]] = [[], []]
    at += 40
    for found in lists:
        while pair := struct.unpack_from("<QQ", head, at):
            at += 16
            if pair[0] == 0:
                break
            found.append((int(pair[0]), int(pair[1])))
            if len(found) > MOST_AREAS:
                raise Unsound("more areas than there can be")
    if len(lists[0]) != 1:
        raise Unsound("not one area of data")
    return _Label(uuid, *lists[0][0], tuple(lists[1]))


def _metadata(part: Window, area: tuple[int, int]) -> str:
    """The newest text of the ring; empty where no group was made of it yet."""
    start, size = area
    header = part.read(start, AREA_HEADER)
    if header[4:20] != AREA_MAGIC or checksum(header[4:]) != struct.unpack_from("<I", header)[0]:
        raise Unsound("the header of the metadata")
    offset, length, expected = struct.unpack_from("<QQI", header, 40)
    if length == 0:
        return ""
    if length > MOST_METADATA or not AREA_HEADER <= offset < size or length > size - AREA_HEADER:
        raise Unsound("the place of the metadata")
    first = min(length, size - offset)
    text = part.read(start + offset, first) + part.read(start + AREA_HEADER, length - first)
    if checksum(text) != expected:
        raise Unsound("the checksum of the metadata")
    return text.rstrip(b"\0").decode("utf-8", "replace")


def checksum(data: bytes) -> int:
    return zlib.crc32(data, FIRST_SUM ^ 0xFFFF_FFFF) ^ 0xFFFF_FFFF


def _parsed(text: str) -> Section:
    """``name { key = value … }`` as dictionaries; a value is a number, a text or a list of these."""
    whole: Section = {}
    open_ones: list[Section] = [whole]
    values: list[Any] | None = None
    key, is_value = "", False
    for match in _TOKEN.finditer(text):
        quoted, word, sign = match.groups()
        if quoted is None and word is None and sign is None:
            continue  # a remark
        if sign == "{":
            inner: Section = {}
            open_ones[-1][key] = inner
            open_ones.append(inner)
            if len(open_ones) > MOST_DEPTH:
                raise Unsound("sections too deep")
        elif sign == "}":
            open_ones.pop()
        elif sign == "[":
            values = []
        elif sign == "]":
            open_ones[-1][key], values = values, None
        elif sign is None:
            value = quoted if quoted is not None else int(word) if word.isdecimal() and len(word) < 20 else word
            if values is not None:
                values.append(value)
            elif is_value:
                open_ones[-1][key] = value
            else:
                key = str(value)
        is_value = sign == "="
    return whole


def _empty(known: FileSystem, label: _Label, size: int) -> FileSystem:
    """A physical volume of no group."""
    used = Bytes(min(label.data_at, size))
    return known.but(size_bytes=Bytes(size), used_bytes=used, last_used_byte=used, used_kind="counted", state="clean")


def _of_group(part: Window, known: FileSystem, label: _Label, text: Section, read_inner: Reader) -> FileSystem:
    name, group = next((key, value) for key, value in text.items() if isinstance(value, dict))
    extent = int(group["extent_size"]) * SECTOR
    own, facts = next(
        (key, value)
        for key, value in group["physical_volumes"].items()
        if str(value["id"]).replace("-", "") == label.uuid
    )
    start, count = int(facts["pe_start"]) * SECTOR, int(facts["pe_count"])
    if extent < LEAST_EXTENT or start < label.data_at or start + count * extent > part.size:
        raise Unsound("the size of the volume")
    volumes = [_Volume(key, value, own) for key, value in group.get("logical_volumes", {}).items()]
    return with_extents(
        known.but(label=name[:MOST_TEXT], inside=tuple(_insides(part, volumes, start, extent, read_inner))),
        start,
        extent,
        count,
        [(one.here, one.here + one.length) for volume in volumes for one in volume.here],
        packs=all(volume.is_plain for volume in volumes if volume.here),
    )


class _Volume:
    """One volume: where it stands on this physical volume, and whether its extents may be moved one by one."""

    def __init__(self, name: str, data: Mapping[str, Any], own: str) -> None:
        self.name = name
        self.is_shown = "VISIBLE" in data.get("status", ())
        segments = [value for value in data.values() if isinstance(value, dict)]
        self.extents = sum(int(one["extent_count"]) for one in segments)
        self.kinds = {_kind_of(one) for one in segments}
        self.here: list[Stretch] = []
        for one in segments:
            count = int(one["extent_count"])
            each = count // int(one.get("stripe_count", 1)) if one.get("type") == "striped" else count
            for place in _places(one, own):
                self.here.append(Stretch(int(one["start_extent"]), place, each))
        busy = {"LOCKED", "PVMOVE"} & set(data.get("status", ()))
        self.is_plain = self.kinds <= {"linear", "striped"} and not busy

    @property
    def is_whole_here(self) -> bool:
        """In one piece or a few, so that it is read through."""
        few = len(self.here) <= MOST_PIECES
        return few and self.kinds == {"linear"} and sum(one.length for one in self.here) == self.extents

    @property
    def layout(self) -> str:
        words = " and ".join(sorted(self.kinds))
        alone = not self.here or sum(one.length for one in self.here) == self.extents
        return words if alone else f"{words}, not on this disk alone"


def _kind_of(segment: Mapping[str, Any]) -> str:
    kind = str(segment.get("type", ""))
    return "linear" if kind == "striped" and segment.get("stripe_count") == 1 else kind


def _places(segment: Mapping[str, Any], own: str) -> Iterator[int]:
    """First extents on this physical volume, of any list of pairs that names it."""
    for value in segment.values():
        if isinstance(value, list):
            for name, extent in zip(value[::2], value[1::2], strict=False):
                if name == own and isinstance(extent, int):
                    yield extent


class _Mapped:
    """The bytes of a linear volume, read through to the extents where they stand."""

    def __init__(self, part: Window, volume: _Volume, start: int, extent: int) -> None:
        self.size = volume.extents * extent
        self._part = part
        self._stretches = sorted(volume.here)
        self._start, self._extent = start, extent

    def read(self, offset: int, length: int) -> bytes:
        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound(f"bytes {offset} to {offset + length} lie outside the volume")
        pieces, stop = [], offset + length
        for inside, here, many in self._stretches:
            first, last = max(offset, inside * self._extent), min(stop, (inside + many) * self._extent)
            if first < last:
                place = self._start + (here - inside) * self._extent + first
                pieces.append(self._part.read(place, last - first))
        data = b"".join(pieces)
        if len(data) != length:
            raise Unsound("a volume with a gap")
        return data


def _insides(part: Window, volumes: Iterable[_Volume], start: int, extent: int, read_inner: Reader) -> Iterator[Inside]:
    """The volumes that a person knows by name, of those that lie here; linear ones are read through."""
    for volume in [one for one in volumes if one.is_shown and (one.here or not one.is_plain)][:MOST_INSIDE]:
        found = read_inner(_Mapped(part, volume, start, extent)) if volume.is_whole_here else None
        yield Inside(
            volume.name[:MOST_TEXT],
            Bytes(volume.extents * extent),
            volume.layout[:MOST_TEXT],
            found.kind if found is not None else "unknown",
            found.label if found is not None else "",
            found.used_bytes if found is not None else None,
        )


def _dashed(uuid: str) -> str:
    """As the utilities write it."""
    return "-".join((uuid[:6], uuid[6:10], uuid[10:14], uuid[14:18], uuid[18:22], uuid[22:26], uuid[26:]))
