"""Two plans side by side: which of them is better by a line, and where that cannot be said."""

import pytest

from tests.make import fs, row_of
from ylemorph.core.disk.roles import BASIC_DATA, LINUX_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.compare import better, carried_bytes_of, compare_plans
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB
from ylemorph.demo.scenario import lending_desk


@pytest.mark.parametrize(
    ("first", "second", "more", "expected"),
    [
        (1, 2, True, 1),
        (2, 1, True, 0),
        (1, 2, False, 0),
        (2, 2, True, None),
        (None, 2, True, None),
        (1, None, False, None),
    ],
)
def test_the_better_of_two_figures(first, second, more, expected):
    assert better(first, second, more=more) == expected


def plan(size, **options):
    return make_plan(lending_desk().disk, nominal_disk(size * GB), Options(**options))


def test_verdicts_and_headroom_decide():
    comfortable, tight, tighter, none = plan(480), plan(260), plan(256), plan(240)
    for one, two in ((comfortable, tight), (tight, tighter), (tighter, none), (comfortable, none)):
        assert compare_plans(one, two).better_verdict == 0
        assert compare_plans(two, one).better_verdict == 1
        assert compare_plans(one, one).better_verdict is None


def test_free_space_row_by_row_and_what_is_packed():
    found = compare_plans(plan(480), plan(480, fit="rest-to-one"))
    by_row = {row.label: (row.better, row.frees) for row in found.rows}
    assert {label: which for label, (which, _) in by_row.items() if which is not None} == {
        "3 Desk": 0,
        "4 Catalogue": 1,
    }
    assert by_row["3 Desk"][1][0] > by_row["3 Desk"][1][1]
    assert found.first.packed_bytes < found.second.packed_bytes
    assert found.better_packed == 0


def test_what_is_packed_is_known_only_where_every_row_tells():
    source = row_of(
        (100 * GiB, BASIC_DATA, fs("ntfs", 40 * GiB), {"role": "system"}),
        (100 * GiB, BASIC_DATA, fs("ntfs", 10 * GiB, last_used_byte=12 * GiB), {"role": "data"}), label_gb=250,
    )  # fmt: skip
    unknown = compare_plans(*(make_plan(source, nominal_disk(120 * GB), Options(fit=fit)) for fit in ("snug", "same")))
    assert unknown.first.packed_bytes is None
    packed = lending_desk().disk
    known = compare_plans(*(make_plan(packed, nominal_disk(480 * GB), Options(fit=fit)) for fit in ("snug", "same")))
    assert known.first.packed_bytes is not None
    assert known.second.packed_bytes is None  # nothing fits


def test_each_row_has_the_change_of_either_plan():
    made = compare_plans(plan(480), plan(2000, fit="same"))
    changes = {pair.number: pair.changes for pair in made.rows}
    assert {one for one, _ in changes.values()} != {two for _, two in changes.values()}
    for number, (one, two) in changes.items():
        assert one == plan(480).row(number).change
        assert two == plan(2000, fit="same").row(number).change


def test_of_a_volume_group_all_of_its_row_is_carried():
    """As long as it then is, whatever its volumes hold; of another kind only what is used."""
    held = fs("lvm", 60 * GiB, used_kind="counted", least_bytes=90 * GiB)
    source = row_of((200 * GiB, LINUX_DATA, held, {"role": "data"}), (99 * GiB, BASIC_DATA, fs(used=9 * GiB)))
    for gb, expected in ((250, None), (1000, 200 * GiB)):
        group, other = make_plan(source, nominal_disk(gb * GB), Options(fit="proportional")).rows
        assert carried_bytes_of(group) == (expected or group.size_bytes)
        assert carried_bytes_of(other) == 9 * GiB


def test_what_is_made_new_carries_nothing():
    system = (50 * GiB, "0x07", fs(used=20 * GiB), {"role": "system", "flags": frozenset(["active"])})
    source = row_of(system, table="mbr")
    made = make_plan(source, nominal_disk(240 * GB), Options(table="gpt"))
    carried = {row.role: carried_bytes_of(row) for row in made.rows}
    assert (carried["start"], carried["reserved"], carried["system"]) == (0, 0, 20 * GiB)
