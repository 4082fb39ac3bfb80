"""GPT: header and entries from either copy, both CRCs of both checked (UEFI specification, "GPT Disk Layout")."""

import struct
import uuid
import zlib
from typing import NamedTuple

from ..core.disk.model import Flag, Partition, TableNote
from .media.medium import Unsound, Window

SIGNATURE = b"EFI PART"
LEAST_HEADER, MOST_ENTRIES, MOST_ENTRY_BYTES = 92, 1024, 4096
_HEADER = struct.Struct("<8s4sIIIQQQQ16sQIII")
UNUSED = bytes(16)

# Attribute bits: 0 by the UEFI specification; 62 and 63 for basic data by Microsoft's documentation (from memory).
ATTRIBUTES: tuple[tuple[int, Flag], ...] = ((0, "required"), (62, "hidden"), (63, "no-auto"))


class Header(NamedTuple):
    """One copy of the header whose own CRC is right. LBAs as on the disk."""

    at: int
    other: int
    disk_guid: str
    entries_lba: int
    entries: int
    entry_bytes: int
    entries_crc: int


class GptTable(NamedTuple):
    disk_guid: str
    partitions: tuple[Partition, ...]
    notes: tuple[TableNote, ...]


def read_header(medium: Window, sector: int, lba: int) -> Header | None:
    """The header at ``lba``, or None where there is none or its CRC is wrong."""
    try:
        data = medium.read(lba * sector, sector)
    except Unsound:
        return None
    (signature, _, length, crc, _, at, other, _, _, guid, entries_lba, entries, entry_bytes, entries_crc) = (
        _HEADER.unpack_from(data)
    )
    if signature != SIGNATURE or not LEAST_HEADER <= length <= sector or at != lba:
        return None
    if zlib.crc32(data[:16] + bytes(4) + data[20:length]) != crc:
        return None
    if not (0 < entries <= MOST_ENTRIES and 128 <= entry_bytes <= MOST_ENTRY_BYTES):
        return None
    return Header(at, other, guid_text(guid), entries_lba, entries, entry_bytes, entries_crc)


def guid_text(raw: bytes) -> str:
    """A GUID as text, upper case, from its mixed-endian bytes."""
    return str(uuid.UUID(bytes_le=raw)).upper()


def _entries(medium: Window, sector: int, header: Header) -> bytes | None:
    """The array of entries, or None where it is cut off or its CRC is wrong."""
    try:
        data = medium.read(header.entries_lba * sector, header.entries * header.entry_bytes)
    except Unsound:
        return None
    return data if zlib.crc32(data) == header.entries_crc else None


def find_gpt(medium: Window, sector: int, guarded: int | None = None) -> GptTable | None:
    """The table from the first copy that is whole: the primary, the backup at the last sector, the one that the primary
    names, the one at ``guarded``, where its guard record ends."""
    last = medium.size // sector - 1
    primary = read_header(medium, sector, 1)
    at_end = read_header(medium, sector, last) if last > 1 else None
    other = primary.other if primary is not None else guarded
    named = read_header(medium, sector, other) if other is not None and 1 < other < last else None
    backup = at_end or named
    first = _entries(medium, sector, primary) if primary else None
    second = _entries(medium, sector, backup) if backup else None
    if primary is not None and first is not None:
        header, data = primary, first
    elif backup is not None and second is not None:
        header, data = backup, second
    else:
        return None
    notes: list[TableNote] = []
    if header is backup:
        notes.append("primary-damaged")
    elif backup is None or second is None:
        notes.append("backup-missing")
    elif at_end is None:
        notes.append("backup-misplaced")
    elif second != first or backup.disk_guid != header.disk_guid:
        notes.append("copies-differ")
    partitions = tuple(_partitions(data, header.entry_bytes))
    return GptTable(header.disk_guid, partitions, tuple(notes))


def claims_gpt(medium: Window, sector: int) -> bool:
    """Whether the signature stands where a primary or a backup header should, whatever its CRC says."""
    for lba in (1, medium.size // sector - 1):
        try:
            if medium.read(lba * sector, 8) == SIGNATURE:
                return True
        except Unsound:
            continue
    return False


def _partitions(data: bytes, entry_bytes: int) -> list[Partition]:
    found = []
    for number, offset in enumerate(range(0, len(data) - entry_bytes + 1, entry_bytes), 1):
        kind, unique, first, last, bits = struct.unpack_from("<16s16sQQQ", data, offset)
        if kind == UNUSED:
            continue
        name = data[offset + 56 : offset + 128].decode("utf-16-le", "replace").split("\0")[0]
        found.append(
            Partition(
                number=number,
                first_lba=first,
                sectors=last + 1 - first,  # the last LBA is inclusive: the one place where that is converted
                type=guid_text(kind),
                name=name,
                flags=frozenset(flag for bit, flag in ATTRIBUTES if bits >> bit & 1),
                uuid=guid_text(unique),
            )
        )
    return found
