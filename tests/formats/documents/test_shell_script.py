"""The script as text: what it needs, what it says, and its commands; run for real in tests/real."""

import pytest

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.compare import packed_bytes_of
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.documents.script_kinds import USUAL_TOOLS
from ylemorph.formats.documents.shell_script import script_of

ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes")


def script(source, way=None, target=480, facts=ALL, **options):
    return script_of(carry_out(make_plan(source, nominal_disk(target * GB), Options(**options)), facts, way))


def setting(text, name):
    """What the script sets ``name`` to."""
    (line,) = [line for line in text.splitlines() if line.startswith(f"{name}=") or f" {name}=" in line.split("#")[0]]
    return line.split(f"{name}=", 1)[1].split(" ")[0]


def linux(swap):
    return row_of(
        (512 * MiB, EFI_SYSTEM, fs("fat32", 40 * MiB)),
        (100 * GiB, LINUX_DATA, fs("ext4", 20 * GiB), {"role": "system"}),
        (8 * GiB, LINUX_DATA, swap, {"role": "swap"}), label_gb=250,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("swap", "command"),
    [
        (fs("swap", uuid="5c0e1a2b-0001", label="over flow"), "mkswap -U '5c0e1a2b-0001' -L 'over flow'"),
        (fs("swap", label="it's"), "mkswap -L 'it'\\''s'"), (fs("swap"), "mkswap"),
    ],
)  # fmt: skip
def test_swap_is_made_anew_with_its_own_names(swap, command):
    lines = [line.strip() for line in script(linux(swap), target=120).splitlines()]
    assert [line for line in lines if line.startswith("make_there 3 ") and line.endswith(f" {command}")]


def test_room_is_what_stands_in_work_files_at_once():
    """Straight across a row that shrinks is made smaller at its place, where the target has room for its old length
    behind it; through an image each row stands in a file of what is used of it, as long as it is needed."""
    rows = {row.number: row for row in make_plan(desk(), nominal_disk(480 * GB), Options()).rows}
    ends = 2 * MiB

    def room(*given, **more):
        return int(setting(script(*given, **more), "ROOM"))

    def packed(number):
        """Not known of any row of this disk: no more than is used, and than is taken off."""
        row = rows[number]
        assert row.row.fs is None or row.kind != "ntfs" or packed_bytes_of(row) in (0, None)
        return min(used(number), row.source_bytes - row.size_bytes) if packed_bytes_of(row) is None else 0

    def used(number):
        kind = rows[number].kind
        return rows[number].row.fs.used_bytes + ends if kind == "ntfs" else rows[number].source_bytes

    assert room(desk(), "straight") == used(4) + packed(4)  # no room for its old length behind it
    assert room(desk(), "through-image") == used(3) + packed(3)  # one after the other, the larger one
    apart = room(desk(), "through-image", facts=ALL.but(both_attached="no"))
    carried = [number for number in rows if number != 2]
    assert apart == sum(used(number) + packed(number) for number in carried)
    whole = room(desk(), "through-image", facts=ALL.but(health="worn"))
    assert whole > desk().size_bytes
    assert room(desk(), "shrink-first") == 0
    assert room(desk(), "straight", target=2000) == 0


def test_utilities_are_those_that_the_steps_use():
    def tools(*given, **more):
        line = next(line for line in script(*given, **more).splitlines() if line.startswith("TOOLS="))
        return line.removeprefix("TOOLS=").strip("'").split()

    usual = {*USUAL_TOOLS, "ntfscat", "ntfsinfo", "ntfs-3g.probe"}
    assert tools(desk(), "straight") == sorted({*usual, "ntfsresize"})
    assert tools(desk(), "straight", target=1000, fit="same") == sorted(usual)  # nothing gets another length
    assert tools(linux(fs("swap")), target=120) == sorted({*USUAL_TOOLS, "dumpe2fs", "e2fsck", "mkswap", "resize2fs"})


