"""MBR: four entries and the chain of logical partitions (UEFI specification, "Legacy Master Boot Record").

The chain of logicals is older than any published standard: each record holds one logical, counted from the record,
and the next record, counted from the extended partition. Common practice, no source.
"""

import struct
from typing import NamedTuple

from ..core.disk.model import EXTENDED_TYPES, Partition, TableNote
from .media.medium import Unsound, Window

SIGNATURE = b"\x55\xaa"
ENTRIES_AT, SIGNATURE_AT, ID_AT = 446, 510, 440
PROTECTIVE = 0xEE
MOST_LOGICALS = 256
_ENTRY = struct.Struct("<B3xB3xII")


class MbrEntry(NamedTuple):
    """One of the four entries of a record: LBAs counted from where the record says."""

    status: int
    type: int
    first: int
    sectors: int


class MbrTable(NamedTuple):
    table_id: str
    partitions: tuple[Partition, ...]
    notes: tuple[TableNote, ...]


def entries_of(record: bytes) -> list[MbrEntry] | None:
    """The four entries of a record, or None without the signature."""
    if len(record) < 512 or record[SIGNATURE_AT : SIGNATURE_AT + 2] != SIGNATURE:
        return None
    return [MbrEntry(*_ENTRY.unpack_from(record, ENTRIES_AT + 16 * i)) for i in range(4)]


def is_table(record: bytes) -> bool:
    """Whether a first sector is a table and not a boot sector of a file system that covers the whole disk.

    Entries of no length are passed over beside others.
    """
    entries = entries_of(record)
    if entries is None or any(entry.status not in (0, 0x80) for entry in entries):
        return False
    named = [entry for entry in entries if entry.type]
    return not named or (all(e.first > 0 for e in named if e.sectors) and any(e.sectors for e in named))


def find_mbr(medium: Window, sector: int) -> MbrTable | None:
    """The table, without its protective entry; None where the first sector is none."""
    record = medium.read(0, 512)
    entries = entries_of(record)
    if entries is None or not is_table(record):
        return None
    (signature,) = struct.unpack_from("<I", record, ID_AT)
    partitions: list[Partition] = []
    notes: list[TableNote] = []
    for number, entry in enumerate(entries, 1):
        if entry.type in (0, PROTECTIVE) or not entry.sectors:
            continue
        partitions.append(_partition(number, entry, 0))
        if partitions[-1].is_container:
            logicals, whole = _logicals(medium, sector, entry)
            partitions += logicals
            notes += [] if whole else ["chain-broken"]
    return MbrTable(f"0x{signature:08x}", tuple(partitions), tuple(notes))


def is_protective(record: bytes) -> bool:
    return any(e.type == PROTECTIVE for e in entries_of(record) or ())


def guarded_stop(record: bytes) -> int | None:
    """The last sector that the guard record of a GPT covers, where its backup stood; None without one."""
    entry = next((e for e in entries_of(record) or () if e.type == PROTECTIVE), None)
    return entry.first + entry.sectors - 1 if entry is not None else None


def is_hybrid(record: bytes) -> bool:
    """A protective entry beside others: two tables that can contradict each other."""
    types = {e.type for e in entries_of(record) or () if e.type}
    return PROTECTIVE in types and len(types) > 1


def _partition(number: int, entry: MbrEntry, base: int, *, logical: bool = False) -> Partition:
    return Partition(
        number=number,
        first_lba=base + entry.first,
        sectors=entry.sectors,
        type=f"0x{entry.type:02X}",
        logical=logical,
        flags=frozenset({"active"} if entry.status == 0x80 else ()),
    )


def _logicals(medium: Window, sector: int, container: MbrEntry) -> tuple[list[Partition], bool]:
    """Logicals from number 5 on, and whether the chain ended as it should; it may loop or point outside."""
    found: list[Partition] = []
    seen: set[int] = set()
    at = container.first
    while at not in seen and len(found) < MOST_LOGICALS:
        seen.add(at)
        try:
            entries = entries_of(medium.read(at * sector, 512))
        except Unsound:
            return found, False
        if entries is None:
            return found, False
        here = [e for e in entries if e.type and f"0x{e.type:02X}" not in EXTENDED_TYPES and e.sectors]
        links = [e for e in entries if f"0x{e.type:02X}" in EXTENDED_TYPES and e.sectors]
        if here:
            found.append(_partition(5 + len(found), here[0], at, logical=True))
        if not links:
            return found, True
        at = container.first + links[0].first
    return found, False
