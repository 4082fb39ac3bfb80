"""What the script takes for a way, worked out by hand; counted on real disks in tests/real."""

import pytest

from tests.make import desk, fs, row_of
from ylemorph.core.carry.carrying import carry_out, questions_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.times import MB, Path, Rate, added, spent, within
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.script.by_script import again_from, by_script, family_of, gaps_of
from ylemorph.core.script.price import FIXED, SHARES, _span, _taken, price_for, price_of, whole_room
from ylemorph.core.sizes import GB, GiB, MiB

ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=100 * GB)
ENDS = 2 * MiB


def source(used=20 * GiB):
    return row_of(
        (512 * MiB, EFI_SYSTEM, fs("fat32", 40 * MiB)),
        (100 * GiB, BASIC_DATA, fs("ntfs", used), {"role": "system"}),
        (80 * GiB, LINUX_DATA, fs("ext4", 30 * GiB), {"role": "data"}), label_gb=250,
    )  # fmt: skip


def carried(way, target, facts=ALL, disk=None, **options):
    return carry_out(make_plan(disk or source(), nominal_disk(target * GB), Options(**options)), facts, way)


def price(way, target, facts=ALL, disk=None, **options):
    return price_for(carried(way, target, facts, disk, **options).ground, way)


def test_a_larger_target_is_what_is_used_and_the_ends():
    """FAT goes over whole, since nobody tells what is used of it; both ends of four places are blanked: three rows and
    the disk."""
    found = price("straight", 1000)
    used = 512 * MiB + 20 * GiB + ENDS + 30 * GiB + ENDS
    assert (found.read_bytes, found.write_bytes, found.workspace_bytes) == (used, used + 4 * ENDS, 0)


def test_what_is_not_known_stays_unknown():
    found = price("straight", 1000, disk=source(None))
    assert (found.read_bytes, found.write_bytes) == (None, None)
    assert "what is read is not known" in found.sentence()


@pytest.mark.parametrize(
    ("last_used", "room"),
    [(30 * GiB, 0), (None, 20 * GiB + ENDS + 20 * GiB + ENDS)],  # nothing to pack; not known how much
)
def test_a_row_that_shrinks_in_an_image_stands_in_a_file_of_what_is_used(last_used, room):
    disk = row_of(
        (100 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB, last_used_byte=last_used), {"role": "data"}), label_gb=250
    )
    found = price("through-image", 64, disk=disk)
    assert found.read_bytes == 20 * GiB + ENDS
    assert found.write_bytes == 20 * GiB + ENDS + 2 * ENDS
    assert found.workspace_bytes == (20 * GiB + ENDS if last_used else room)


def test_a_row_that_shrinks_on_its_way_goes_to_its_place_where_there_is_room_for_its_old_length():
    disk = row_of(
        (100 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB, last_used_byte=30 * GiB), {"role": "data"}), label_gb=250
    )
    there = price("straight", 120, disk=disk, pins=((1, 60 * GiB),))
    assert there.workspace_bytes == 0
    apart = price("straight", 64, disk=disk)  # 100 GiB do not stand on 64 GB, be it for a while
    assert apart.workspace_bytes == 20 * GiB + ENDS
    assert there.read_bytes == apart.read_bytes == 20 * GiB + ENDS


