"""Two listings of one disk, numbers typed by hand, and a survey put right."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.make import changed, desk, disk, fs, job_of, part, row_of
from ylemorph.core.disk.health import judged
from ylemorph.core.disk.listing import complete_listing, merge
from ylemorph.core.disk.model import Disk, Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadSurvey
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.source_rows import look_at
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.listings.lightened import read_lightened
from ylemorph.formats.listings.typed_rows import TypedRow, plain_number, typed_disk

NO_FIGURES = {"hours": 9, "reallocated": None, "pending": None, "worn": None}


def without_used(source):
    return disk(
        source.sectors,
        *(p.but(filesystem=p.filesystem and p.filesystem.but(used_bytes=None)) for p in source.partitions),
    )


def test_a_second_listing_fills_what_the_first_leaves_open():
    merged = merge(Survey(without_used(desk())), Survey(desk(model="Brindle K4")))
    assert merged.survey.disk == desk(model="Brindle K4")
    assert merged.conflicts == ()


def test_what_names_a_row_is_kept_and_filled():
    """A name, an identity, a role: the first listing's own stands, the second gives what is missing; marks add up."""
    names = {"name": "Basic", "uuid": "R-1", "role": "data", "flags": frozenset(("required",))}
    others = {"name": "Other", "uuid": "R-2", "role": "system", "flags": frozenset(("hidden",))}

    def row(**named):
        return Survey(disk(10**9, part(1, MiB, GiB, BASIC_DATA, fs(used=MiB), **named)))

    for first, second, wanted in ((names, others, names), ({}, others, others), (names, {}, names)):
        (got,) = merge(row(**first), row(**second)).survey.disk.partitions
        assert (got.name, got.uuid, got.role) == (wanted["name"], wanted["uuid"], wanted["role"])
        assert got.flags == first.get("flags", frozenset()) | second.get("flags", frozenset())


def test_conflicts_are_said_and_the_second_is_taken():
    merged = merge(Survey(desk()), Survey(desk(used_system=140 * GiB)))
    assert merged.survey.disk.partitions[2].filesystem.used_bytes == 140 * GiB
    assert merged.conflicts == (
        "Partition 3: the used space was 131 GiB and is 140 GiB in the second listing, which is taken.",
    )


def test_listings_of_two_disks_do_not_merge():
    with pytest.raises(BadSurvey, match="none of its partitions"):
        merge(Survey(desk()), Survey(disk(10**9, part(7, 5 * MiB + 512, GiB))))


def test_facts_alone_go_to_the_same_disk():
    """A listing without rows: by serial, whatever size it gives; without serials by size."""
    first = desk(serial="BK4-0001")
    bare = disk(first.sectors - 8, serial="BK4-0001", health=judged(passed=True, **NO_FIGURES))
    assert merge(Survey(first), Survey(bare)).survey.disk.health.state == "good"
    with pytest.raises(BadSurvey, match="another disk"):
        merge(Survey(first), Survey(bare.but(serial="BK4-0002")))
    with pytest.raises(BadSurvey, match="another disk"):
        merge(Survey(desk()), Survey(bare.but(serial="")))
    assert merge(Survey(desk()), Survey(bare.but(serial="", sectors=first.sectors))).survey.disk.health


