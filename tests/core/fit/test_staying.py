"""Rules 7.3b and 14.1: what start data or a loader name by its place stays there wherever that can be."""

import random
from itertools import pairwise, product

import pytest

from tests.make import fs, row_of
from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import Disk, Partition
from ylemorph.core.disk.roles import BASIC_DATA, BIOS_BOOT, LINUX_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB

GRAIN = MiB // 512


def random_rows(rnd):
    """A few rows of some MiB, primary and logical, with gaps, some off the grain; a Windows among them."""
    at, rows = rnd.choice((63, GRAIN, 5 * GRAIN)), []
    count = rnd.randint(2, 6)
    system = rnd.randrange(count)
    for place in range(count):
        logical = place >= 3
        at += GRAIN * logical + rnd.choice((0, 0, 0, 3 * GRAIN, 40 * GRAIN))
        role = "system" if place == system else rnd.choice(("data", "data", "start", "recovery"))
        size = rnd.choice((3, 8, 40, 200))
        used = rnd.choice((MiB, size * MiB // 3, size * MiB * 9 // 10))
        rows.append((place + 1 + logical, at, size * GRAIN, logical, role, used))
        at += size * GRAIN
    return rows, at + rnd.choice((0, GRAIN, 300 * GRAIN))


def disk_of(rows, sectors):
    return checked(
        Disk(sectors, table="mbr", partitions=tuple(
            Partition(number, at, size, "0x07", logical, role=role, filesystem=fs(used=used))
            for number, at, size, logical, role, used in rows
        ))
    )  # fmt: skip


def most_that_stay(plan, stays):
    """Brute force: of all ways to keep some of these rows where they are, the most that can be, system first."""
    rows = [row for row in plan.rows if row.carried]
    first, end = plan.frame.first, plan.frame.end - plan.frame.tail

    def stands(kept):
        cursor = first
        for row in rows:
            start = cursor + row.logical
            if row.number in kept:
                wanted, rest = divmod(row.row.partition.first_lba, GRAIN)
                if rest or wanted < start:
                    return False
                start = wanted
            cursor = start + row.extent.length
        return cursor <= end

    choices = product((False, True), repeat=len(stays))
    able = [{number for number, on in zip(stays, choice, strict=True) if on} for choice in choices]
    systems = {row.number for row in rows if row.role == "system"}
    return max((len(kept & systems), len(kept - systems)) for kept in able if stands(kept))


def test_no_row_moves_that_could_have_stayed():
    """500 random MBR plans, each against all subsets."""
    tried = moved = kept = 0
    rnd = random.Random(7)
    while tried < 500:
        rows, sectors = random_rows(rnd)
        target = Disk(rnd.choice((sectors, sectors * 5 // 8, sectors * 2)) // GRAIN * GRAIN)
        try:
            plan = make_plan(disk_of(rows, sectors), target, Options(fit=rnd.choice(FITS)))
        except YlemorphError:
            continue
        if plan.layout.sizes is None:
            continue
        tried += 1
        stays = [row.number for row in plan.rows if row.role in ("start", "system") and row.carried]
        there = {
            row.number for row in plan.rows if row.number in stays and row.first_lba == row.row.partition.first_lba
        }
        systems = {row.number for row in plan.rows if row.role == "system"}
        assert (len(there & systems), len(there - systems)) == most_that_stay(plan, stays), (rows, target)
        assert {m.row.number for m in plan.starting.moved_data} == set(stays) - there
        in_order = [row.extent for row in plan.rows if row.extent is not None]
        assert all(one.stop <= two.start for one, two in pairwise(in_order))
        moved, kept = moved + len(stays) - len(there), kept + len(there)
    assert moved > 100  # both happen, or nothing was tried
    assert kept > 100


def test_where_nothing_names_a_place_rows_stand_without_gaps():
    """A Linux on an MBR finds its rows by their file systems; on a GPT a Windows by their GUIDs."""
    for table, kind, type_ in (("mbr", "ext4", "0x83"), ("gpt", "ntfs", BASIC_DATA)):
        before = (300 * GiB, type_, fs(kind, 20 * GiB), {"role": "data"})
        source = row_of(before, (50 * GiB, type_, fs(kind, 20 * GiB), {"role": "system"}), table=table, label_gb=500)
        plan = make_plan(source, nominal_disk(480 * GB), Options(fit="snug"))
        one, two = (row.extent for row in plan.rows)
        assert one.stop == two.start
        assert plan.starting.moved_data == ()


@pytest.mark.parametrize(("fit", "stays"), [("snug", True), ("proportional", False)])
def test_a_bios_boot_row_stays_where_there_is_room(fit, stays):
    source = row_of(
        (300 * GiB, LINUX_DATA, fs("ext4", 20 * GiB), {"role": "data"}), (MiB, BIOS_BOOT, None, {"role": "start"}),
        (50 * GiB, LINUX_DATA, fs("ext4", 20 * GiB), {"role": "system"}), label_gb=400,
    )  # fmt: skip
    plan = make_plan(source, nominal_disk(400 * GB if fit == "proportional" else 480 * GB), Options(fit=fit))
    plan = plan if stays else make_plan(source, nominal_disk(240 * GB), Options(fit=fit))
    assert (plan.row(2).first_lba == source.partitions[1].first_lba) == stays
    assert bool(plan.starting.moved_loaders) != stays


def test_free_space_after_a_row_is_the_users_wish():
    rows = [(10 * GiB, "0x07", fs(used=GiB), {"role": role}) for role in ("start", "system")]
    plan = make_plan(row_of(*rows, table="mbr", label_gb=50), nominal_disk(120 * GB), Options(fit="same", free_after=1))
    assert [m.row.number for m in plan.starting.moved_data] == [2]
    assert plan.rows[1].extent.stop == plan.frame.end
