"""What PowerShell's storage cmdlets give as JSON: Get-Disk, Get-Partition and Get-Volume in one file.

Beside these, where it was asked, what the running Windows says of itself: Supported (Get-PartitionSupportedSize, with
the disk's and the partition's number), Encryption (Get-BitLockerVolume), PageFiles (Win32_PageFileUsage) and Health
(Get-StorageReliabilityCounter). The properties and their numbers are those of Microsoft's documentation of these
classes (from memory).
"""

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple, TypeVar

from ...core.disk.health import judged
from ...core.disk.listing import Listed, Unreadable, complete_listing
from ...core.disk.model import (
    MOST_TEXT,
    Disk,
    Encryption,
    FileSystem,
    Flag,
    Health,
    HealthState,
    Link,
    Partition,
    Role,
    Table,
)
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES, Bytes, MiB, format_size
from .kind_words import kind_from_word

COMMAND = (
    "@{Disks=@(Get-Disk); Partitions=@(Get-Partition); Volumes=@(Get-Volume)} | "
    "ConvertTo-Json -Depth 3 | Out-File disk.json"
)
BUS: dict[Any, Link] = {3: "sata", 7: "usb3", 11: "sata", 17: "nvme", "ATA": "sata", "USB": "usb3", "SATA": "sata",
                        "NVMe": "nvme"}  # fmt: skip
STYLES: dict[Any, Table] = {0: "none", 1: "mbr", 2: "gpt", "RAW": "none", "MBR": "mbr", "GPT": "gpt"}
# ProtectionStatus, VolumeStatus and LockStatus of a BitLocker volume.
GUARDS: dict[Any, Encryption] = {0: "paused", 1: "active", "Off": "paused", "On": "active"}
DECRYPTED: dict[Any, bool] = {0: True, "FullyDecrypted": True}
LOCKED: dict[Any, bool] = {1: True, "Locked": True}
HEALTH: dict[Any, HealthState] = {
    0: "good",
    1: "worn",
    2: "failing",
    "Healthy": "good",
    "Warning": "worn",
    "Unhealthy": "failing",
}


MOST_WEAR = 255  # one byte of the disk's own log
MOST_PINNING = 100
Object = Mapping[str, Any]


class SystemSaid(NamedTuple):
    """What the running Windows says, each list empty where it was not asked or did not answer."""

    supported: list[Object]
    encryption: list[Object]
    page_files: list[Object]
    health: list[Object]


def is_powershell(data: Object) -> bool:
    return {"disks", "partitions"} <= {str(key).lower() for key in data}


def read_powershell(data: Object) -> tuple[Listed | Unreadable, ...]:
    """All disks of the file, each by itself. Raises BadSurvey where the lists are not what they should be."""
    lists = {str(key).lower(): value for key, value in data.items()}
    disks, partitions, volumes = (_objects(lists.get(key), key) for key in ("disks", "partitions", "volumes"))
    told = SystemSaid(*(_mappings(lists.get(name.replace("_", ""))) for name in SystemSaid._fields))
    found: list[Listed | Unreadable] = []
    for index, disk in enumerate(disks):
        own = [p for p in partitions if _whole(p, "DiskNumber") == _whole(disk, "Number")]
        try:
            found.append(_disk(disk, own, volumes, told))
        except BadSurvey as error:
            wrong = BadSurvey(error.problem, at=f"Disks[{index}] {error.at}".strip(), mend=error.mend)
            found.append(Unreadable(f"disk {disk.get('Number', '')}", wrong))
    return tuple(found)


def _mappings(value: Any) -> list[Object]:
    return [one for one in _items(value) if isinstance(one, Mapping)]


def _items(value: Any) -> list[Any]:
    return [] if value is None else value if isinstance(value, list) else [value]


def _objects(value: Any, key: str) -> list[Object]:
    """A list; one object alone is written without one by some versions, and text where the depth was too small."""
    items = _items(value)
    if any(not isinstance(item, Mapping) for item in items):
        raise BadSurvey("it holds text instead of objects", at=key.capitalize(), mend="run the command with -Depth 3")
    return items


def _disk(disk: Object, own: list[Object], volumes: list[Object], told: SystemSaid) -> Listed:
    sector = _whole(disk, "LogicalSectorSize") or 512
    table = _looked_up(STYLES, disk, "PartitionStyle") or "none"
    size = _whole(disk, "Size")
    if size is None:
        raise BadSurvey("the size is missing", at="Size", mend="run the command again as an administrator")
    signature = _whole(disk, "Signature")
    made = Disk(
        sectors=size // sector,
        logical_sector_bytes=sector,
        physical_sector_bytes=_whole(disk, "PhysicalSectorSize") or None,
        model=_text(disk, "FriendlyName") or _text(disk, "Model"),
        serial=_text(disk, "SerialNumber"),
        link=_looked_up(BUS, disk, "BusType") or "unknown",
        table=table,
        table_id=_guid(disk, "Guid") if table == "gpt" else f"0x{signature:08x}" if signature is not None else "",
        partitions=tuple(_partition(p, _told(p, _volume(p, volumes), told), sector, gpt=table == "gpt") for p in own),
        health=_health(disk, told.health),
    )
    return complete_listing(f"disk {disk.get('Number', '')} {made.model}".strip(), made)


def _health(disk: Object, counters: list[Object]) -> Health | None:
    state = _looked_up(HEALTH, disk, "HealthStatus")
    counted = next((c for c in counters if _whole(c, "DeviceId") == _whole(disk, "Number")), None)
    if counted is None:
        return Health(state) if state else None
    hours, worn = _whole(counted, "PowerOnHours"), _whole(counted, "Wear")
    passed = None if state is None else state != "failing"
    worn = None if worn is None or worn > MOST_WEAR else worn
    judgement = judged(passed=passed, hours=hours or None, reallocated=None, pending=None, worn=worn)
    return replace(judgement, state="worn") if state == "worn" and judgement.state == "good" else judgement