def test_logicals_are_those_inside_the_extended_one():
    """Some listings give the extended partition the size of its first record, and none says what is logical."""
    rows = [part(1, MiB, GiB, "0x07"), part(2, 2 * GiB, GiB, "0x0F"), part(5, 2 * GiB + MiB, GiB // 2, "0x07"),
            part(6, 3 * GiB, GiB, "0x07")]  # fmt: skip
    made = complete_listing("Till", Disk(10**9, table="mbr", partitions=tuple(rows))).survey.disk
    assert [p.logical for p in made.partitions] == [False, False, True, True]
    assert made.partitions[1].extent.stop == made.partitions[3].extent.stop
    flat = complete_listing("Till", Disk(10**9, table="mbr", partitions=tuple(rows[:1]))).survey.disk
    assert flat.partitions == (rows[0],)


@pytest.mark.parametrize(("number", "known"), [(0, False), (1, True), (9999, True), (10_000, False)])
def test_numbers_of_partitions(number, known):
    one = Disk(10**9, table="gpt", partitions=(part(number, MiB, GiB),))
    if known:
        assert complete_listing("Desk", one).survey.disk.partitions[0].number == number
    else:
        with pytest.raises(BadSurvey, match="no number of a partition"):
            complete_listing("Desk", one)


def test_matching_by_number_where_the_starts_are_not_known():
    """A typed table lays its rows one after the other; number and size tell which is which."""
    first = desk()
    typed = typed_disk([TypedRow("510 GiB", "96 GiB", number="4"), TypedRow("420 GiB", "100 GiB", number="3")])
    merged = merge(Survey(without_used(first)), typed.survey)
    assert merged.survey.disk.partitions[2].filesystem.used_bytes == 100 * GiB
    assert merged.survey.disk.partitions[3].filesystem.used_bytes == 96 * GiB


# --- Quick typing ----------------------------------------------------------------------------------------------------


def test_size_and_used_are_enough_for_a_verdict():
    found = typed_disk(
        [TypedRow("260 MiB"), TypedRow("420", "131"), TypedRow("510", "96"), TypedRow("980 MiB", "572 MiB")]
    )
    source = found.survey.disk
    assert [p.role for p in source.partitions] == ["start", "system", "data", "recovery"]
    assert source.size_bytes == nominal_disk(1000 * GB).size_bytes
    assert "taken as 1 TB" in found.missing[0]
    assert make_plan(source, nominal_disk(480 * GB), Options()).verdict == "comfortable"


@pytest.mark.parametrize(
    ("rows", "roles"),
    [
        ([TypedRow("676", "100")], [None]),  # one large partition: system or data, the user is asked
        ([TypedRow("100 MiB"), TypedRow("16 MiB"), TypedRow("118", "104"), TypedRow("700 MiB", "505 MiB")],
         ["start", "reserved", "system", "recovery"]),
        ([TypedRow("512 MiB"), TypedRow("60", "21", "ext4"), TypedRow("8", "", "swap")], ["start", "system", "data"]),
        ([TypedRow("60", "21", role="data"), TypedRow("60", "21", role="system")], ["data", "system"]),
    ],
)  # fmt: skip
def test_roles_are_proposed(rows, roles):
    assert [p.role for p in typed_disk(rows).survey.disk.partitions] == roles


def test_more_than_four_rows_of_an_mbr_become_logicals():
    found = typed_disk([TypedRow("1", "0.5")] * 6, table="mbr").survey.disk
    assert [(p.number, p.logical) for p in found.rows] == [(n, n > 4) for n in (1, 2, 3, 5, 6, 7)]
    assert make_plan(found, nominal_disk(120 * GB), Options()).verdict != "does-not-fit"


@pytest.mark.parametrize(
    ("rows", "size", "words"),
    [
        ([], "", "no rows yet"),
        ([TypedRow("", "131")], "", "rows[0].size: the size is missing"),
        ([TypedRow("420", "430")], "", "more is used than it holds"),
        ([TypedRow("420", "12 parsecs")], "", "rows[0].used"),
        ([TypedRow("420", "110%")], "", "more is used"),
        ([TypedRow("420", "421 free")], "", "more is free"),
        ([TypedRow("420", filesystem="zfs9")], "", "is no file system"),
        ([TypedRow("420", role="king")], "", "is no role"),
        ([TypedRow("420", number="x")], "", "is no number"),
        ([TypedRow("420"), TypedRow("1", number="1")], "", "already taken"),
        ([TypedRow("420", "1")], "240GB", "past the disk's end"),
        ([TypedRow("420", "1")], "many", "is not a size"),
        ([TypedRow("1")] * 129, "", "more than the 128"),
    ],
)
def test_rows_that_cannot_be(rows, size, words):
    with pytest.raises(BadSurvey) as caught:
        typed_disk(rows, size=size)
    assert words in caught.value.sentence()


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("420 GiB", "420 GiB"), ("131.5", "131.5"), ("131,5 GB", "131.5 GB"), ("1.234,5 GB", "1234.5 GB"),
        ("1,234.5 GB", "1234.5 GB"), ("1 234,5", "1234.5"), ("1\u202f234", "1234"), ("1'234'567", "1234567"),
        ("1.234.567", "1234567"), ("abc", "abc"),
    ],
)  # fmt: skip
def test_numbers_of_other_countries(text, expected):
    assert plain_number(text, "x") == expected


def test_a_number_that_could_be_either_is_asked_for():
    with pytest.raises(BadSurvey, match=r"131\.072 or 131072"):
        plain_number("131,072", "x")


@pytest.mark.parametrize(
    ("beside", "asked"),
    [
        ("465,2 GiB", True), ("1.234,567 GB", True), ("0,5 TiB", True),
        ("465.2 GiB", False), ("131,072.5 MiB", False), ("465 GiB", False),
    ],
)  # fmt: skip
def test_a_point_beside_decimal_commas_is_asked_about(beside, asked):
    rows = [TypedRow(beside), TypedRow("1.024 GiB")]
    listed = f"{beside} films\n1.024 GiB scans"
    if asked:
        for read in (lambda: typed_disk(rows), lambda: read_lightened(listed)):
            with pytest.raises(BadSurvey, match=r"1\.024 or 1024"):
                read()
        assert typed_disk([TypedRow(beside), TypedRow("1.024,0 GiB")]).survey.disk.partitions[1].sectors == 2**31
    else:
        assert typed_disk(rows).survey.disk.partitions[1].sectors * 512 == 1.024 * GiB // 512 * 512
        assert read_lightened(listed)[1].bytes == 1024 * GiB // 1000


@given(st.lists(st.tuples(st.integers(1, 900), st.integers(0, 100)), min_size=1, max_size=20))
def test_what_is_typed_is_what_stands_there(rows):
    source = typed_disk([TypedRow(f"{size} MiB", f"{share}%") for size, share in rows]).survey.disk
    assert [p.sectors * 512 for p in source.rows] == [size * MiB for size, _ in rows]
    assert all(p.first_lba % 2048 == 0 for p in source.rows)


