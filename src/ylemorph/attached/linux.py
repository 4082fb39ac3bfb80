"""What ``lsblk`` says of the disks of a running Linux, and of their health ``smartctl`` where it is there."""

import json
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from ..core.disk.listing import Listed
from ..core.disk.model import Health
from ..core.errors import YlemorphError
from ..core.fit.findings import contents_of
from ..formats.listings.lsblk import Beside, read_lsblk
from ..formats.listings.smart import health_of
from .real_disk import RealDisk, partition_count

LIST = ("lsblk", "--json", "--bytes", "--output-all")
HEALTH = ("smartctl", "--json", "--all", "--nocheck=standby")  # nobody is woken for it
MEMORY = ("zram", "ram")  # that are no disks
NOTHING_BESIDE = Beside({}, {}, {}, {})
SWAP = "[SWAP]"
SYSTEM = ("/", "/boot", "/boot/efi", "/usr", "/var")


def read_list(text: bytes) -> tuple[RealDisk, ...]:
    """The disks of a listing. Raises YlemorphError where it is none."""
    try:
        data = json.loads(text)
        devices = [one for one in data["blockdevices"] if isinstance(one, dict) and _is_attached(one)]
    except (ValueError, KeyError, TypeError):
        raise YlemorphError("lsblk did not list the disks of this machine", mend="see what it says by itself") from None
    found = []
    for device in devices:
        listed = read_lsblk({"blockdevices": [{**device, "type": "disk"}]}, NOTHING_BESIDE)
        holds = ""
        # What it holds may be something that cannot be planned; the disk is there all the same.
        if not any(isinstance(one, Listed) for one in listed):
            holds = partition_count(len(device.get("children") or ()))
            listed = read_lsblk({"blockdevices": [_bare(device)]}, NOTHING_BESIDE)
        found += [
            RealDisk(
                one.name,
                one.survey.disk,
                holds or contents_of(one.survey.disk),
                _place(device),
                tuple(dict.fromkeys(_uses(device))),
            )
            for one in listed
            if isinstance(one, Listed)
        ]
    return tuple(found)


def _is_attached(device: Mapping[str, Any]) -> bool:
    """A disk with a medium; a file shown as a disk where nobody mounted it, as packages of programs are."""
    name, kind = str(device.get("name")), device.get("type")
    if name.startswith(MEMORY) or not _number(device.get("size")):
        return False
    return kind == "disk" or (kind == "loop" and not any(_mounts(one) for one in _all(device)))


def _bare(device: Mapping[str, Any]) -> dict[str, Any]:
    """Without what stands on it."""
    return {**device, "type": "disk", "children": [], "pttype": None, "fstype": None}


def _number(value: Any) -> int:
    return int(value) if str(value).isdecimal() else 0


def _all(device: Mapping[str, Any]) -> Iterator[Mapping[str, Any]]:
    yield device
    children = device.get("children")
    for child in children if isinstance(children, list) else ():
        if isinstance(child, dict):
            yield from _all(child)


def _mounts(device: Mapping[str, Any]) -> list[str]:
    several = device.get("mountpoints")
    found = several if isinstance(several, list) else [device.get("mountpoint")]
    return [str(place) for place in found if place]


def _uses(device: Mapping[str, Any]) -> Iterator[str]:
    for one in _all(device):
        for place in _mounts(one):
            if place in SYSTEM:
                yield "this machine runs from it"
            yield "swap" if place == SWAP else f"mounted at {place}"
        if one.get("type") not in ("disk", "part", "loop"):
            yield f"{one.get('name')} lies on it"


def _place(device: Mapping[str, Any]) -> str:
    words = [str(device.get(key) or "") for key in ("tran", "hctl")]
    return " ".join(word for word in words if word)


def read_health(text: bytes) -> Health | None:
    """Of one disk; None where the utility could not ask it."""
    try:
        data = json.loads(text)
    except ValueError:
        return None
    found = health_of(data) if isinstance(data, dict) else None
    return found if found is not None and found.state != "unknown" else None


def ask(run: Callable[[tuple[str, ...]], bytes]) -> tuple[RealDisk, ...]:
    return read_list(run(LIST))
