"""Usable ranges: UEFI specification, chapters on the GPT disk layout and the legacy MBR."""

import pytest

from tests.make import disk, part
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.tables import gaps_of, usable_range
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.frame import frame_of
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.sizes import GiB, MiB

N = 1_000_000


@pytest.mark.parametrize(
    ("sectors", "sector", "table", "expected"),
    [
        (N, 512, "gpt", (34, N - 34)),
        (N, 4096, "gpt", (6, N - 6)),
        (N, 512, "mbr", (1, N - 1)),
        (2**32, 512, "mbr", (1, 2**32 - 1)),
        (2**32 + 5, 512, "mbr", (1, 2**32 - 1)),
        (2**33, 4096, "mbr", (1, 2**32 - 1)),
    ],
)
def test_usable_range(sectors, sector, table, expected):
    assert usable_range(sectors, sector, table) == expected


def test_whole_grains():
    # 1 000 000 sectors are 488.28 MiB; the GPT's copies take the first and the last grain.
    frame = frame_of(Disk(N), "gpt", Options())
    assert (frame.first, frame.end) == (1, 488)
    # The last usable sector of exactly 488 MiB lies inside the last grain.
    assert frame_of(Disk(488 * 2048), "gpt", Options()).end == 487
    assert frame_of(Disk(488 * 2048), "mbr", Options()).end == 488


def test_past_two_tebibytes():
    frame = frame_of(Disk(2**32 + 2048), "mbr", Options())
    assert frame.unreachable_bytes == 2048 * 512
    assert frame_of(Disk(2**32 + 2048), "gpt", Options()).unreachable_bytes == 0


@pytest.mark.parametrize(
    ("options", "physical", "at"),
    [
        (Options(grain_bytes=6144), 4096, "options.grain"),
        (Options(grain_bytes=0), None, "options.grain"),
        (Options(tail=Tail(GiB)), None, "options.tail"),
    ],
)
def test_refused(options, physical, at):
    with pytest.raises(BadOption) as caught:
        frame_of(Disk(N, physical_sector_bytes=physical), "gpt", options)
    assert caught.value.at == at


def test_a_disk_smaller_than_its_table_has_no_room():
    for sectors in (1, 10, 67, 68, 2048):
        assert frame_of(Disk(sectors), "gpt", Options()).usable_bytes == 0


def test_gaps():
    found = gaps_of(disk(N, part(1, 10 * MiB, 20 * MiB), part(2, 30 * MiB, 100 * MiB)), MiB)
    assert [(gap.start, gap.stop) for gap in found] == [(34, 20480), (130 * 2048, N - 33)]
    assert gaps_of(disk(N), MiB)[0].length == N