# --- Put right by hand -----------------------------------------------------------------------------------------------


def on_desk(disk=None, **data):
    return changed(job_of(disk or desk()), **data)


def test_used_space_typed():
    made = on_desk(without_used(desk()), kind="used", row=3, text="31%")
    fs = made.state.source.disk.partitions[2].filesystem
    assert (fs.used_bytes, fs.used_kind) == (420 * GiB * 31 // 100, "typed")
    assert made.sentence == "Used space of Desk (3) typed as 130 GiB"
    with pytest.raises(BadSurvey, match="more than the partition's 420 GiB"):
        on_desk(kind="used", row=3, text="421")


@pytest.mark.parametrize("text", ["", "5 GiB"])
def test_used_space_typed_where_there_is_no_file_system_lets_nothing_shrink(text):
    """Rules 3 and 4.1: a figure tells nothing of the kind."""
    source = row_of((20 * GiB, BASIC_DATA, None, {"role": "data"}))
    made = changed(job_of(source), kind="used", row=1, text=text).state
    fs = made.source.disk.partitions[0].filesystem
    assert fs is None or fs.kind == "unknown"
    assert not make_plan(*made.pair, Options()).rows[0].elastic


def test_the_immovable_end_binds_and_is_cleared():
    """A partition with 80 GiB used that will not go under 540 (common practice, no source)."""
    source = row_of((676 * GiB, BASIC_DATA, fs(used=80 * GiB), {"role": "system"}), label_gb=1000)
    job = job_of(source, "512GB")
    assert make_plan(*job.pair, Options()).verdict == "comfortable"
    fixed = changed(job, kind="immovable", row=1, text="540").state
    plan = make_plan(*fixed.pair, Options())
    assert plan.verdict == "does-not-fit"
    assert 63 * GiB < plan.shortfall_bytes < 64 * GiB
    assert "cannot go under 540 GiB" in look_at(fixed.source.disk, Options())[0].sentence()
    assert changed(fixed, kind="immovable", row=1, text="").state == job


def test_the_lightening_list():
    text = "39728447488\t/home/old videos\nold machines: 20 GiB\n12GiB scans\n"
    made = on_desk(kind="lightened", row=3, text=text).state
    items = made.source.disk.partitions[2].filesystem.lightened
    assert [(i.name, i.bytes) for i in items] == [
        ("/home/old videos", 39_728_447_488), ("old machines", 20 * GiB), ("scans", 12 * GiB),
    ]  # fmt: skip
    assert make_plan(*made.pair, Options()).rows[2].free_after_bytes is not None
    with pytest.raises(BadSurvey, match="more than the 131 GiB used"):
        changed(made, kind="lightened", row=3, text="everything 132 GiB")
    with pytest.raises(BadSurvey, match="line 2"):
        read_lightened("a 1 GiB\nno size here")


def test_the_size_of_the_disk_typed():
    made = on_desk(kind="disk-size", size="2TB").state
    assert made.source.disk.sectors == 3_907_029_168
    with pytest.raises(BadSurvey, match="past the disk's end"):
        changed(made, kind="disk-size", size="240GB")


def test_nothing_used_is_a_fact_and_not_unknown():
    """Two listings: the second says that a row is empty."""
    first = Survey(row_of((20 * GiB, BASIC_DATA, fs(used=GiB, used_kind="typed"))))
    second = Survey(row_of((20 * GiB, BASIC_DATA, fs(used=0, used_kind="counted"))))
    merged = merge(first, second)
    found = merged.survey.disk.partitions[0].filesystem
    assert (found.used_bytes, found.used_kind) == (0, "counted")
    assert len(merged.conflicts) == 1
    back = merge(second, Survey(row_of((20 * GiB, BASIC_DATA, fs(used=None))))).survey.disk.partitions[0].filesystem
    assert back.used_bytes == 0


def test_a_partition_of_another_size_is_not_the_same():
    """About the same is within a hundredth, or a MiB for small ones; start goes before number."""

    def other(*parts):
        return merge(Survey(one), Survey(disk(one.sectors, *parts))).conflicts

    one = disk(10**8, part(1, MiB, 10 * GiB, filesystem=fs(used=GiB)), part(2, 11 * GiB, 20 * MiB))
    gone = ("Partition 2 is not in the second listing and stays as it was.",)
    assert other(part(1, MiB, 10 * GiB), part(2, 11 * GiB, 21 * MiB)) == ()
    assert other(part(1, MiB, 10 * GiB), part(2, 11 * GiB, 22 * MiB)) == gone
    assert other(part(1, MiB, 10 * GiB + 100 * MiB), part(7, 11 * GiB, 20 * MiB)) == ()
    assert other(part(1, MiB, 10 * GiB - 103 * MiB), part(2, 11 * GiB, 20 * MiB)) == (
        "Partition 1 is not in the second listing and stays as it was.",
    )
