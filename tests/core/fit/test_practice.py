"""Values of the trade. Common practice, no source."""

import pytest

from tests.make import fs, row_of
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB, format_size

START = (100 * MiB, EFI_SYSTEM, fs("fat32", 30 * MiB))


def system(size, used, **more):
    return (size, BASIC_DATA, fs("ntfs", used, **more), {"role": "system"})


@pytest.mark.parametrize(
    ("label", "size", "used", "target"),
    [(750, 676 * GiB, 100 * GiB, 240), (500, 465 * GiB, 149 * GiB, 250)],
)
def test_half_empty_disks_fit_a_smaller_one(label, size, used, target):
    source = row_of(START, system(size, used), label_gb=label)
    assert make_plan(source, nominal_disk(target * GB), Options()).verdict == "comfortable"


def test_what_cannot_be_moved_keeps_a_disk_from_fitting():
    source = row_of(START, system(900 * GiB, 80 * GiB, immovable_end_byte=540 * GiB), label_gb=1000)
    plan = make_plan(source, nominal_disk(512 * GB), Options())
    assert plan.verdict == "does-not-fit"
    assert abs(plan.shortfall_bytes - 63 * GiB) < GiB
    assert make_plan(source, nominal_disk(512 * GB), Options(cleared=frozenset((2,)))).verdict == "comfortable"


def test_a_full_system_disk_gains_what_the_larger_one_has_more():
    source = row_of(START, system(111 * GiB, 108 * GiB), label_gb=120)
    row = make_plan(source, nominal_disk(250 * GB), Options(fit="rest-to-one")).row(2)
    assert abs(row.size_bytes - row.source_bytes - 121 * GiB) < 2 * GiB


def test_one_partition_takes_a_disk_of_twice_the_size():
    source = row_of(START, system(119 * GiB, 60 * GiB), label_gb=128)
    size = make_plan(source, nominal_disk(256 * GB), Options()).row(2).size_bytes
    assert abs(238.5 * GiB - 100 * MiB - size) < 100 * MiB  # 238.5 is rounded


def test_the_small_partition_at_the_end_survives():
    end = (513 * MiB, "DE94BBA4-06D1-4D40-A16A-BFD50179D6AC", fs("ntfs", 400 * MiB))
    source = row_of(START, system(270 * GiB, 90 * GiB), end, label_gb=300)
    row = make_plan(source, nominal_disk(250 * GB), Options()).row(3)
    assert row.size_bytes == 513 * MiB


# Needs of the trade: what a disk's label says and what a system shows.
@pytest.mark.parametrize(
    ("label", "shown"),
    [(120, "112"), (128, "119"), (240, "224"), (250, "233"), (256, "238"), (480, "447"), (500, "466"), (1000, "932")],
)
def test_label_and_shown_size(label, shown):
    size = nominal_disk(label * GB).size_bytes
    assert format_size(size) == f"{shown} GiB"
    expected = f"{label} GB" if label < 1000 else "1 TB"
    assert format_size(size, "decimal") == expected
