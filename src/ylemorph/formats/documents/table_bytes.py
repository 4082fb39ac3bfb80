"""The target's table as bytes: what a plan's disk begins and ends with, and nothing else.

GPT: protective record, both headers and both arrays with their CRCs (UEFI specification, "GUID Partition Table (GPT)
Disk Layout"). MBR: the record, and one for each logical (UEFI specification, "Legacy Master Boot Record"; the chain of
logicals is common practice, no source).
"""

import struct
import uuid
import zlib
from collections.abc import Callable
from typing import IO

from ...core.disk.model import Flag
from ...core.disk.tables import GPT_ENTRIES, GPT_ENTRY_BYTES
from ...core.fit.entries import Entry, planned_entries
from ...core.fit.plan import Plan
from ...core.sizes import div_up

ATTRIBUTE_BITS: dict[Flag, int] = {"required": 0, "hidden": 62, "no-auto": 63}
HEADER_BYTES, REVISION = 92, 0x0001_0000
PROTECTIVE, NEXT_RECORD = 0xEE, 0x05
ANY_CYLINDER = b"\xfe\xff\xff"  # the place is told by the LBA alone

Pieces = list[tuple[int, bytes]]


def table_pieces(
    plan: Plan,
    identity: Callable[[], uuid.UUID] = uuid.uuid4,
    entries: list[Entry] | None = None,
    disk: uuid.UUID | None = None,
) -> Pieces:
    """The table as (byte offset, bytes). ``identity`` gives new identities to rows without one, and to the disk unless
    the plan keeps the old one or it is to be ``disk``; ``entries``: others than the plan's.

    Raises BadOption for a plan that does not fit.
    """
    rows = planned_entries(plan) if entries is None else entries
    own = disk or _own_identity(plan) or identity()
    return _gpt(plan, rows, identity, own) if plan.frame.table == "gpt" else _mbr(plan, rows, own)


def identity_of(text: str) -> uuid.UUID:
    """A GPT's GUID, or an MBR's signature as one. Raises ValueError where it is neither."""
    return uuid.UUID(int=int(text, 16)) if text.lower().startswith("0x") else uuid.UUID(text)


def _own_identity(plan: Plan) -> uuid.UUID | None:
    if plan.identity == "new" or not plan.source.table_id:
        return None
    try:
        return identity_of(plan.source.table_id)
    except ValueError:
        return None


def write_pieces(plan: Plan, pieces: Pieces, file: IO[bytes]) -> None:
    """A sparse file of the target's size that holds nothing but the planned table."""
    for offset, data in pieces:
        file.seek(offset)
        file.write(data)
    file.truncate(plan.frame.sectors * plan.frame.logical_sector_bytes)


def _gpt(plan: Plan, entries: list[Entry], identity: Callable[[], uuid.UUID], own_identity: uuid.UUID) -> Pieces:
    frame, sector = plan.frame, plan.frame.logical_sector_bytes
    array = bytearray(GPT_ENTRIES * GPT_ENTRY_BYTES)
    for entry in entries:
        at = (entry.number - 1) * GPT_ENTRY_BYTES
        array[at : at + GPT_ENTRY_BYTES] = _gpt_entry(entry, identity)
    disk = own_identity.bytes_le
    last, length = frame.sectors - 1, div_up(len(array), sector)
    places = ((1, last, 2), (last, 1, last - length))  # where a header stands, where the other, where its array

    def header(own: int, other: int, array_at: int) -> bytes:
        def packed(checksum: int) -> bytes:
            return struct.pack(
                "<8sIIIIQQQQ16sQIII", b"EFI PART", REVISION, HEADER_BYTES, checksum, 0, own, other,
                frame.first_usable_lba, frame.last_usable_lba, disk, array_at, GPT_ENTRIES, GPT_ENTRY_BYTES,
                zlib.crc32(array),
            )  # fmt: skip

        return packed(zlib.crc32(packed(0))).ljust(sector, b"\0")

    pieces: Pieces = [(0, _record([(0, PROTECTIVE, 1, min(last, 2**32 - 1))]).ljust(sector, b"\0"))]
    for own, other, array_at in places:
        pieces += [(own * sector, header(own, other, array_at)), (array_at * sector, bytes(array))]
    return sorted(pieces)


def _gpt_entry(entry: Entry, identity: Callable[[], uuid.UUID]) -> bytes:
    own = uuid.UUID(entry.uuid) if entry.uuid else identity()
    bits = sum(1 << ATTRIBUTE_BITS[flag] for flag in entry.flags if flag in ATTRIBUTE_BITS)
    name = entry.name.encode("utf-16-le")[:72]
    last = entry.first_lba + entry.sectors - 1  # inclusive
    kind = uuid.UUID(entry.type).bytes_le
    return struct.pack("<16s16sQQQ72s", kind, own.bytes_le, entry.first_lba, last, bits, name)


def _mbr(plan: Plan, entries: list[Entry], own_identity: uuid.UUID) -> Pieces:
    sector, record_before = plan.frame.logical_sector_bytes, plan.frame.grain_sectors
    primaries = {entry.number: entry for entry in entries if not entry.logical}
    slots = [_slot(primaries[n], 0) if n in primaries else None for n in range(1, 5)]
    signature = own_identity.int & 0xFFFF_FFFF or 1
    pieces: Pieces = [(0, _record(slots, signature))]
    # The chain goes by their places, whatever order the rows were given.
    logicals = sorted((entry for entry in entries if entry.logical), key=lambda entry: entry.first_lba)
    base = logicals[0].first_lba - record_before if logicals else 0
    for place, entry in enumerate(logicals):
        at = entry.first_lba - record_before
        further = None
        if place + 1 < len(logicals):
            after = logicals[place + 1]
            start = after.first_lba - record_before
            further = (0, NEXT_RECORD, start - base, after.first_lba + after.sectors - start)
        pieces.append((at * sector, _record([_slot(entry, at), further])))
    return pieces


TableSlot = tuple[int, int, int, int]


def _slot(entry: Entry, counted_from: int) -> TableSlot:
    status = 0x80 if "active" in entry.flags else 0
    return status, int(entry.type, 16), entry.first_lba - counted_from, entry.sectors


def _record(slots: "list[TableSlot] | list[TableSlot | None]", signature: int = 0) -> bytes:
    """A first sector's 512 bytes: signature of the disk, up to four entries, and the mark at the end."""
    record = bytearray(512)
    struct.pack_into("<I", record, 440, signature)
    for place, slot in enumerate(slots):
        if slot is not None:
            status, kind, first, sectors = slot
            packed = struct.pack("<B3sB3sII", status, ANY_CYLINDER, kind, ANY_CYLINDER, first, sectors)
            record[446 + 16 * place : 462 + 16 * place] = packed
    record[510:512] = b"\x55\xaa"
    return bytes(record)
