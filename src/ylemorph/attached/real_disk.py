"""A disk that is attached to this machine, and what tells it from the others."""

import hashlib
from typing import NamedTuple

from ..core.disk.model import Disk


class RealDisk(NamedTuple):
    """As the system lists it.

    ``disk``: identity, link, size, and what the listing knows of its contents; ``holds``: those in words; ``place``:
    where it is attached, in the system's words; ``uses``: what keeps it in use, a few words each.
    """

    path: str
    disk: Disk
    holds: str = ""
    place: str = ""
    uses: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """The same for this disk at this place alone, so that another that takes its place is another disk."""
        told = (self.path, self.place, self.disk.serial, self.disk.model, str(self.disk.size_bytes))
        return hashlib.sha256("\0".join(told).encode()).hexdigest()[:16]

    def looks_like(self, other: "RealDisk") -> bool:
        """Whether only its place tells it from another: adapters report one serial for all, or none."""
        mine, theirs = self.disk, other.disk
        same = (mine.model, mine.serial, mine.size_bytes) == (theirs.model, theirs.serial, theirs.size_bytes)
        return same and self.path != other.path


def partition_count(count: int) -> str:
    return "1 partition" if count == 1 else f"{count} partitions"
