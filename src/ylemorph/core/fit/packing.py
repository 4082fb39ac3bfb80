"""Data that has to move (rule 9)."""

from ..disk.model import Partition
from ..sizes import div_up


def bytes_past(partition: Partition | None, new_size: int, source_bytes: int) -> int | None:
    """Bytes allocated past ``new_size``, that must be packed before the file system can end there (rule 9.2).

    From the usage map: whole buckets past the new end, the crossing one in proportion, rounded up. Without a
    map the last used byte can still tell that there is nothing past; otherwise None: unknown, never 0.
    """
    fs = partition.filesystem if partition else None
    if fs is None:
        return None
    if fs.last_used_byte is not None and fs.last_used_byte <= new_size:
        return 0
    if fs.usage_map is None:
        return None
    bucket, total = fs.usage_map.bucket_bytes, 0
    for index, used in enumerate(fs.usage_map.used):
        start, stop = index * bucket, min((index + 1) * bucket, source_bytes)
        if start >= new_size:
            total += used
        elif stop > new_size:
            total += div_up(used * (stop - new_size), stop - start)
    return total
