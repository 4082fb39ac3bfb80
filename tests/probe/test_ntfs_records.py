"""NTFS structures one by one: expected values worked out by hand."""

import struct

import pytest

from ylemorph.probe.media.medium import Unsound
from ylemorph.probe.ntfs_records import DataRun, NtfsStream, attributes_of, fixed_up, list_entries, read_boot


class Bytes:
    def __init__(self, data):
        self.data, self.size = data, len(data)

    def read(self, offset, length):
        if offset + length > self.size:
            raise Unsound("outside")
        return self.data[offset : offset + length]


def boot(sector=512, per_cluster=8, count=8_388_607, record=-10):
    data = bytearray(512)
    struct.pack_into("<HB", data, 0x0B, sector, per_cluster)
    struct.pack_into("<QQQb", data, 0x28, count, 786_432, 2, record)
    return bytes(data)


@pytest.mark.parametrize(
    ("fields", "cluster", "size", "clusters", "record"),
    [
        ({}, 4096, 8_388_608 * 512, 1_048_575, 1024),  # the count leaves the backup boot sector out
        ({"per_cluster": 1}, 512, 8_388_608 * 512, 8_388_607, 1024),
        ({"per_cluster": 0xF4}, 2 << 20, 8_388_608 * 512, 2047, 1024),  # 256 - 0xF4 = 12: 2^12 sectors
        ({"sector": 4096, "per_cluster": 1, "record": 1}, 4096, 8_388_608 * 4096, 8_388_607, 4096),
    ],
)
def test_boot_sectors(fields, cluster, size, clusters, record):
    found = read_boot(boot(**fields))
    assert (found.cluster, found.size, found.clusters, found.record) == (cluster, size, clusters, record)


@pytest.mark.parametrize(
    "fields",
    [{"sector": 0}, {"sector": 500}, {"per_cluster": 0}, {"per_cluster": 3}, {"per_cluster": 0xE0}, {"count": 0},
     {"record": 0}, {"record": -40}, {"record": 127}],
)  # fmt: skip
def test_boot_sectors_that_cannot_be(fields):
    with pytest.raises(Unsound):
        read_boot(boot(**fields))


def record(size=1024, check=b"\x07\x00"):
    """A record whose last two bytes of every 512 hold the check number, the true bytes kept in front."""
    data = bytearray(size)
    data[:4] = b"FILE"
    struct.pack_into("<HH", data, 4, 0x30, size // 512 + 1)
    data[0x30:0x32] = check
    for i in range(size // 512):
        data[0x32 + 2 * i : 0x34 + 2 * i] = bytes((0xA0 + i, 0xB0 + i))
        data[512 * (i + 1) - 2 : 512 * (i + 1)] = check
    return data


@pytest.mark.parametrize("size", [512, 1024, 4096])
def test_fix_ups_are_undone_every_512_bytes(size):
    out = fixed_up(bytes(record(size)), b"FILE")
    assert [out[512 * (i + 1) - 2] for i in range(size // 512)] == [0xA0 + i for i in range(size // 512)]


@pytest.mark.parametrize(
    ("at", "value"),
    [(0, b"BAAD"), (510, b"\x08"), (6, b"\x09"), (4, b"\xff\x01")],
    ids=["magic", "torn", "count", "place"],
)
def test_torn_records_are_unsound(at, value):
    data = record()
    data[at : at + len(value)] = value
    with pytest.raises(Unsound):
        fixed_up(bytes(data), b"FILE")


def outside_attribute(pairs, size=0, first_vcn=0):
    """A non-resident data attribute with its mapping pairs."""
    length = (64 + len(pairs) + 7) // 8 * 8
    data = bytearray(length)
    struct.pack_into("<IIBBH", data, 0, 0x80, length, 1, 0, 64)
    struct.pack_into("<QQH", data, 16, first_vcn, 0, 64)
    struct.pack_into("<QQQ", data, 40, size, size, size)
    data[64 : 64 + len(pairs)] = pairs
    return bytes(data)


def with_attributes(*attributes):
    data = bytearray(1024)
    struct.pack_into("<H", data, 0x14, 0x38)
    body = b"".join(attributes) + b"\xff\xff\xff\xff\0\0\0\0"
    data[0x38 : 0x38 + len(body)] = body
    return bytes(data)


@pytest.mark.parametrize(
    ("pairs", "runs"),
    [
        (b"\x11\x30\x20\x00", [DataRun(0, 0x20, 0x30)]),
        (
            b"\x11\x30\x60\x21\x10\x00\x01\x11\x20\xe0\x00",
            [DataRun(0, 0x60, 0x30), DataRun(0x30, 0x160, 0x10), DataRun(0x40, 0x140, 0x20)],
        ),
        # A hole between two runs.
        (b"\x11\x04\x10\x01\x08\x11\x04\x10\x00", [DataRun(0, 0x10, 4), DataRun(4, None, 8), DataRun(12, 0x20, 4)]),
        (b"\x31\x02\x00\x00\x10\x00", [DataRun(0, 0x100000, 2)]),
    ],
)  # fmt: skip
def test_run_lists(pairs, runs):
    (found,) = attributes_of(with_attributes(outside_attribute(pairs, size=4096)))
    assert (found.runs, found.size, found.value) == (runs, 4096, None)


@pytest.mark.parametrize("pairs", [b"\x11\x00\x20", b"\x11\x30\x80", b"\x90\x01\x01", b"\x0f\x01", b"\x88\x01"])
def test_run_lists_that_cannot_be(pairs):
    with pytest.raises(Unsound):
        list(attributes_of(with_attributes(outside_attribute(pairs))))


@pytest.mark.parametrize("length", [0, 8, 12, 2000])
def test_attributes_of_a_wrong_length_are_unsound(length):
    data = bytearray(with_attributes(outside_attribute(b"\x11\x30\x20\x00")))
    struct.pack_into("<I", data, 0x38 + 4, length)
    with pytest.raises(Unsound):
        list(attributes_of(bytes(data)))


def test_a_record_without_an_end_is_unsound():
    data = bytearray(1024)
    struct.pack_into("<H", data, 0x14, 1020)
    with pytest.raises(Unsound):
        list(attributes_of(bytes(data)))


def test_a_stream_reads_across_its_runs_and_holes():
    part = Bytes(b"".join(bytes((i,)) * 16 for i in range(8)))
    stream = NtfsStream(part, 16, [DataRun(2, 1, 1), DataRun(0, 5, 1), DataRun(1, None, 1)], 44)
    assert stream.read(0, 44) == b"\x05" * 16 + bytes(16) + b"\x01" * 12
    assert stream.read(14, 4) == b"\x05\x05\0\0"
    for offset, length in ((40, 5), (-1, 2)):
        with pytest.raises(Unsound):
            stream.read(offset, length)


def test_a_stream_with_a_missing_piece_is_unsound():
    with pytest.raises(Unsound):
        NtfsStream(Bytes(bytes(64)), 16, [DataRun(1, 0, 1)], 32).read(0, 4)


def test_attribute_lists():
    entry = struct.pack("<IHBBQQ", 0x80, 32, 0, 26, 0, 5 | 3 << 48) + bytes(8)
    assert list(list_entries(entry * 2)) == [(0x80, "", 5), (0x80, "", 5)]
    with pytest.raises(Unsound):
        list(list_entries(struct.pack("<IHBBQQ", 0x80, 8, 0, 26, 0, 5) + bytes(6)))
