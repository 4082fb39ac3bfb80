"""Metadata of LVM written here by hand, byte by byte, and changed at random; the utilities' own in tests/real."""

import os
import random
import struct

import pytest

from ylemorph.core.sizes import MiB
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.lvm import AREA_MAGIC, checksum
from ylemorph.probe.media.medium import Unsound

UUID = "bM2T54VRElj2lyEsqzvMvYJ0yBStLOpp"
EXTENT, AREA_END = 4 * MiB, 64 * 1024
TEXT = f"""reading {{
id = "Wzqt4b-azTy"
seqno = 8
status = ["RESIZEABLE", "READ", "WRITE"]
extent_size = 8192
physical_volumes {{
pv0 {{
id = "{UUID[:6]}-{UUID[6:]}"
dev_size = 122880
pe_start = 2048
pe_count = 14
}}
pv1 {{
id = "other"
pe_start = 2048
pe_count = 14
}}
}}
logical_volumes {{
root {{
status = ["READ", "WRITE", "VISIBLE"]
segment1 {{
start_extent = 0
extent_count = 2
type = "striped"
stripe_count = 1
stripes = ["pv0", 4]
}}
segment2 {{
start_extent = 2
extent_count = 1
type = "striped"
stripe_count = 1
stripes = ["pv0", 0]
}}
}}
wide {{
status = ["VISIBLE"]
segment1 {{
start_extent = 0
extent_count = 4
type = "striped"
stripe_count = 2
stripes = ["pv0", 8, "pv1", 0]
}}
}}
}}
}}
"""


class Volume:
    """A physical volume of 60 MiB that only holds what is asked of it; the ring's text begins at ``offset``."""

    def __init__(self, text=TEXT, offset=AREA_END - 700):
        body = text.encode("utf-8", "surrogateescape") + b"\0"
        self.size, self.reads = 60 * MiB, 0
        area = bytearray(AREA_END)
        for at, byte in enumerate(body):
            place = offset + at
            area[place if place < AREA_END else place - AREA_END + 512] = byte
        struct.pack_into("<16sIQQ", area, 4, AREA_MAGIC, 1, 4096, AREA_END)
        struct.pack_into("<QQII", area, 40, offset, len(body), checksum(body), 0)
        struct.pack_into("<I", area, 0, checksum(bytes(area[4:512])))
        label = bytearray(512)
        struct.pack_into("<8sQII8s32sQ", label, 0, b"LABELONE", 1, 0, 32, b"LVM2 001", UUID.encode(), self.size)
        struct.pack_into("<8Q", label, 72, MiB, 0, 0, 0, 4096, AREA_END, 0, 0)
        self.data = bytearray(2 * MiB)
        self.data[512:1024] = label
        self.data[4096 : 4096 + AREA_END] = area

    def read(self, offset, length):
        self.reads += 1
        if offset < 0 or length < 0 or offset + length > self.size:
            raise Unsound("outside")
        return bytes(self.data[offset : offset + length]).ljust(length, b"\0")


@pytest.mark.parametrize("offset", [512, 20_000, 64 * 1024 - 700, 64 * 1024 - 1])
def test_a_text_is_read_wherever_it_stands_in_its_ring(offset):
    fs = read_filesystem(Volume(offset=offset))
    assert (fs.kind, fs.label, fs.uuid[:6], fs.state) == ("lvm", "reading", UUID[:6], "clean")
    # Extents 0, 4, 5, 8 and 9 are in use; two of the four of the wide volume stand on another disk.
    assert (fs.used_bytes, fs.last_used_byte) == (MiB + 5 * EXTENT, MiB + 10 * EXTENT)
    assert fs.size_bytes == MiB + 14 * EXTENT
    assert [(one.name, one.size_bytes, one.layout) for one in fs.inside] == [
        ("root", 3 * EXTENT, "linear"), ("wide", 4 * EXTENT, "striped, not on this disk alone"),
    ]  # fmt: skip
    assert fs.usage_map.used[:3] == (EXTENT, MiB, 0)


def test_a_volume_in_two_pieces_is_read_in_its_own_order():
    """Its first two extents stand behind its third; a superblock at the third's end is found by its place inside."""
    volume = Volume()
    # The mark of XFS at the volume's first byte: extent 4 of the disk.
    volume.data += bytes(MiB + 4 * EXTENT + 512 - len(volume.data))
    at = MiB + 4 * EXTENT
    volume.data[at : at + 4] = b"XFSB"
    (root, _) = read_filesystem(volume).inside
    assert root.kind == "xfs"


@pytest.mark.parametrize(
    "text",
    [
        "", "x", "a = 1", "reading { }", "}" * 9, "{" * 99, '"', "[" * 99, TEXT.replace("pv0 {", "pv9 {"),
        TEXT.replace("extent_size = 8192", "extent_size = 1"), TEXT.replace("extent_count = 2", "extent_count = -2"),
        TEXT.replace('"pv0", 4', '"pv0", 13'), TEXT.replace('"pv0", 4', '"pv0", 0'), TEXT.replace("= 2048", "= 8"),
        TEXT.replace("pe_count = 14", "pe_count = 15"), TEXT.replace("pe_count = 14", "pe_count = x"),
        TEXT.replace("segment1 {", "segment1 ="), TEXT.replace(UUID[6:], ""),
    ],
)  # fmt: skip
def test_metadata_that_cannot_be_leave_it_held(text):
    fs = read_filesystem(Volume(text))
    assert (fs.kind, fs.inside) == ("lvm", ())
    assert fs.used_bytes in (None, MiB)  # of no group at all only what stands before the first extent


CASES = 40_000 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 1_500
NASTY = ("{", "}", "[", "]", '"', "=", "0", "-1", "9" * 30, "pv0", "\0", "#", "\n", "striped", "VISIBLE", "\udcff")


def test_changed_texts_never_break_the_reader():
    """With their checksums right, so that every change comes as far as the reader of the text."""
    noise, most, outcomes = random.Random(4), 0, set()
    for _ in range(CASES):
        text = TEXT
        for _ in range(noise.choice((1, 1, 2, 5))):
            at = noise.randrange(len(text))
            text = text[:at] + noise.choice(NASTY) + text[at + noise.choice((0, 1, 5, 40)) :]
        volume = Volume(text)
        found = read_filesystem(volume)
        outcomes.add(found.used_bytes is None)
        most = max(most, volume.reads)
    assert outcomes == {True, False}
    assert most < 400
