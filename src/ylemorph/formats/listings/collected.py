"""What the collecting script for Linux sends as root: the listing of ``lsblk``, and what the utilities beside it say.

Least sizes are the words of each file system's own resizer: ``resize2fs -P``, ``ntfsresize --info``, ``btrfs
inspect-internal min-dev-size``. Health is what ``smartctl`` gives.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from ...core.disk.listing import Listed, Unreadable
from ...core.errors import BadSurvey
from .blkid import Blocks
from .lsblk import Beside, read_lsblk
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
    return read_lsblk(listing, Beside(beside, leasts, healths))


def _objects(value: Any) -> Iterable[Mapping[str, Any]]:
    return [one for one in value if isinstance(one, Mapping)] if isinstance(value, list) else []


def _path(data: Any, key: str = "path") -> str:
    return str(data.get(key)) if isinstance(data, Mapping) else ""
