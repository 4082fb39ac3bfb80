"""Empty means empty: what is recognised is named, any other byte is something unknown, and only zeros are nothing."""

import os
import struct

import pytest

from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.findings import contents_of
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, MiB
from ylemorph.probe.disks import survey_path
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium
from ylemorph.probe.named import MARKS, UNKNOWN

SIZE = 8 * MiB


def planted(tmp_path, *pieces, size=SIZE):
    path = tmp_path / "image"
    path.write_bytes(b"")
    os.truncate(path, size)
    with path.open("r+b") as file:
        for offset, data in pieces:
            file.seek(offset if offset >= 0 else size + offset)
            file.write(data)
    return path


def whole(path):
    with open_medium(path) as medium:
        return read_filesystem(medium)


@pytest.mark.parametrize("mark", MARKS, ids=lambda mark: f"{mark.name}@{mark.offset}")
def test_every_mark_is_named_and_nothing_is_called_empty(tmp_path, mark):
    path = planted(tmp_path, (mark.offset, mark.magic))
    disk = survey_path(path).disk
    assert (disk.filesystem.kind, disk.filesystem.detail) == ("unknown", mark.name) or mark.name == "LUKS"
    assert disk.holds_something


@pytest.mark.parametrize(
    ("pieces", "name"),
    [
        ([(131_072 + 4096, struct.pack("<Q", 0x00BAB10C))], "ZFS pool member"),
        ([(-262_144 + 131_072, struct.pack(">Q", 0x00BAB10C))], "ZFS pool member"),
        ([(1024, b"BD" + bytes(18) + struct.pack(">I", 4096))], "HFS"),
        ([(0x1C2, struct.pack(">IB3sII", 16_000, 1, b"GEM", 2, 8000))], "Atari table"),
        ([(1024 + 56, b"\x53\xef"), (1024 + 0x60, b"\x08\0\0\0")], "external ext journal"),
        ([(5, b"\x01")], UNKNOWN),
        ([(MiB - 1, b"\x01")], UNKNOWN),
        ([(-1, b"\x80")], UNKNOWN),
        ([(-MiB, b"\x80")], UNKNOWN),
    ],
)
def test_what_takes_more_than_a_mark(tmp_path, pieces, name):
    assert whole(planted(tmp_path, *pieces)).detail == name


def test_only_zeros_are_nothing(tmp_path):
    assert whole(planted(tmp_path)) is None
    disk = survey_path(planted(tmp_path)).disk
    assert (disk.table, disk.filesystem, disk.holds_something) == ("none", None, False)


def test_a_target_that_holds_something_unknown_asks(tmp_path):
    target = survey_path(planted(tmp_path, (-7, b"\x01"))).disk
    source = Disk(10**9)
    finding = next(f for f in make_plan(source, target, Options()).findings if f.code == "target-holds-data")
    assert "something unknown" in finding.text()
    assert contents_of(target) == "something unknown"


def mbr(*entries):
    record = bytearray(512)
    for place, (kind, first, sectors) in enumerate(entries):
        struct.pack_into("<B3xB3xII", record, 446 + 16 * place, 0, kind, first, sectors)
    record[440:444], record[510:512] = b"\x01\x02\x03\x04", b"\x55\xaa"
    return bytes(record)


@pytest.mark.parametrize(("extra", "holds"), [([], ""), ([(4096, b"\x01")], UNKNOWN), ([(-9, b"\x01")], UNKNOWN)])
def test_a_table_without_entries_is_empty_only_where_its_edges_are(tmp_path, extra, holds):
    disk = survey_path(planted(tmp_path, (0, mbr()), *extra)).disk
    assert (disk.table, disk.partitions) == ("mbr", ())
    assert (disk.filesystem.detail if disk.filesystem else "") == holds
    assert disk.holds_something == bool(holds)


def test_a_row_of_something_unknown_keeps_its_size(tmp_path):
    source = survey_path(planted(tmp_path, (0, mbr((7, 2048, 4096))), (2048 * 512, b"x"))).disk
    row = make_plan(source, nominal_disk(120 * GB), Options()).rows[0]
    assert (row.row.fs.detail, row.elastic, row.size_bytes) == (UNKNOWN, False, 2 * MiB)


@pytest.mark.parametrize(
    ("entries", "kept"),
    [
        ([(7, 2048, 0), (7, 2048, 4096)], [2]),  # an entry of no length
        ([(7, 0, 0), (7, 2048, 4096)], [2]),
        ([(7, 2048, 4096), (7, 4096, 4096)], [1]),  # both blank: the first
        ([(7, 2048, 4096), (7, 3072, 4096)], [2]),  # a file system begins in the second
        ([(7, 2048, 8192), (7, 3072, 1024), (7, 10_240, 1024)], [2, 3]),
        ([(7, 2048, 2048), (7, 3072, 2048), (7, 4096, 1024)], [2]),
        ([(7, 2048, 4096), (0xF, 4096, 4096)], [2]),
        ([(0xF, 2048, 1024), (0xF, 4096, 1024), (7, 8192, 1024)], [1, 3]),
    ],
)
def test_partitions_that_overlap_are_said_and_the_rest_is_shown(tmp_path, entries, kept):
    boot = b"\xeb\x52\x90NTFS    " + bytes(499) + b"\x55\xaa"
    disk = survey_path(planted(tmp_path, (0, mbr(*entries)), (3072 * 512, boot))).disk
    assert [p.number for p in disk.partitions] == kept
    overlap = all(length for _, _, length in entries)
    assert ("partitions-overlap" in disk.table_notes) == overlap
    codes = [finding.code for finding in make_plan(disk, nominal_disk(120 * GB), Options()).findings]
    assert ("partitions-overlap" in codes) == overlap


