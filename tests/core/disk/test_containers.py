"""Packed files and archives by their first bytes, which are no raw disk."""

import bz2
import gzip
import io
import lzma
import tarfile
import zipfile

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


def archive(kind):
    """As the standard library writes one."""
    made = io.BytesIO()
    if kind == "zip":
        with zipfile.ZipFile(made, "w") as book:
            book.writestr("disk.img", bytes(10))
    else:
        with tarfile.open(fileobj=made, mode="w") as book:
            book.addfile(tarfile.TarInfo("disk.img"))
    return made.getvalue()


@pytest.mark.parametrize(
    ("head", "what"),
    [
        (gzip.compress(b"disk"), "packed by gzip"),
        (lzma.compress(b"disk"), "packed by xz"),
        (bz2.compress(b"disk"), "packed by bzip2"),
        (archive("zip"), "a zip archive"),
        (archive("tar"), "a tar archive"),
        # Marks as their formats publish them.
        (b"\x28\xb5\x2f\xfd", "packed by zstd"),  # RFC 8878, 3.1.1
        (b"7z\xbc\xaf\x27\x1c", "a 7z archive"),  # the format's own description, from memory
        (b"QFI\xfb\0\0\0\3", "a QCOW2 image"),  # QEMU, docs/interop/qcow2.txt
        (b"QED\0", "a QED image"),  # QEMU, docs/interop/qed_spec.rst
        (b"KDMV\1\0\0\0", "a VMDK image"),  # Virtual Disk Format 5.0, "Hosted Sparse Extents"
        (b"vhdxfile", "a VHDX image"),  # MS-VHDX 2.2.1
        (b"conectix", "a VHD image"),  # MS-VHD, "Hard Disk Footer Format"
        (bytes(0x40) + b"\x7f\x10\xda\xbe", "a VDI image"),  # from memory
    ],
)
def test_what_is_packed_is_told_by_its_first_bytes(head, what):
    found = container_of(head.ljust(HEAD_BYTES, b"\0")[:HEAD_BYTES])
    assert found is not None
    assert found.name == what
