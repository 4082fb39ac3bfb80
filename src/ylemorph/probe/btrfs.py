"""btrfs: the superblock, and where its chunks stand on the device (the kernel's documentation, from memory).

No map: what is used inside the chunks is not asked.
"""

import struct
import uuid
from collections.abc import Iterator

from ..core.disk.btrfs_least import least_btrfs_bytes
from ..core.disk.model import FileSystem
from ..core.sizes import Bytes, Extent
from .media.medium import Unsound, Window

SUPER_AT = 0x10000
CHUNK_ARRAY_AT, CHUNK_ARRAY_MOST = 0x32B, 2048
CHUNK_ITEM = 228
MOST_NODES, MOST_CHUNKS, MOST_LEVEL = 20_000, 200_000, 7
_CHUNK = struct.Struct("<QQQQIIIHH")
_STRIPE = struct.Struct("<QQ16x")
_KEY = struct.Struct("<QBQ")
_NODE = struct.Struct("<48xQ40xIB")  # the address of the node, how many items, the level
NODE_HEAD = 101


def read_btrfs(part: Window) -> FileSystem:
    """Used bytes do not count second copies; over several devices they are not told apart."""
    head = part.read(SUPER_AT, 4096)
    total, used, _, devices, block, node = struct.unpack_from("<QQQQII", head, 0x70)
    device, size, allocated = struct.unpack_from("<QQQ", head, 0xC9)
    label = head[0x12B : 0x12B + 256].split(b"\0")[0].decode("utf-8", "replace")
    known = FileSystem("btrfs", label=label, uuid=str(uuid.UUID(bytes=bytes(head[0x20:0x30]))))
    if not 0 < size <= part.size or not allocated <= size or (devices == 1 and not used <= total):
        return known.but(state="damaged")
    known = known.but(
        cluster_bytes=Bytes(block) if block else None, size_bytes=Bytes(size), allocated_bytes=Bytes(allocated)
    )
    try:
        chunks = sorted(set(_chunks(part, head, device, node)))
    except (Unsound, struct.error):
        chunks = []
    # Where the chunks do not add up to what the superblock says is given to them, nothing follows from them.
    if chunks and sum(chunk.length for chunk in chunks) == allocated:
        known = known.but(least_bytes=Bytes(min(size, least_btrfs_bytes(chunks))))
    if devices != 1:
        return known.but(detail=f"one of {devices} devices")
    return known.but(used_bytes=Bytes(used), used_kind="counted")


def _chunks(part: Window, head: bytes, device: int, node: int) -> Iterator[Extent]:
    """What the chunks take of this device, in bytes. Raises Unsound or struct.error for a tree that cannot be."""
    (root,) = struct.unpack_from("<Q", head, 0x58)
    if not 4096 <= node <= 65_536 or head[0xC7] > MOST_LEVEL:
        raise Unsound("the tree of chunks")
    own = list(_of_array(head))
    waiting, nodes, count = [(root, head[0xC7])], 0, 0
    while waiting:
        address, level = waiting.pop()
        nodes += 1
        if nodes > MOST_NODES:
            raise Unsound("the tree of chunks has no end")
        data = part.read(_on_device(own, address, device), node)
        stands, items, at_level = _NODE.unpack_from(data)
        if stands != address or at_level != level or items > node // 25:
            raise Unsound("a node of the tree of chunks")
        if level:
            places = [struct.unpack_from("<Q", data, NODE_HEAD + 33 * place + 17)[0] for place in range(items)]
            waiting += [(place, level - 1) for place in places]
            continue
        for place in range(items):
            _, kind, _, offset, _ = struct.unpack_from("<QBQII", data, NODE_HEAD + 25 * place)
            if kind == CHUNK_ITEM:
                count += 1
                if count > MOST_CHUNKS:
                    raise Unsound("more chunks than there can be")
                yield from _stripes(data, NODE_HEAD + offset, device)


def _of_array(head: bytes) -> Iterator[tuple[int, int, int, int]]:
    """Where the tree's own chunks stand: logical start, length, device and place of each copy."""
    (length,) = struct.unpack_from("<I", head, 0xA0)
    at, stop = CHUNK_ARRAY_AT, CHUNK_ARRAY_AT + min(length, CHUNK_ARRAY_MOST)
    while at < stop:
        _, _, logical = _KEY.unpack_from(head, at)
        size, _, _, _, _, _, _, stripes, _ = _CHUNK.unpack_from(head, at + _KEY.size)
        at += _KEY.size + _CHUNK.size
        for _ in range(stripes):
            device, place = _STRIPE.unpack_from(head, at)
            yield logical, size, device, place
            at += _STRIPE.size


def _on_device(own: list[tuple[int, int, int, int]], address: int, device: int) -> int:
    for logical, size, where, place in own:
        if where == device and logical <= address < logical + size:
            return place + address - logical
    raise Unsound("the tree of chunks stands on another device")


# Bits of a chunk's type: kinds that lay their stripes beside each other, so that each has a part of the length.
RAID0, RAID10, RAID5, RAID6 = 1 << 3, 1 << 6, 1 << 7, 1 << 8


def _stripes(data: bytes, at: int, device: int) -> Iterator[Extent]:
    size, _, _, kind, _, _, _, stripes, sub = _CHUNK.unpack_from(data, at)
    shares = 1
    if kind & RAID0:
        shares = stripes
    elif kind & RAID10:
        shares = stripes // max(1, sub)
    elif kind & (RAID5 | RAID6):
        shares = stripes - (2 if kind & RAID6 else 1)
    length = size // max(1, shares)
    for place in range(stripes):
        where, start = _STRIPE.unpack_from(data, at + _CHUNK.size + place * _STRIPE.size)
        if where == device:
            yield Extent(start, start + length)
