"""What Windows' start data name (rule 14.6): a registry hive whose device elements point at disks and rows.

The hive is read by a general-purpose registry library. Where in an element the identities of a GPT stand is as that
library has it; place and signature of an MBR, and the word that tells a row from other devices, are from memory.
"""

import logging
import struct
import tempfile
import uuid
from collections.abc import Iterator
from pathlib import Path

from ..core.disk.model import NamedPlace, Table
from ..core.sizes import MAX_BYTES, Bytes
from .fat_files import find_file, read_file
from .media.medium import Unsound, Window
from .ntfs import Volume, file_by_path
from .ntfs_records import read_boot

MOST_HIVE_BYTES, MOST_OBJECTS, MOST_PLACES = 8 << 20, 2000, 200
# Device of an application, and of an operating system.
ELEMENTS = ("11000001", "21000001")
A_ROW = 6
KIND_AT, PARTITION_AT, DISK_AT = 16, 32, 56
IN_EFI, IN_ACTIVE = ("EFI", "Microsoft", "Boot", "BCD"), ("Boot", "BCD")


def read_start_data(part: Window, kind: str, table: Table, *, efi: bool) -> tuple[NamedPlace, ...]:
    """What the start data in a start row name; nothing where there are none or they are damaged."""
    path = IN_EFI if efi else IN_ACTIVE
    try:
        hive = _from_ntfs(part, path) if kind == "ntfs" else _from_fat(part, path)
    except (Unsound, struct.error, IndexError):
        return ()
    return places_in(hive, table) if hive else ()


def _from_fat(part: Window, path: tuple[str, ...]) -> bytes:
    entry = find_file(part, path)
    return read_file(part, entry) if entry is not None and entry.size <= MOST_HIVE_BYTES else b""


def _from_ntfs(part: Window, path: tuple[str, ...]) -> bytes:
    volume = Volume(part, read_boot(part.read(0, 512)))
    number = file_by_path(volume, path)
    if number is None:
        return b""
    stream = volume.stream(number)
    return stream.read(0, stream.size) if stream.size <= MOST_HIVE_BYTES else b""


def places_in(hive: bytes, table: Table) -> tuple[NamedPlace, ...]:
    """The disks and rows that a hive's device elements name, each once, as a disk with this ``table`` is named."""
    try:
        places = [place for data in _elements(hive) for place in _place(data, table)]
    except Exception:  # noqa: BLE001  # whatever the library makes of a damaged hive, what it says is not known
        return ()
    return tuple(dict.fromkeys(places))[:MOST_PLACES]


def _elements(hive: bytes) -> Iterator[bytes]:
    from regipy.registry import RegistryHive

    logging.getLogger("regipy").setLevel(logging.CRITICAL)  # what it cannot read is nobody's to mend
    with tempfile.TemporaryDirectory(prefix="ylemorph-") as folder:
        file = Path(folder) / "hive"
        file.write_bytes(hive)
        hive_file = RegistryHive(str(file))  # type: ignore[no-untyped-call]
        objects = hive_file.get_key("\\Objects")  # type: ignore[no-untyped-call]
    for _, entry in zip(range(MOST_OBJECTS), objects.iter_subkeys(), strict=False):
        own = entry.get_subkey("Elements", raise_on_missing=False)
        for name in ELEMENTS:
            element = own.get_subkey(name, raise_on_missing=False) if own is not None else None
            data = element.get_value("Element") if element is not None else None
            if isinstance(data, bytes):
                yield data


def _place(data: bytes, table: Table) -> Iterator[NamedPlace]:
    """At most one: elements that are shorter, or name something else than a row, name nothing of this disk."""
    if len(data) < DISK_AT + 4 or struct.unpack_from("<I", data, KIND_AT)[0] != A_ROW:
        return
    if table == "gpt" and len(data) >= DISK_AT + 16:
        row, disk = (str(uuid.UUID(bytes_le=data[at : at + 16])).upper() for at in (PARTITION_AT, DISK_AT))
        yield NamedPlace(disk, row)
    elif table == "mbr":
        start, signature = struct.unpack_from("<Q", data, PARTITION_AT)[0], struct.unpack_from("<I", data, DISK_AT)[0]
        if start <= MAX_BYTES:
            yield NamedPlace(f"0x{signature:08x}", start_byte=Bytes(start))
