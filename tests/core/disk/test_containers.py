"""Packed files and archives by their first bytes, which are no raw disk."""

import pytest

from ylemorph.core.disk.containers import CONTAINERS, HEAD_BYTES, container_of

PI, ROOT = (
    b"1AY&SY",
    b"\x17rE8P\x90",
)  # behind the size of bzip2's blocks: the first of one, or the end of an empty file


@pytest.mark.parametrize(
    ("head", "known"),
    [
        (b"BZh1" + PI, True),
        (b"BZh9" + ROOT, True),
        (b"BZh0" + PI, False),
        (b"BZh9" + bytes(100), False),
        (b"BZh" + PI, False),
        (bytes(512), False),
    ],
)
def test_three_letters_alone_are_no_archive(head, known):
    assert (container_of(head) is not None) == known


def test_each_mark_is_its_own_and_stands_in_the_head():
    assert len({(one.offset, one.magic) for one in CONTAINERS}) == len(CONTAINERS)
    for one in CONTAINERS:
        behind = b"9" + PI if one.magic == b"BZh" else b""
        head = (bytes(one.offset) + one.magic + behind).ljust(HEAD_BYTES, b"\1")
        assert container_of(head[:HEAD_BYTES]) is one
        assert container_of(b"\1" + head) is not one
