"""What ``diskutil`` says of the disks of a Mac, as property lists; its keys from memory."""

import plistlib
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from ..core.disk.check import checked
from ..core.disk.health import judged
from ..core.disk.model import MOST_TEXT, Disk, Link
from ..core.errors import YlemorphError
from .real_disk import RealDisk, partition_count

LIST = ("diskutil", "list", "-plist")
INFO = ("diskutil", "info", "-plist")
LINKS: dict[str, Link] = {"USB": "usb3", "SATA": "sata", "PCI-Express": "nvme", "Apple Fabric": "nvme"}
PASSED: dict[str, bool] = {"Verified": True, "Failing": False}
MOST_DISKS = 64


def read_names(text: bytes) -> list[str]:
    """The names of all whole disks. Raises YlemorphError."""
    names = _plist(text).get("WholeDisks")
    return [str(name) for name in names][:MOST_DISKS] if isinstance(names, list) else []


def read_disk(listing: bytes, text: bytes) -> RealDisk | None:
    """One disk; None for what is made up from others, or has no medium. Raises YlemorphError."""
    told = _plist(text)
    size, sector = told.get("Size") or told.get("TotalSize"), told.get("DeviceBlockSize") or 512
    virtual = told.get("VirtualOrPhysical") == "Virtual" and told.get("BusProtocol") != "Disk Image"
    if virtual or not isinstance(size, int) or not isinstance(sector, int) or size < sector:
        return None
    name = _text(told, "DeviceIdentifier")
    own = [one for one in _objects(_plist(listing).get("AllDisksAndPartitions")) if one.get("DeviceIdentifier") == name]
    parts = [part for one in own for part in _objects(one.get("Partitions"))]
    passed = PASSED.get(_text(told, "SMARTStatus"))
    solid = told.get("SolidState")
    disk = Disk(
        sectors=size // sector,
        logical_sector_bytes=sector,
        model=_text(told, "MediaName"),
        link=LINKS.get(_text(told, "BusProtocol"), "unknown"),
        rotational=not solid if isinstance(solid, bool) else None,
        health=judged(passed=passed, hours=None, reallocated=None, pending=None, worn=None),
    )
    kinds = ", ".join(_text(part, "VolumeName") or _text(part, "Content") for part in parts)
    holds = f"{partition_count(len(parts))}: {kinds}" if parts else _text(told, "Content")
    return RealDisk(f"/dev/r{name}", checked(disk), holds, _text(told, "DeviceTreePath"), tuple(_uses(told, parts)))


def _uses(told: Mapping[str, Any], parts: list[Mapping[str, Any]]) -> Iterator[str]:
    for one in (told, *parts):
        place = one.get("MountPoint")
        if place == "/":
            yield "this machine runs from it"
        elif isinstance(place, str) and place:
            yield f"mounted at {place}"
    if told.get("Internal") and any(part.get("Content") == "Apple_APFS" for part in parts):
        yield "this machine runs from it"  # its volumes stand in a container of their own, which is listed apart


def _plist(text: bytes) -> Mapping[str, Any]:
    try:
        found = plistlib.loads(text)
    except Exception:  # noqa: BLE001  # whatever the library makes of what is no property list
        found = None
    if not isinstance(found, dict):
        raise YlemorphError("diskutil did not list the disks of this Mac", mend="see what it says by itself")
    return found


def _objects(value: Any) -> list[Mapping[str, Any]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def _text(told: Mapping[str, Any], key: str) -> str:
    value = told.get(key)
    return value.strip()[:MOST_TEXT] if isinstance(value, str) else ""


def ask(run: Callable[[tuple[str, ...]], bytes]) -> tuple[RealDisk, ...]:
    listing = run(LIST)
    told = [read_disk(listing, run((*INFO, name))) for name in read_names(listing)]
    return tuple(disk for disk in told if disk is not None)
