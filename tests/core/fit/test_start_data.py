"""Rule 14.6: what start data name is held against plan and finished disk; which code goes over (rule 14.1)."""

import uuid

import pytest

from tests.make import disk as made
from tests.make import fs, part, row_of
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.disk.model import NO_CODE, NamedPlace, StartCode
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.starting import Moved, PlannedStart
from ylemorph.core.sizes import GB, GiB, MiB

DISK, ROW, OTHER = (f"0F3C1B6A-8D2E-4F7A-9B1C-00000000000{n}" for n in range(3))


def windows(*places):
    start = (260 * MiB, EFI_SYSTEM, fs("fat32", 33 * MiB, start_data=places), {"uuid": OTHER})
    system = (100 * GiB, BASIC_DATA, fs(used=40 * GiB), {"role": "system", "uuid": ROW})
    return row_of(start, system, label_gb=250, table_id=DISK)


def legacy(*places, table_id="0x1a2b3c4d"):
    return made(
        488_397_168,
        part(1, MiB, GiB, "0x07", fs(used=MiB, start_data=places), role="start", flags=frozenset(("active",))),
        part(2, 200 * GiB, 20 * GiB, "0x07", fs(used=10 * GiB), role="system"),
        table="mbr", table_id=table_id,
    )  # fmt: skip


NAMED = (NamedPlace(DISK, ROW),)
HERE = NamedPlace("0x1a2b3c4d", start_byte=200 * GiB)


@pytest.mark.parametrize(
    ("source", "target", "options", "rows"),
    [
        (windows(NamedPlace(DISK.lower(), ROW.lower())), 120, {}, []),
        (windows(NamedPlace(DISK, ROW), NamedPlace(DISK, OTHER)), 120, {}, []),
        (windows(NamedPlace(DISK, ROW)), 120, {"identity": "new"}, [2]),
        (windows(NamedPlace(DISK, ROW), NamedPlace(DISK, OTHER)), 120, {"identity": "new"}, [1, 2]),
        (windows(NamedPlace(DISK, ROW)), 120, {"leave": frozenset((2,))}, []),  # no system goes over
        (windows(NamedPlace(DISK, OTHER)), 120, {"leave": frozenset((1,))}, [1]),
        (windows(NamedPlace(OTHER, ROW)), 120, {"identity": "new"}, []),  # of another disk
        (windows(NamedPlace(DISK, DISK)), 120, {"identity": "new"}, []),  # a row that is long gone
        (legacy(HERE), 480, {}, []),
        (legacy(HERE), 120, {}, [2]),  # it cannot stay at 200 GiB
        (legacy(NamedPlace("0x1a2b3c4d", start_byte=MiB)), 120, {}, []),
        (legacy(HERE, table_id="0x00000001"), 120, {}, []),
    ],
)
def test_what_they_name_and_will_not_find(source, target, options, rows):
    plan = make_plan(source, nominal_disk(target * GB), Options(fit="snug", **options))
    found = [f for f in plan.findings if f.code == "start-data"]
    assert ([f.row for f in found], {f.level for f in found} | {"stop"}) == (rows, {"stop"})
    guessed = {f.code for f in plan.findings} & {"start-moved", "identity-new"}
    assert not (plan.starting.knows_data and guessed)  # what is known is not guessed


def test_the_finished_disk_is_held_against_them():
    source = windows(NamedPlace(DISK, ROW))
    plan = make_plan(source, nominal_disk(120 * GB), Options())
    rows = {row.number: row for row in plan.rows}

    def finished(disk=DISK, row=ROW, places=NAMED):
        return made(
            nominal_disk(120 * GB).sectors,
            *(
                part(p.number, rows[p.number].first_lba * 512, rows[p.number].size_bytes, p.type,
                     p.filesystem.but(start_data=places if p.number == 1 else (),
                                      size_bytes=rows[p.number].size_bytes), uuid=OTHER if p.number == 1 else row)
                for p in source.partitions
            ), table_id=disk,
        )  # fmt: skip

    def codes(disk):
        return {d.kind.code for d in check_back(planned_of(plan), disk).differences}

    assert codes(finished()) == set()
    assert codes(finished(row=str(uuid.UUID(int=5)))) == {"identity-lost", "start-data"}
    assert codes(finished(disk=str(uuid.UUID(int=6)))) == {"identity-lost", "start-data"}
    # Mended: they name what is there now, or something that never was on this disk.
    new = str(uuid.UUID(int=6))
    assert codes(finished(disk=new, places=(NamedPlace(new, ROW),))) == {"identity-lost"}
    assert codes(finished(places=(NamedPlace(OTHER, OTHER),))) == set()


@pytest.mark.parametrize(
    ("more", "code", "goes"),
    [
        ({"role": "data", "flags": frozenset(("active",))}, StartCode(1, "a" * 64), True),
        ({"role": "system"}, StartCode(1, "a" * 64), True),
        ({"role": "data"}, StartCode(1, "a" * 64), False),  # code that every table has, and nothing to start
        ({"role": "data"}, StartCode(63, "a" * 64), True),  # a loader's core stands behind it
        ({"role": "system"}, NO_CODE, False),
        ({"role": "system"}, None, None),
        ({"role": "data"}, None, False),
    ],
)
def test_code_goes_over_where_something_starts(more, code, goes):
    source = row_of((50 * GiB, "0x07", fs(used=GiB), more), table="mbr", label_gb=120).but(start_code=code)
    assert make_plan(source, nominal_disk(240 * GB), Options()).starting.code is goes


def test_what_stays_behind_is_said_with_what_it_holds():
    rows = [(50 * GiB, BASIC_DATA, fs(used=used), {"role": "data"}) for used in (GiB, 7 * GiB, None)]
    plan = make_plan(row_of(*rows), nominal_disk(240 * GB), Options(leave=frozenset((2, 3))))
    left = {f.row: f.text() for f in plan.findings if f.code == "row-left-behind"}
    assert "7 GiB" in left[2]
    assert "50 GiB" in left[3]


def test_what_names_a_place_of_before_and_how_far_code_can_stand():
    row = make_plan(windows(), nominal_disk(120 * GB), Options()).rows[0].row
    stays, moves = Moved(row, 2048, 2048), Moved(row, 2048, 4096)
    assert not PlannedStart(named=(stays,), perhaps=(stays,)).renamed
    assert PlannedStart(named=(stays, moves)).renamed
    assert PlannedStart(perhaps=(moves,)).renamed
    assert PlannedStart(moved_loaders=(moves,), patched=True).renamed
    assert PlannedStart(moved_loaders=(moves,), patched=True).loader_now == 4096
    assert PlannedStart(moved_loaders=(moves,)).loader_now is None
    assert (PlannedStart(reach=60).placed_reach, PlannedStart(reach=60, cut=True).placed_reach) == (60, 1)
