"""How quickly a device gives what it holds, measured in passing while it is surveyed (rule 11.2b).

At three places that are in use, since nobody will copy the others: where nothing was ever written, a device may answer
without reading. What lies in memory is let go of before.
"""

import time
from itertools import accumulate

from ...core.disk.model import Disk
from ...core.sizes import MiB
from ...system import forget
from .medium import CannotRead, Medium, Unsound

PLACES, EACH, STEP = 3, 32 * MiB, MiB
LEAST_USED = 4 * PLACES * EACH  # under which the caches of a disk would be measured


def measured(medium: Medium, disk: Disk) -> tuple[int, ...]:
    """Bytes a second at each place; empty for a file, and for a disk that holds too little to tell."""
    if medium.sector is None:
        return ()
    places = _places(disk)
    try:
        return tuple(_rate(medium, start) for start in places)
    except (CannotRead, Unsound, OSError):
        return ()  # what cannot be read is said where it is needed


def _places(disk: Disk) -> list[int]:
    """A quarter, a half and three quarters of the way through what is used, by the maps of the file systems."""
    used: list[tuple[int, int]] = []  # where a stretch that is mostly used begins, and its length
    volumes = [(row.first_lba * disk.logical_sector_bytes, row.filesystem) for row in disk.rows] or [
        (0, disk.filesystem)
    ]
    for start, fs in volumes:
        usage = fs.usage_map if fs is not None else None
        if usage is not None:
            stretches = enumerate(usage.used)
            used += [
                (start + n * usage.bucket_bytes, held) for n, held in stretches if 4 * held > 3 * usage.bucket_bytes
            ]
    total = sum(held for _, held in used)
    if total < LEAST_USED:
        return []
    behind = list(accumulate(held for _, held in used))
    wanted = [total * (place + 1) // (PLACES + 1) for place in range(PLACES)]
    found = [next(start for (start, _), past in zip(used, behind, strict=True) if past > at) for at in wanted]
    return [min(start, disk.size_bytes - EACH) // STEP * STEP for start in found]


def _rate(medium: Medium, start: int) -> int:
    forget(medium.descriptor, start, EACH)
    begin = time.perf_counter()
    for offset in range(start, start + EACH, STEP):
        medium.read(offset, STEP)
    return max(1, int(EACH / max(1e-6, time.perf_counter() - begin)))
