"""The least size of a btrfs on a device, from where its chunks stand (rule 5.3).

Making it smaller moves every chunk that reaches past the new end, one after the other, each into room that is free
before it; what a chunk holds is moved whole. So the new end is at least all chunks together. Where chunks have to move,
the one under way and one of the file system's own need room beside them.
"""

from collections.abc import Sequence

from ..sizes import Extent, MiB

FIRST_BYTES = MiB  # before the first chunk
SYSTEM_CHUNK_MOST = 32 * MiB
LEAST_DEVICE = 256 * MiB


def least_btrfs_bytes(chunks: Sequence[Extent]) -> int:
    """In bytes; ``chunks``: what they take of the device, in order, apart from each other."""
    least = FIRST_BYTES + sum(chunk.length for chunk in chunks)
    holes = _holes(chunks)
    moved = 0
    for chunk in reversed(chunks):
        if chunk.stop <= least:
            break
        place = next((hole for hole in holes if hole.length >= chunk.length and hole.stop <= chunk.start), None)
        if place is None:
            least = chunk.stop
            break
        holes[holes.index(place)] = Extent(place.start + chunk.length, place.stop)
        moved = max(moved, chunk.length)
    if moved:  # else it could end behind the last chunk, where nothing has to move
        least = min(least + moved + SYSTEM_CHUNK_MOST, chunks[-1].stop)
    return max(LEAST_DEVICE, least)


def _holes(chunks: Sequence[Extent]) -> list[Extent]:
    at, holes = FIRST_BYTES, []
    for chunk in chunks:
        if chunk.start > at:
            holes.append(Extent(at, chunk.start))
        at = max(at, chunk.stop)
    return holes
