"""What ``smartctl --json --all`` (smartmontools) writes of one disk: identity, size and health.

The fields are those of the utility's own JSON (from memory). It knows nothing of tables and partitions, so it joins
another listing of the same disk, or stands alone as a target.
"""

from collections.abc import Mapping
from typing import Any

from ...core.disk.health import judged
from ...core.disk.listing import Listed, complete_listing
from ...core.disk.model import MOST_TEXT, Disk, Health, Link
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES

COMMAND = "sudo smartctl --json --all /dev/DISK > health.json"
# Numbers of a disk's own attributes: replaced sectors, sectors waiting to be, and what is left of the rated writes.
REALLOCATED, PENDING = 5, 197
LIFE_LEFT = (231, 233, 177, 202)
CONTENTS = "What stands on the disk is not in the listing: add one that has the table."


def is_smart(data: Mapping[str, Any]) -> bool:
    return "smartctl" in data or ("model_name" in data and "user_capacity" in data)


def read_smart(data: Mapping[str, Any]) -> Listed:
    """The disk. Raises BadSurvey where the utility could not open it or gives no size."""
    messages = _list(_object(data, "smartctl"), "messages")
    size = _whole(_object(data, "user_capacity"), "bytes") or _whole(data, "nvme_total_capacity")
    if not size:
        words = (
            "; ".join(str(_object({"m": m}, "m").get("string", ""))[:200] for m in messages) or "there is no size in it"
        )
        raise BadSurvey(words, at="user_capacity", mend=f"run {COMMAND}")
    sector = _whole(data, "logical_block_size") or 512
    turns = _whole(data, "rotation_rate")
    device = _object(data, "device")
    made = Disk(
        sectors=size // sector,
        logical_sector_bytes=sector,
        physical_sector_bytes=_whole(data, "physical_block_size") or None,
        model=_text(data, "model_name"),
        serial=_text(data, "serial_number"),
        link=_link(device, data),
        rotational=None if turns is None else turns > 0,
        health=health_of(data),
    )
    found = complete_listing(_text(device, "name") or made.model, made)
    return found._replace(missing=(*found.missing, CONTENTS))


def _link(device: Mapping[str, Any], data: Mapping[str, Any]) -> Link:
    kind = _text(device, "type").lower()
    if "nvme" in kind:
        return "nvme"
    if kind.startswith(("sat,", "usb")):
        return "usb3"
    return "sata" if "sata_version" in data else "unknown"


def health_of(data: Mapping[str, Any]) -> Health:
    """What the disk's own figures say."""
    log = _object(data, "nvme_smart_health_information_log")
    attributes = {
        number: row
        for row in _list(_object(data, "ata_smart_attributes"), "table")
        if isinstance(row, Mapping)
        for number in (row.get("id"),)
        if isinstance(number, int)
    }
    left = next((v for n in LIFE_LEFT if n in attributes and (v := _whole(attributes[n], "value")) is not None), None)
    worn = _whole(log, "percentage_used")
    if worn is None and left is not None and left <= 100:
        worn = 100 - left
    passed = _object(data, "smart_status").get("passed")
    return judged(
        passed=passed if isinstance(passed, bool) else None,
        hours=_whole(_object(data, "power_on_time"), "hours"),
        reallocated=_raw(attributes, REALLOCATED),
        pending=_raw(attributes, PENDING),
        worn=None if worn is None else min(worn, 255),
    )


def _raw(attributes: Mapping[int, Mapping[str, Any]], number: int) -> int | None:
    return _whole(_object(attributes[number], "raw"), "value") if number in attributes else None


def _object(data: Mapping[str, Any], key: str) -> Mapping[str, Any]:
    value = data.get(key)
    return value if isinstance(value, Mapping) else {}


def _list(data: Mapping[str, Any], key: str) -> list[Any]:
    value = data.get(key)
    return value if isinstance(value, list) else []


def _whole(data: Mapping[str, Any], key: str) -> int | None:
    value = data.get(key)
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MAX_BYTES else None


def _text(data: Mapping[str, Any], key: str) -> str:
    value = data.get(key)
    return value.strip()[:MOST_TEXT] if isinstance(value, str) else ""