def test_what_the_utilities_cannot_do_is_left_and_said():
    source = row_of(
        (50 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB), {"role": "system"}),
        (150 * GiB, BASIC_DATA, fs("btrfs", 40 * GiB, size_bytes=150 * GiB), {"role": "data"}), label_gb=250,
    )  # fmt: skip
    smaller = script(source, "straight", target=120)
    assert "cannot be made smaller here; its place of" in smaller
    assert "(left for you)" in smaller
    larger = script(source, "straight", target=500)
    assert "cannot be made larger here; it is copied and fills" in larger
    copied = [line for line in larger.splitlines() if line.startswith("copy_row ")]
    assert len(copied) == 2  # both rows go over whole; what cannot grow stays as long as it is


def test_a_plan_without_a_way_has_no_script():
    with pytest.raises(BadOption, match="no way"):
        script(desk(), target=120)


WAY_SETTINGS = ("FINISHES", "SOURCE_NEEDED", "SOURCE_CHANGES", "BRINGS_ID", "CONFIRMED", "HELD_ROWS")


@pytest.mark.parametrize(
    ("way", "told"),
    [
        ("straight", "no yes no no no ''"),
        ("through-image", "no yes no no no ''"),
        ("shrink-first", "no yes yes no no ''"),
        ("restore", "no yes no yes no ''"),
    ],
)
def test_what_the_script_knows_of_its_way(way, told):
    text = script(desk(), way, target=2000 if way == "restore" else 480)
    assert " ".join(setting(text, name) for name in WAY_SETTINGS) == told


@pytest.mark.parametrize(("missing", "needed"), [(True, "yes"), (False, "no")])
def test_a_script_that_finishes_knows_what_stands_there(missing, needed):
    """Rows of the plan alone need no confirming; a stranger beside them does. The source only where one is missing."""
    row = (GiB, BASIC_DATA, fs(used=MiB), {"role": "data"})
    plan = make_plan(row_of(row, row, row, label_gb=120), nominal_disk(240 * GB), Options(fit="same"))
    first, second, third = plan.source.rows
    moved = third.but(first_lba=third.first_lba + 8192)
    held = (first, moved) if missing else (first, second, moved)

    def told(*partitions):
        there = plan.target.but(table="gpt", partitions=partitions)
        text = script_of(carry_out(plan, ALL.but(found_right="yes"), "finish", there=there))
        return [setting(text, name) for name in WAY_SETTINGS[:5]]

    assert told(*held) == ["yes", needed, "no", "no", "yes"]
    stranger = first.but(number=9, first_lba=moved.first_lba + 4 * 2**21, uuid="OTHER", filesystem=fs("ext4", MiB))
    assert told(*held, stranger) == ["yes", needed, "no", "no", "no"]


def test_begun_anew_after_a_look_back_it_asks_for_the_target():
    """What was found there serves a way that finishes from it, no other."""
    plan = make_plan(desk(), nominal_disk(480 * GB), Options())
    there = plan.target.but(table="gpt", partitions=plan.source.rows[:2])
    texts = [script_of(carry_out(plan, ALL, "straight", there=looked)) for looked in (None, there)]
    for text in texts:
        assert [setting(text, name) for name in WAY_SETTINGS] == ["no", "yes", "no", "no", "no", "''"]


@pytest.mark.parametrize(("way", "said"), [("files", True), ("straight", False)])
def test_what_a_way_by_files_would_let_one_expect_is_said(way, said):
    source = row_of((100 * GiB, BASIC_DATA, fs("ntfs", 20 * GiB), {"role": "data"}), label_gb=480)
    assert ("File systems go over as they are" in script(source, way)) is said


@pytest.mark.parametrize(("state", "whole"), [("good", False), ("worn", True), ("failing", True)])
def test_a_worn_source_is_said_to_be_read_whole(state, whole):
    text = script(desk(), "through-image", facts=ALL.but(health=state))
    assert ("The source is read whole, past read errors." in text) is whole


def test_what_stands_before_the_first_row_comes_out_of_a_backup_with_it():
    """On an old disk 63 sectors: the table, and the code that starts it."""
    rows = [part(n, first, 20 * GiB, "0x07", fs(used=GiB), role="data") for n, first in ((1, 63 * 512), (2, 60 * GiB))]
    source = disk(120 * GB // 512, *rows, table="mbr")
    assert "  echo 0 32256\n" in script(source, "restore", target=240)
