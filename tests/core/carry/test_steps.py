"""What the steps are made of: order, cheap moves, figures to type, words, lists."""

import pytest

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.check_lists import LINES
from ylemorph.core.carry.facts import Facts, check_facts
from ylemorph.core.carry.in_place import Shift, order_moves
from ylemorph.core.carry.sequence import WAYS
from ylemorph.core.carry.step_kinds import words_of
from ylemorph.core.carry.typed import figures_of, start_commands
from ylemorph.core.disk.model import Disk, UsageMap
from ylemorph.core.disk.roles import BASIC_DATA, RECOVERY
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.starting import PlannedStart
from ylemorph.core.sizes import GB, Extent, GiB, MiB

ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=200 * GiB)


def steps(way, source=None, target=480, **options):
    plan = make_plan(source or desk(), nominal_disk(target * GB), Options(**options))
    return carry_out(plan, ALL, way)


def told(carrying):
    return [(step.kind, step.disk, step.row) for step in carrying.sequence.steps]


def test_the_desk_straight_across():
    assert told(steps("straight")) == [
        ("check", "source", 3), ("check", "source", 4), ("table", "target", None), ("copy", "target", 1),
        ("copy", "target", 3), ("copy", "target", 4), ("copy", "target", 5), ("make", "target", 2),
    ]  # fmt: skip


def test_shrinks_come_first_at_the_source_and_copies_keep_their_length():
    carrying = steps("shrink-first")
    kinds = [kind for kind, _, _ in told(carrying)]
    assert kinds == ["check", "shrink", "check", "shrink", "table", "copy", "copy", "copy", "copy", "make"]
    copies = [step for step in carrying.sequence.steps if step.kind == "copy"]
    assert all(step.source.length == step.to.length for step in copies)


def test_the_end_row_moves_once_to_the_end_before_the_row_in_front_grows():
    """The classic: recovery behind the system, which is to take all that is gained (rules 10, 13.3)."""
    carrying = steps("restore", target=2000, fit="rest-to-one", grow=4)
    moving = [told for told in told(carrying) if told[0] in ("move", "grow", "shrink")]
    assert moving == [("move", "target", 5), ("grow", "target", 4)]


@pytest.mark.parametrize("way", [way for way in WAYS if way != "finish"])
@pytest.mark.parametrize(("target", "fit"), [(480, "proportional"), (2000, "proportional"), (960, "snug")])
def test_nothing_is_resized_twice_and_nothing_copied_twice_to_the_target(way, target, fit):
    source = row_of(*[(100 * GiB, BASIC_DATA, fs(used=20 * GiB), {"role": "data"}) for _ in range(4)], label_gb=480)
    steps_made = steps(way, source, target, fit=fit).sequence.steps
    for row in (1, 2, 3, 4):
        resizing = [step for step in steps_made if step.row == row and step.kind in ("shrink", "grow")]
        assert len(resizing) <= 1
        assert (
            len([step for step in steps_made if step.row == row and step.kind == "copy" and step.disk == "target"]) <= 1
        )


