"""The least size of an ext file system (rule 5.3): what the usual resizer accepts without force.

The resizer (resize2fs of e2fsprogs 1.47, with whose own estimate this is compared to the block, and checked by
shrinking to exactly this size) keeps

- groups enough for the inodes in use, and for the blocks in use by files;
- each group's own blocks: bitmaps, table of inodes, copies of the superblock and descriptors; where tables of several
  groups stand together (flex_bg), those of the whole set;
- at least 50 blocks beside these in the last group, which may be short;
- with extents, one block in 500 of what is given up, since moved files may need more of them.

Integers, blocks.
"""

from functools import partial
from typing import NamedTuple

from ..sizes import Bytes, div_up
from .model import ExtLayout

LAST_GROUP_LEAST = 50
EXTENT_SHARE = 500
EXTENT_BYTES = 12


def least_ext_bytes(layout: ExtLayout, lightened_bytes: int = 0) -> int:
    """The least size in bytes with ``lightened_bytes`` of files gone; never over the present size."""
    data = layout.data_blocks - lightened_bytes // layout.block_bytes
    return _least_blocks(layout, max(0, data)) * layout.block_bytes


def shed_ext_bytes(layout: ExtLayout, lightened_bytes: int = 0) -> int:
    """What the groups that are given up at the least size kept for themselves: used space that needs no room there."""
    groups = _kept(layout, layout.data_blocks - lightened_bytes // layout.block_bytes)
    kept = min(groups.with_tables, _present(layout))
    return (_own_blocks(layout, _present(layout)) - _own_blocks(layout, kept)) * layout.block_bytes


class _Kept(NamedTuple):
    """Groups that are kept, with all those whose tables stand together with theirs, and the room before the last."""

    groups: int
    with_tables: int
    room: int


def _present(layout: ExtLayout) -> int:
    return div_up(layout.blocks - layout.first_block, layout.blocks_per_group)


def _kept(layout: ExtLayout, data: int) -> _Kept:
    """Groups for the inodes in use, then as many more as the data need, as the resizer counts them.

    It counts the room of the groups before the last one low where it adds several within one set at once.
    """
    per_group, own = layout.blocks_per_group, partial(_own_blocks, layout)
    groups = max(1, div_up(layout.inodes_used, layout.inodes_per_group))
    tables = _with_set(layout, groups)
    free = max(0, groups * per_group - own(tables))
    room = (groups - 1) * per_group - own(groups - 1)
    while data > free:
        more = div_up(data - free, per_group)
        room += per_group - (own(groups) - own(groups - 1))
        groups, before = groups + more, tables
        if not _is_flex(layout) or groups > tables:
            tables = _with_set(layout, groups)
        counted = max(before, min(tables, groups - 1))
        room += (counted - before) * per_group - (own(counted) - own(before))
        free += more * per_group - (own(tables) - own(before))
        if groups > _present(layout):
            break
    return _Kept(groups, tables, room)


def _is_flex(layout: ExtLayout) -> bool:
    """A survey of before this was asked says it by sets of more than one group."""
    return layout.flex or layout.flex_groups > 1


def _with_set(layout: ExtLayout, groups: int) -> int:
    """Groups up to the end of the set whose tables stand together: the resizer takes one more where a set is full."""
    if not _is_flex(layout):
        return groups
    return min((groups // layout.flex_groups + 1) * layout.flex_groups, _present(layout))


def _least_blocks(layout: ExtLayout, data: int) -> int:
    groups, tables, room = _kept(layout, data)
    if groups > _present(layout):
        return layout.blocks
    first = 0 if 1 < layout.flex_groups >= groups else groups - 1
    last = _own_blocks(layout, tables) - _own_blocks(layout, first)
    needed = (groups - 1) * layout.blocks_per_group + layout.first_block + last + max(data - room, LAST_GROUP_LEAST)
    if needed >= layout.blocks:
        return layout.blocks
    if layout.extents:
        per_block = layout.block_bytes // EXTENT_BYTES - 1
        worst = max(div_up(data, per_block), layout.inodes_used)
        needed += min((layout.blocks - needed) // EXTENT_SHARE, worst)
    return needed


def _own_blocks(layout: ExtLayout, groups: int) -> int:
    """Blocks that the first ``groups`` groups keep for themselves."""
    own = groups * (layout.inode_table_blocks + 2)
    meta = groups if layout.meta_from is None else min(groups, layout.meta_from)
    own += _copies(layout, groups) + _copies(layout, meta) * layout.descriptor_blocks
    return own + 3 * div_up(groups - meta, layout.meta_groups)


def _copies(layout: ExtLayout, groups: int) -> int:
    """Copies of the superblock in the first ``groups`` groups."""
    if layout.backups == "every":
        return groups
    if layout.backups == "two":
        return min(groups, 3)
    return min(groups, 2) + sum(_powers_below(base, groups) for base in (3, 5, 7))


def _powers_below(base: int, limit: int) -> int:
    count, power = 0, base
    while power < limit:
        count, power = count + 1, power * base
    return count


def own_ext_bytes(layout: ExtLayout) -> int:
    """What all groups together keep for themselves, in bytes."""
    return _own_blocks(layout, _present(layout)) * layout.block_bytes


def usual_ext_layout(size_bytes: int, used_bytes: int, inode_bytes: int = 256) -> ExtLayout:
    """The layout that mkfs chooses without options (e2fsprogs, from memory), for a volume that was not read itself.

    ``used_bytes`` counts files alone; an inode in use for each 16 KiB of them, the most that there usually are.
    """
    block, per_group = 4096, 32_768
    blocks = max(1, size_bytes // block)
    groups = div_up(blocks, per_group)
    return ExtLayout(
        block_bytes=Bytes(block),
        blocks=blocks,
        first_block=0,
        blocks_per_group=per_group,
        inodes_per_group=8192,
        inodes_used=used_bytes // 16_384,
        inode_table_blocks=8192 * inode_bytes // block,
        data_blocks=div_up(used_bytes, block),
        descriptor_blocks=div_up(groups, 64) + 1024,
        flex_groups=16,
    )
