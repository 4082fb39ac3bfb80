"""What the collecting script for Linux sends as root: the listing of ``lsblk``, and what the utilities beside it say.

Least sizes are the words of each file system's own resizer: ``resize2fs -P``, ``ntfsresize --info``, ``btrfs
inspect-internal min-dev-size``. Health is what ``smartctl`` gives; a physical volume of LVM is known by its report.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from ...core.disk.listing import Listed, Unreadable
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES
from .blkid import Blocks
from .lsblk import Beside, Extents, read_lsblk
from .smart import health_of


def is_collected(data: Mapping[str, Any]) -> bool:
    return "lsblk" in data


def read_collected(data: Mapping[str, Any], beside: Blocks) -> tuple[Listed | Unreadable, ...]:
    """All disks, each by itself. Raises BadSurvey where the listing itself is not one."""
    listing = data["lsblk"]
    if not isinstance(listing, Mapping):
        raise BadSurvey("there is no listing in it", at="lsblk", mend="run the collecting script again")
    leasts = {_path(one): one.get("least_bytes") for one in _objects(data.get("told"))}
    healths = {_path(one.get("device"), "name"): health_of(one) for one in _objects(data.get("smart"))}
    return read_lsblk(listing, Beside(beside, leasts, healths, dict(_extents(data.get("pvs")))))


PLAIN = ("linear", "striped", "free")  # segments whose extents may be moved one by one


def _extents(report: Any) -> Iterable[tuple[str, Extents]]:
    """Each physical volume by its path, from a row for each of its segments."""
    by_path: dict[str, list[Mapping[str, Any]]] = {}
    for part in _objects(_get(report, "report")):
        for row in _objects(part.get("pv")):
            by_path.setdefault(str(row.get("pv_name")), []).append(row)
    for path, own in by_path.items():
        try:
            runs = [(int(row["pvseg_start"]), int(row["pvseg_size"]), str(row["segtype"])) for row in own]
            start, size = int(own[0]["pe_start"]), int(own[0]["vg_extent_size"])
        except (KeyError, TypeError, ValueError):
            continue
        used = tuple((at, at + length) for at, length, kind in runs if kind != "free")
        packs = all(kind in PLAIN for *_, kind in runs)
        if 0 <= start < MAX_BYTES and 0 < size < MAX_BYTES and runs:
            count = max(at + length for at, length, _ in runs)
            yield path, Extents(str(own[0].get("vg_name")), start, size, count, used, packs)


def _get(data: Any, key: str) -> Any:
    return data.get(key) if isinstance(data, Mapping) else None


def _objects(value: Any) -> Iterable[Mapping[str, Any]]:
    return [one for one in value if isinstance(one, Mapping)] if isinstance(value, list) else []


def _path(data: Any, key: str = "path") -> str:
    return str(data.get(key)) if isinstance(data, Mapping) else ""