def test_a_record_of_a_later_logical_must_not_be_written_over():
    """An old table with logicals: what stands before the first of them would be as long as before for a while."""
    made = carry_out(make_plan(mbr(), Disk(180 * GiB // 512), Options(pins=((1, 20 * GiB),))), ALL, "straight")
    steps = by_script(made.ground, "straight", made.sequence.steps)
    packed = {one.row: one.fits_there for one in steps if one.step.kind == "copy" and one.resizes}
    assert packed.get(1) is False


def mbr():
    from dataclasses import replace

    from ylemorph.core.disk.model import Partition

    def row(number, first, size, **more):
        return Partition(
            number, first, size * GiB // 512, "0x07", role="data",
            filesystem=fs("ntfs", 4 * GiB, last_used_byte=5 * GiB), **more,
        )  # fmt: skip

    start = 2048 + 40 * GiB // 512
    rows = (
        row(1, 2048, 40), Partition(2, start, 100 * GiB // 512, "0x0F"), row(5, start + 2048, 30, logical=True),
        row(6, start + 4096 + 30 * GiB // 512, 30, logical=True),
    )  # fmt: skip
    return replace(Disk(250 * GB // 512, table="mbr"), partitions=rows)


def test_a_worn_source_is_read_whole():
    found = price("through-image", 1000, ALL.but(health="worn"))
    assert found.read_bytes == source().size_bytes
    assert found.workspace_bytes > source().size_bytes


def test_what_cannot_be_done_is_left_by_hand_and_takes_nothing():
    disk = row_of((150 * GiB, BASIC_DATA, fs("btrfs", 40 * GiB, size_bytes=150 * GiB), {"role": "data"}), label_gb=250)
    found = price("straight", 120, disk=disk)
    assert len(found.by_hand) == 1
    assert "cannot be made smaller here" in found.by_hand[0]
    assert found.read_bytes == 0
    assert found.write_bytes == 2 * ENDS


LINKS = ALL.but(source_link="usb2", target_link="sata")
RATES = {"source": Rate(35 * MB, 35 * MB), "target": Rate(400 * MB, 550 * MB), "image": Rate(400 * MB, 800 * MB)}


def seconds_of(way, kind, disk):
    """Of the first such step of the NTFS row, or of none, with what it carries."""
    made = carried(way, 1000, LINKS)
    for one in by_script(made.ground, way, made.sequence.steps):
        if one.step.kind == kind and one.step.disk == disk and one.step.row in (2, None):
            return _span(one, _taken(one)).seconds
    raise AssertionError(kind)


@pytest.mark.parametrize(
    ("way", "kind", "disk", "giver", "carries"),
    [
        ("straight", "copy", "target", "source", 20 * GiB + ENDS),
        ("through-image", "copy", "image", "source", 20 * GiB + ENDS),
        ("through-image", "copy", "target", "image", 20 * GiB + ENDS),
        ("restore", "read", "target", "source", 512 * MiB + 50 * GiB + 2 * ENDS),
    ],
)  # fmt: skip
def test_times_are_those_of_the_bytes_and_of_reading_them_back(way, kind, disk, giver, carries):
    """At the slower one of both disks (rule 11), and once more at the rate of the one that is written to."""
    once = spent(carries, Path(((giver, RATES[giver]), (disk, RATES[disk]))), SHARES)
    back = spent(carries, Path(((disk, RATES[disk]),)), SHARES)
    assert seconds_of(way, kind, disk) == added(within(*FIXED["carried"]), once, back).seconds


def test_a_move_reads_and_writes_on_one_disk():
    made = carried("restore", 1000, LINKS)
    (move,) = [one for one in by_script(made.ground, "restore", made.sequence.steps) if one.step.kind == "move"]
    bytes_ = 30 * GiB + ENDS
    path = Path((("target", RATES["target"]),))
    whole = added(within(*FIXED["moved"]), spent(2 * bytes_, path, SHARES), spent(bytes_, path, SHARES))
    assert _span(move, _taken(move)) == whole


def test_what_carries_nothing_takes_what_its_utilities_take():
    made = carried("straight", 1000)
    for one in by_script(made.ground, "straight", made.sequence.steps):
        if one.step.kind in ("table", "grow"):
            assert _span(one, _taken(one)) == within(*FIXED["larger" if one.step.kind == "grow" else "nothing"])
        if one.step.kind == "check" and not one.is_left:  # the records of files beside, a fortieth of what is used
            assert _span(one, _taken(one)).middle > within(*FIXED["looked at"]).middle
    unknown = carried("straight", 1000, disk=source(None))
    steps = by_script(unknown.ground, "straight", unknown.sequence.steps)
    copy = next(one for one in steps if one.step.kind == "copy" and one.step.row == 2)
    low, high = _span(copy, _taken(copy)).seconds
    assert (low, high > 100 * GiB // (550 * MB)) == (0, True)  # from nothing to all of it


@pytest.mark.parametrize(
    ("way", "again"),
    [
        ("straight", {"grow": "copy"}), ("shrink-first", {"shrink": "shrink", "grow": "copy"}),
        ("through-image", {"shrink": "copy", "grow": "copy"}),
    ],
)  # fmt: skip
def test_a_change_of_length_that_was_cut_off_begins_with_the_copy_before_it(way, again):
    for target in (120, 1000):
        steps = carried(way, target, facts=ALL).sequence.steps
        for index, step in enumerate(steps):
            number = again_from(steps, index)
            if step.kind not in again:
                assert number == index + 1
            else:
                found = steps[number - 1]
                assert (found.kind, found.row) == (again[step.kind], step.row)
                assert found.disk == step.disk


def test_a_restored_row_begins_with_the_backup():
    steps = carried("restore", 1000).sequence.steps
    grown = [index for index, step in enumerate(steps) if step.kind == "grow"]
    assert grown
    assert {again_from(steps, index) for index in grown} == {1}


def test_without_loop_devices_rows_take_their_whole_length():
    """One after the other where they pass through a file, all at once where they stand in an image."""
    made = carried("straight", 120)
    steps = by_script(made.ground, "straight", made.sequence.steps)
    assert whole_room(steps) == 100 * GiB > price_of(steps).workspace_bytes
    image = carried("through-image", 120)
    rows = 512 * MiB + 180 * GiB
    assert whole_room(by_script(image.ground, "through-image", image.sequence.steps)) == rows + 100 * GiB
    worn = carried("through-image", 1000, ALL.but(health="worn"))
    longest = max(row.size_bytes for row in worn.ground.plan.rows)
    steps = by_script(worn.ground, "through-image", worn.sequence.steps)
    assert whole_room(steps) == source().size_bytes + rows + longest


def test_a_way_that_is_not_possible_has_no_price():
    assert price_for(carried("straight", 120).ground, "restore") is None  # a backup comes out at the old sizes
    assert price_for(carried("straight", 1000).ground, "files") is None  # a system goes over


def test_packing_in_place_is_written_where_the_row_stands():
    disk = row_of(
        (100 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB, last_used_byte=30 * GiB), {"role": "data"}), label_gb=250
    )
    assert price("shrink-first", 64, disk=disk).write_bytes == 20 * GiB + ENDS + 2 * ENDS


def test_gaps_are_of_rows_that_change_their_length():
    assert list(gaps_of(carried("straight", 1000, disk=desk(), fit="same").ground, "straight")) == []


def test_an_encrypted_row_is_copied_whole_and_its_length_left_to_a_person():
    def sealed(**more):
        source = desk()
        return source.but(
            partitions=tuple(p.but(filesystem=p.filesystem.but(**more)) if p.number == 3 else p for p in source.rows)
        )

    plain = carried("straight", 480, disk=desk())
    made = carried("straight", 480, disk=sealed(encryption="active"))
    assert [number for number, _ in gaps_of(plain.ground, "straight")] == []
    assert [text for _, text in gaps_of(made.ground, "straight")] == [
        "Desk (3): encrypted NTFS cannot be made smaller here; its place of 201 GiB stays empty for its files."
    ]
    larger = carried("straight", 2000, disk=sealed(encryption="active"))
    families = {load.number: family_of(load) for load in larger.ground.loads}
    assert (families[3], families[4]) == ("other", "ntfs")


def test_where_an_image_lies_is_taken_for_granted_said_and_asked():
    """A folder on a hard disk takes longer; what is not known is the usual, and no range over everything."""
    usual, turning = (
        carried("through-image", 1000, ALL.but(source_link="sata", target_link="sata", workspace_medium=medium))
        for medium in ("unknown", "hard disk")
    )
    assert "the room for an image to be on a solid-state disk" in usual.times_from
    assert "room" not in turning.times_from
    assert turning.way.seconds[0] > usual.way.seconds[0]
    assert turning.way.seconds[1] > usual.way.seconds[1]
    low, high = usual.way.seconds
    assert high <= 3 * low
    straight = carried("straight", 1000, ALL)
    assert "room" not in straight.times_from
    asked = {question.kind.key for question in questions_of(usual.ground.plan, usual.ground.facts)}
    bare = {question.kind.key for question in questions_of(usual.ground.plan, usual.ground.facts.but(workspace=None))}
    assert "workspace_medium" in asked - bare