def _told(partition: Object, volume: Object | None, told: SystemSaid) -> FileSystem | None:
    """The file system as the volume tells it, with what the running Windows says of it."""
    fs = _filesystem(volume) if volume else None
    letter = _text(partition, "DriveLetter").upper()
    guard = next((v for v in told.encryption if letter and _letter_of(v, "MountPoint") == letter), None)
    if guard is not None and _looked_up(LOCKED, guard, "LockStatus"):
        return FileSystem("bitlocker", state="locked")
    if fs is None:
        return None
    numbers = ("DiskNumber", "PartitionNumber")
    own = [[_whole(one, n) for n in numbers] == [_whole(partition, n) for n in numbers] for one in told.supported]
    least = next((_whole(one, "SizeMin") for one, is_own in zip(told.supported, own, strict=True) if is_own), None)
    if least and least <= (_whole(partition, "Size") or 0):
        fs = fs.but(told_least_bytes=Bytes(least), told_by="windows")
    pinning = [_page_file(p) for p in told.page_files if letter and _letter_of(p, "Name") == letter]
    return fs.but(pinning=tuple(pinning[:MOST_PINNING]), encryption=_encryption(guard))


def _encryption(guard: Object | None) -> Encryption:
    if guard is None:
        return "unknown"
    decrypted = _looked_up(DECRYPTED, guard, "VolumeStatus")
    return "none" if decrypted else _looked_up(GUARDS, guard, "ProtectionStatus") or "unknown"


def _letter_of(data: Object, key: str) -> str:
    """The drive's letter at the beginning of a path."""
    path = _text(data, key)
    return path[0].upper() if path[1:2] == ":" else ""


def _page_file(data: Object) -> str:
    """Its name, and its size where it is known: ``pagefile.sys of 8 GiB``."""
    name, size = _text(data, "Name").rpartition("\\")[2], _whole(data, "AllocatedBaseSize")
    return f"{name} of {format_size(size * MiB)}" if size and size < MAX_BYTES // MiB else name


def _partition(partition: Object, fs: FileSystem | None, sector: int, *, gpt: bool) -> Partition:
    number, offset, size = (_whole(partition, key) for key in ("PartitionNumber", "Offset", "Size"))
    if number is None or offset is None or size is None:
        raise BadSurvey(
            "number, offset or size of a partition are missing", at="Partitions", mend="run the command again"
        )
    flags: set[Flag] = set()
    for key, flag in (("IsActive", "active"), ("IsHidden", "hidden"), ("NoDefaultDriveLetter", "no-auto")):
        if partition.get(key) is True:
            flags.add(flag)  # type: ignore[arg-type]  # each is one of the words of Flag
    role: Role | None = "system" if partition.get("IsBoot") is True else None
    return Partition(
        number=number,
        first_lba=offset // sector,
        sectors=size // sector,
        type=_guid(partition, "GptType") if gpt else f"0x{_whole(partition, 'MbrType') or 0:02X}",
        flags=frozenset(flags),
        role=role,
        filesystem=fs,
        uuid=_guid(partition, "Guid") if gpt else "",
    )


def _volume(partition: Object, volumes: list[Object]) -> Object | None:
    """By the volume's path, which is among the partition's ways of access; else by the drive's letter."""
    paths = partition.get("AccessPaths")
    ways = paths if isinstance(paths, list | str) else []
    letter = _text(partition, "DriveLetter")
    for volume in volumes:
        if _text(volume, "Path") and _text(volume, "Path") in ways:
            return volume
    return next((v for v in volumes if letter and _text(v, "DriveLetter") == letter), None)


def _filesystem(volume: Object) -> FileSystem | None:
    word = _text(volume, "FileSystem") or _text(volume, "FileSystemType")
    size, left = _whole(volume, "Size"), _whole(volume, "SizeRemaining")
    if not word or word.lower() == "unknown":
        return None
    if size is not None and left is not None and left > size:
        raise BadSurvey("a volume has more left than its size", at="Volumes", mend="run the command again")
    kind = kind_from_word(word) or "unknown"
    return FileSystem(
        kind=kind,
        label=_text(volume, "FileSystemLabel"),
        cluster_bytes=_positive(_whole(volume, "AllocationUnitSize")),
        size_bytes=_positive(size),
        used_bytes=Bytes(size - left) if size and left is not None else None,
        used_kind="mounted" if size and left is not None else "unknown",
        state="damaged" if _looked_up(HEALTH, volume, "HealthStatus") == "failing" else "unknown",
        detail=word if kind == "unknown" else "",
    )


T = TypeVar("T")


def _looked_up(table: Mapping[Any, T], data: Object, key: str) -> T | None:
    """The meaning of a number or word; None for one that is not known, or for anything else."""
    value = data.get(key)
    if isinstance(value, str) and value not in table:
        value = _whole(data, key)
    return table.get(value) if isinstance(value, int | str) else None


def _positive(value: int | None) -> Bytes | None:
    return Bytes(value) if value else None


def _whole(data: Object, key: str) -> int | None:
    """A whole number, which some ways of writing the objects put into quotes."""
    value = data.get(key)
    if isinstance(value, str) and re.fullmatch(r"\s*\d{1,19}\s*", value, re.ASCII):
        value = int(value)
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MAX_BYTES else None


def _text(data: Object, key: str) -> str:
    value = data.get(key)
    return value.strip().strip("\0")[:MOST_TEXT] if isinstance(value, str) else ""


def _guid(data: Object, key: str) -> str:
    return _text(data, key).strip("{}").upper()