def test_entries_of_no_length_alone_are_no_table(tmp_path):
    assert survey_path(planted(tmp_path, (0, mbr((7, 2048, 0))))).disk.table == "none"


@pytest.mark.parametrize("at", [-65_536, -8192])
def test_a_member_of_a_linux_array_with_a_table_in_it_is_said(tmp_path, at):
    """Superblocks 0.90 and 1.0 stand at the end, and the array's own table at the beginning (md(4), from memory)."""
    disk = survey_path(planted(tmp_path, (0, mbr((7, 2048, 4096))), (at, b"\xfc\x4e\x2b\xa9"))).disk
    assert [p.number for p in disk.partitions] == [1]
    assert "array-member" in disk.table_notes


def test_a_piece_of_a_dynamic_disk_is_no_file_system_of_its_own(tmp_path):
    ntfs = b"\xeb\x52\x90NTFS    "
    disk = survey_path(planted(tmp_path, (0, mbr((0x42, 2048, 4096))), (2048 * 512, ntfs))).disk
    assert disk.partitions[0].filesystem.detail == "Windows dynamic disk"


def test_a_member_of_an_array_with_a_table_is_said(tmp_path):
    path = planted(tmp_path, (0, mbr((7, 2048, 4096))), (-1024, b"Intel Raid ISM Cfg Sig. 1.3"))
    assert survey_path(path).disk.table_notes == ("array-member",)


@pytest.mark.parametrize("magic", [b"S1SUSPEND", b"S2SUSPEND", b"ULSUSPEND", b"LINHIB0001"])
def test_a_linux_that_sleeps_is_hibernated_and_not_made_new(tmp_path, magic):
    found = whole(planted(tmp_path, (4086, magic)))
    assert (found.kind, found.state) == ("swap", "hibernated")
    source = survey_path(planted(tmp_path, (0, mbr((0x82, 2048, 4096))), (2048 * 512 + 4086, magic))).disk
    plan = make_plan(source, nominal_disk(120 * GB), Options())
    assert "not-resizable-now" in [finding.code for finding in plan.findings]
    assert plan.rows[0].change == "holds"


# The mark of swap is put aside, ten bytes before its place (the kernel's kernel/power/swap.c, from memory); a session
# whose own mark stands at the beginning leaves it where it is (libblkid's probe of swap, from memory).
@pytest.mark.parametrize("page", [4096, 8192, 16_384, 32_768, 65_536])
@pytest.mark.parametrize(
    ("planted_before_the_end", "state"),
    [
        (b"SWAPSPACE2", "clean"), (b"SWAP-SPACE", "clean"), (b"S1SUSPEND\0", "hibernated"),
        (b"SWAPSPACE2" b"OURSLEEP-1", "hibernated"), (b"SWAPSPACE2" b"SWAPSPACE2", "clean"),
    ],
)  # fmt: skip
def test_swap_sleeps_or_not_whatever_its_pages(tmp_path, page, planted_before_the_end, state):
    place = page - len(planted_before_the_end)
    found = whole(planted(tmp_path, (place, planted_before_the_end)))
    assert (found.kind, found.state) == ("swap", state)
    above = whole(planted(tmp_path, (place, planted_before_the_end), (0, b"\xed\xc3\x02\xe9\x98\x56\xe5\x0c")))
    assert (above.kind, above.state) == ("swap", "hibernated")


def test_labels_beside_the_signature(tmp_path):
    assert whole(planted(tmp_path, (0, b"LUKS\xba\xbe\x00\x02"), (24, b"vault\0"))).label == "vault"
    f2fs = planted(tmp_path, (1024, b"\x10\x20\xf5\xf2"), (1024 + 124, "Kärtchen".encode("utf-16-le")))
    assert whole(f2fs).label == "Kärtchen"
    name = "Stacks"
    record = struct.pack(">HIH", 6, 1, len(name)) + name.encode("utf-16-be")
    plus = planted(
        tmp_path,
        (1024, b"H+\0\x04"), (1024 + 40, struct.pack(">I", 4096)), (1024 + 288, struct.pack(">I", 10)),
        (40_960 + 24, struct.pack(">I", 1)), (40_960 + 32, struct.pack(">H", 4096)), (40_960 + 4096 + 14, record),
    )  # fmt: skip
    assert whole(plus).label == name