def test_what_is_packed_is_the_map_past_the_new_end_and_never_nought_where_unknown():
    usage = UsageMap(GiB, (1 * GiB,) * 20 + (0,) * 40 + (GiB // 2,) * 10 + (0,) * 30)
    known = fs(used=25 * GiB, usage_map=usage, last_used_byte=70 * GiB)
    for filesystem, packed in ((known, 5 * GiB), (fs(used=25 * GiB), None)):
        source = row_of((100 * GiB, BASIC_DATA, filesystem, {"role": "data"}), label_gb=120)
        shrink = next(step for step in steps("shrink-first", source, 60).sequence.steps if step.kind == "shrink")
        assert (shrink.read_bytes, shrink.write_bytes) == (packed, packed)
    assert shrink.seconds[0] < 60
    assert shrink.seconds[1] > 5 * 60


# --- order in place ---------------------------------------------------------------------------------------------------


def moved(*shifts, usable=(0, 100)):
    return order_moves(tuple(Shift(n, Extent(*now), Extent(*goal)) for n, now, goal in shifts), Extent(*usable), 1)


def test_toward_the_start_first_to_last_and_toward_the_end_last_to_first():
    ahead = moved((1, (10, 20), (0, 10)), (2, (20, 30), (10, 20)), (3, (30, 40), (20, 30)))
    assert [row for row, _, _ in ahead.made] == [1, 2, 3]
    behind = moved((1, (0, 10), (10, 20)), (2, (10, 20), (20, 30)), (3, (20, 30), (30, 40)))
    assert [row for row, _, _ in behind.made] == [3, 2, 1]


def test_rows_that_pass_each_other_put_the_cheapest_aside():
    found = moved((1, (0, 40), (10, 50)), (2, (40, 50), (0, 10)), usable=(0, 60))
    assert [row for row, _, _ in found.made] == [2, 1, 2]
    assert sum(now.length for _, now, _ in found.made) == 60


def test_no_room_to_pass_through_names_the_row_and_what_is_missing():
    found = moved((1, (0, 40), (20, 60)), (2, (40, 60), (0, 20)), usable=(0, 65))
    assert found.blocked == (2, 15)
    plan = make_plan(_full_pair(), Disk((2 * GiB + 4 * MiB) // 512), Options(fit="same", order=(2, 1)))
    way = next(way for way in carry_out(plan, ALL).ways if way.key == "restore")
    assert not way.possible
    assert "cannot pass the others" in way.why
    assert ": 1021 MiB of free space are missing" in way.why


def _full_pair():
    rows = [part(n + 1, MiB + n * GiB, GiB, BASIC_DATA, fs(used=900 * MiB), role="data") for n in range(2)]
    return disk((2 * GiB + 4 * MiB) // 512, *rows)


# --- figures and words ------------------------------------------------------------------------------------------------


def test_figures_to_type_by_hand():
    """420 GiB to 206 209 MiB: 430 080 - 206 209 MiB are taken off; on the source that stands free behind it."""
    carrying = steps("shrink-first")
    shrink = next(step for step in carrying.sequence.steps if step.kind == "shrink" and step.row == 3)
    new, off, free = figures_of(shrink, 512)
    assert (new.word, new.mib, new.sectors) == ("New size", 206_209, 206_209 * 2048)
    assert (off.word, off.mib) == ("Take off", 430_080 - 206_209)
    assert (free.word, free.mib) == ("Free behind it", 430_080 - 206_209)
    assert all(figure.exact for figure in (new, off, free))


def test_what_is_taken_off_is_rounded_up_and_said_to_be_about():
    source = disk(2 * GiB // 512, part(1, MiB, GiB + 512 * 3, BASIC_DATA, fs(used=100 * MiB), role="data"))
    plan = make_plan(source, Disk(GiB // 512), Options(pins=((1, 700 * MiB),)))
    shrink = next(step for step in carry_out(plan, ALL, "shrink-first").sequence.steps if step.kind == "shrink")
    _, off, _ = figures_of(shrink, 512)
    assert (off.mib, off.sectors, off.exact) == (1024 - 700 + 1, (1024 - 700) * 2048 + 3, False)


def test_what_is_lightened_is_taken_out_before():
    carrying = steps("shrink-first", lighten=((3, 30 * GiB),))
    shrink = next(step for step in carrying.sequence.steps if step.kind == "shrink" and step.row == 3)
    assert "30 GiB that stay behind are taken out of it" in words_of(carrying.ground, "shrink-first", shrink).before


def test_what_is_lightened_is_taken_out_before_a_copy_that_makes_smaller():
    carrying = steps("straight", target=240, lighten=((4, 80 * GiB), (3, 30 * GiB)))
    copies = {step.row: step for step in carrying.sequence.steps if step.kind == "copy"}
    before = {row: words_of(carrying.ground, "straight", step).before for row, step in copies.items()}
    assert "30 GiB that stay behind are taken out of it" in before[3]
    assert before[1] == ()  # what goes over as it is needs no room


def test_no_size_is_given_for_a_backup_that_is_not_there():
    check_facts(Facts(backup="no"))
    check_facts(Facts(backup="yes", backup_size=GiB))
    with pytest.raises(BadOption, match="not there"):
        check_facts(Facts(backup="no", backup_size=GiB))


def keys(carrying, when):
    return {item.key for item in carrying.lists if item.when == when}


def test_lists_follow_the_job():
    windows = steps("straight")
    assert {"clean-shutdown", "encryption", "right-disk"} <= keys(windows, "before")
    assert {"detached", "activation", "start-order"} <= keys(windows, "after")
    assert "room" in keys(steps("through-image"), "before")
    data = row_of((100 * GiB, BASIC_DATA, fs(used=20 * GiB), {"role": "data"}), label_gb=480)
    files = steps("files", data)
    assert "permissions" in keys(files, "after")
    assert not {"detached", "activation", "starts"} & keys(files, "after")
    assert not {"clean-shutdown", "encryption"} & keys(files, "before")
    known = carry_out(windows.ground.plan, ALL.but(encryption="paused"), "straight")
    assert "encryption-again" in keys(known, "after")
    assert len({line.key for line in LINES}) == len(LINES)


def test_the_right_disk_is_named_by_its_serial():
    target = nominal_disk(480 * GB).but(model="Quillon S2", serial="QS2-4410")
    carrying = carry_out(make_plan(desk(), target, Options()), ALL, "straight")
    line = next(item for item in carrying.lists if item.key == "right-disk")
    assert line.text == "The disk that is written to is Quillon S2, serial ending 4410"


def test_a_held_recovery_row_that_is_no_whole_grain_keeps_its_own_length():
    odd = part(2, GiB + MiB, 500 * MiB + 512, RECOVERY, fs(used=300 * MiB), role="recovery")
    source = disk(4 * GiB // 512, part(1, MiB, GiB, BASIC_DATA, fs(used=100 * MiB), role="data"), odd)
    carrying = carry_out(make_plan(source, Disk(3 * GiB // 512), Options()), ALL, "straight")
    copy = next(step for step in carrying.sequence.steps if step.kind == "copy" and step.row == 2)
    assert copy.to.length == copy.source.length == 500 * 2048 + 1
    assert carrying.rehearsal.safe


def test_the_example_of_the_theory_of_order_in_place():
    rows = ((1, (0, 4), (3, 7)), (2, (4, 7), (0, 3)))
    made = moved(*rows, usable=(0, 10)).made
    assert [(row, to.start) for row, _, to in made] == [(2, 7), (1, 3), (2, 0)]
    assert moved(*rows, usable=(0, 9)).blocked == (2, 1)


def test_what_is_resized_in_place_is_checked_before():
    found = told(steps("restore", target=2000))
    for number in (3, 4):
        assert found.index(("check", "target", number)) < found.index(("grow", "target", number))
    assert ("check", "target", 2) not in found  # it goes over sector by sector


def test_the_row_that_no_gap_holds_is_named_not_one_that_only_waits():
    """The gap of 20 holds the smaller row, so it is the larger one that lacks room: 40 are needed."""
    found = moved((1, (0, 40), (60, 100)), (2, (40, 80), (0, 40)), usable=(0, 100))
    assert found.blocked == (1, 20)
    just = moved((1, (0, 20), (60, 80)), (2, (20, 80), (0, 60)), usable=(0, 100))
    assert just.blocked is None  # what is exactly as long as the gap goes into it


def test_the_table_of_a_sequence_is_the_plans():
    assert steps("straight").sequence.gpt
    old = row_of((50 * GiB, "0x07", fs(used=20 * GiB), {"role": "data"}), table="mbr", label_gb=120)
    assert not steps("straight", old, 240).sequence.gpt


def test_what_must_find_room_is_what_a_row_holds():
    """At most its planned length; a row that goes over sector by sector needs its whole length."""
    holds = {hold.row: hold for hold in steps("straight").sequence.holds}
    assert (holds[3].bytes, holds[3].fixed) == (131 * GiB, False)
    assert (holds[1].bytes, holds[1].fixed) == (33 * MiB, True)
    unread = row_of((GiB, BASIC_DATA, fs("xfs"), {"role": "data"}), label_gb=120)
    (hold,) = steps("straight", unread, 240).sequence.holds
    assert (hold.bytes, hold.fixed) == (GiB, True)


def test_a_row_that_just_fits_the_gap_is_not_what_lacks_room():
    """The first row can stand aside; the other two cannot pass each other, and the gap lacks 10 for either."""
    found = moved((1, (0, 20), (30, 50)), (2, (20, 50), (50, 80)), (3, (50, 80), (0, 30)), usable=(0, 100))
    assert found.blocked == (2, 10)


def test_each_step_names_the_disk_that_it_touches():
    """By its model; a model that nobody gave is "the source" or "the target"."""
    source, target = desk().but(model="Brindle K4"), nominal_disk(480 * GB).but(model="Quillon S2")
    for disks, names in (
        ((source, target), ("Brindle K4", "Quillon S2")),
        ((desk().but(model=""), target.but(model="")), ("the source", "the target")),
    ):
        made = carry_out(make_plan(*disks, Options()), ALL, "shrink-first")
        shrink = next(step for step in made.sequence.steps if step.kind == "shrink")
        table = next(step for step in made.sequence.steps if step.kind == "table")
        assert names[0] in words_of(made.ground, "shrink-first", shrink).say
        assert names[1] in words_of(made.ground, "shrink-first", table).say


def said(carrying):
    return [words_of(carrying.ground, carrying.way.key, step).say for step in carrying.sequence.steps]


def test_where_a_copy_goes_is_said():
    inward, outward = (
        [text for text in said(steps("through-image")) if text.startswith("Copy Start (1) from") and where in text]
        for where in ("into the image", "to its place on")
    )
    assert (len(inward), len(outward)) == (1, 1)
    assert "from the image to its place" in outward[0]


def test_one_row_is_one_row():
    alone = row_of((100 * GiB, BASIC_DATA, fs(used=20 * GiB), {"role": "data"}), label_gb=240)
    assert any(": 1 row, with a new identity" in text for text in said(steps("straight", alone)))
    assert any(": 5 rows, with the identity of" in text for text in said(steps("straight")))


@pytest.mark.parametrize(("size", "read"), [(200 * GiB, 200 * GiB), (None, 33 * MiB + 227 * GiB + 572 * MiB)])
def test_what_is_read_of_a_backup_is_its_size_or_what_goes_over(size, read):
    """Used space of the desk: start 33 MiB, system 131 GiB, data 96 GiB, recovery 572 MiB."""
    plan = make_plan(desk(), nominal_disk(2000 * GB), Options())
    made = carry_out(plan, ALL.but(backup_size=size), "restore")
    assert made.sequence.steps[0].read_bytes == read


def test_a_backup_on_a_larger_disk_has_its_tables_copy_put_to_the_end():
    made = steps("restore", target=2000)
    assert ("mend-table", "target", None) in told(made)
    old = row_of((100 * GiB, "0x07", fs(used=20 * GiB), {"role": "data"}), table="mbr", label_gb=240)
    assert ("mend-table", "target", None) not in told(steps("restore", old, target=500))


@pytest.mark.parametrize(("reach", "copied"), [(1, []), (2, ["count=1"]), (63, ["count=62"])])
def test_the_code_behind_the_first_sector_goes_over_where_there_is_any(reach, copied):
    first, *rest = start_commands(PlannedStart(code=True, reach=reach), 512, copies=True)
    assert first == "dd if=SOURCE of=TARGET bs=440 count=1 conv=notrunc"
    assert [command.split()[-2] for command in rest] == copied
