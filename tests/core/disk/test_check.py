import pytest

from tests.make import desk, disk, fs, part
from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import Disk
from ylemorph.core.errors import BadSurvey
from ylemorph.core.sizes import GiB, MiB

N = 4 * GiB // 512


@pytest.mark.parametrize(
    ("parts", "table", "at", "word"),
    [
        ([part(1, MiB, GiB), part(1, 2 * GiB, GiB)], "gpt", "disk.partitions[1].number", "taken"),
        ([part(1, MiB, GiB), part(2, GiB, GiB)], "gpt", "disk.partitions[1].first_lba", "inside"),
        ([part(2, GiB, GiB), part(1, MiB, GiB)], "gpt", "disk.partitions[0].first_lba", "inside"),
        ([part(1, MiB, 4 * GiB)], "gpt", "disk.partitions[0].sectors", "past the disk's end"),
        ([part(1, MiB, 0)], "gpt", "disk.partitions[0].sectors", "at least one sector"),
        ([part(1, 0, GiB)], "gpt", "disk.partitions[0].first_lba", "before sector 1"),
        ([part(1, MiB, GiB, logical=True)], "gpt", "disk.partitions[0].logical", "MBR"),
        ([part(1, MiB, GiB)], "none", "disk.table", "without a table"),
        ([part(n, n * MiB, MiB) for n in range(1, 130)], "gpt", "disk.partitions", "128"),
        ([part(n, n * MiB, MiB, "0x07") for n in range(1, 6)], "mbr", "disk.partitions", "four entries"),
        ([part(n, 2 * n * MiB, MiB, "0x0F") for n in (1, 2)], "mbr", "disk.partitions", "one extended"),
        (
            [part(n, n * MiB, MiB, "0x07") for n in range(1, 5)] + [part(5, 9 * MiB, MiB, "0x07", logical=True)],
            "mbr",
            "disk.partitions",
            "extended",
        ),
        (
            [
                part(5, 2 * MiB, MiB, "0x07", logical=True),
                part(1, 4 * MiB, MiB, "0x07"),
                part(6, 8 * MiB, MiB, "0x07", logical=True),
            ],
            "mbr",
            "disk.partitions[1].first_lba",
            "between logical",
        ),
        (
            [part(1, 2 * MiB, 4 * MiB, "0x0F"), part(5, 8 * MiB, MiB, "0x07", logical=True)],
            "mbr",
            "disk.partitions[1].first_lba",
            "outside the extended",
        ),
        (
            [part(1, 2 * MiB, 4 * MiB, "0x0F"), part(2, 3 * MiB, MiB, "0x07")],
            "mbr",
            "disk.partitions[1].first_lba",
            "inside partition 1",
        ),
        ([part(1, MiB, GiB, filesystem=fs(used=2 * GiB))], "gpt", "disk.partitions[0].filesystem.used_bytes", "more"),
    ],
)
def test_contradictions(parts, table, at, word):
    with pytest.raises(BadSurvey) as caught:
        checked(Disk(N, table=table, partitions=tuple(parts)))
    assert caught.value.at == at
    assert word in str(caught.value)
    assert caught.value.mend


@pytest.mark.parametrize(
    ("made", "at"),
    [
        (Disk(0), "disk.sectors"),
        (Disk(-5), "disk.sectors"),
        (Disk(100, logical_sector_bytes=513), "disk.logical_sector_bytes"),
        (Disk(2**60), "disk.sectors"),
    ],
)
def test_absurd_geometry(made, at):
    with pytest.raises(BadSurvey) as caught:
        checked(made)
    assert caught.value.at == at


def test_rates_and_least_sizes_that_cannot_be():
    """A rate of nothing would make every time endless."""
    with pytest.raises(BadSurvey) as caught:
        checked(Disk(N, read_rates=(5, 0)))
    assert caught.value.at == "disk.read_rates[1]"
    assert checked(Disk(N, read_rates=(5, 1))).read_rates == (5, 1)
    with pytest.raises(BadSurvey, match="more than the partition's"):
        disk(N, part(1, MiB, GiB, filesystem=fs("btrfs", GiB // 2, least_bytes=GiB + 1)))


def test_partitions_stand_in_the_order_of_their_starts():
    made = disk(N, part(2, 2 * GiB, GiB), part(7, MiB, GiB))
    assert [p.number for p in made.partitions] == [7, 2]


def test_an_extended_partition_holds_its_logicals_and_is_no_row():
    made = disk(N, part(1, 2 * MiB, GiB, "0x05"), part(5, 3 * MiB, 4 * MiB, "0x07", logical=True), table="mbr")
    assert [p.number for p in made.rows] == [5]


def test_texts_of_a_disk_read_as_what_they_are():
    """A change of direction in a label makes “evil” read “live” on screen, a control character steers a terminal."""
    named = desk(model="Brindle \x1b[2JK4")
    rows = tuple(
        row.but(name="Desk\u202elive", filesystem=row.filesystem and row.filesystem.but(label="\u202elive"))
        for row in named.partitions
    )
    made = checked(named.but(partitions=rows))
    assert made.model == "Brindle \N{REPLACEMENT CHARACTER}[2JK4"
    assert {row.name for row in made.partitions} == {"Desk\N{REPLACEMENT CHARACTER}live"}
    labels = {row.filesystem.label for row in made.partitions if row.filesystem}
    assert labels == {"\N{REPLACEMENT CHARACTER}live"}
