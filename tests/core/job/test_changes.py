"""Sizes as typed, and changes one at a time."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.make import apply_change, changed, desk, sources, targets
from tests.scenes import till
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption, BadSize, OutOfBounds, YlemorphError
from ylemorph.core.fit.compare import compare_plans
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.remedies import Remedy
from ylemorph.core.job.amendments import SetImmovableEnd
from ylemorph.core.job.bench_changes import SetFact
from ylemorph.core.job.changes import apply
from ylemorph.core.job.disk_changes import Describe, SetSource
from ylemorph.core.job.mending import change_for
from ylemorph.core.job.row_changes import ClearEnd, HoldRow
from ylemorph.core.job.state import JobState, Pair, SizedTarget
from ylemorph.core.sizes import GB, Bytes, GiB, MiB
from ylemorph.formats.own.changes import CHANGE_KINDS, RowFigures, row_size
from ylemorph.formats.own.options import options_from, options_to_data

FIGURES = RowFigures(200 * GiB, 400 * GiB, 100 * GiB, 102 * GiB, 115 * GiB, 440 * GiB, 512)
PAIR = Pair(desk(), nominal_disk(480 * GB))


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("240GiB", 240 * GiB), ("513 MiB", 513 * MiB), ("201.5", 201 * GiB + GiB // 2), ("+20G", 220 * GiB),
        ("- 20G", 180 * GiB), ("-5%", 190 * GiB), ("+10 %", 220 * GiB), ("50%", 220 * GiB), ("used+30%", 130 * GiB),
        ("used + 20GiB", 120 * GiB), ("floor", 102 * GiB), ("FLOOR+1G", 103 * GiB), ("comfort", 115 * GiB),
        ("source-50%", 200 * GiB), ("2048s", MiB), (" used ", 100 * GiB),
    ],
)  # fmt: skip
def test_expressions(text, expected):
    assert row_size(text, FIGURES) == expected


@pytest.mark.parametrize(
    "text", ["", "++5", "12 parsecs", "-1000GiB", "used 5", "5+5", "floor*2", "+", "rest", "-100%", "=5", "used+x"]
)
def test_expressions_without_sense(text):
    with pytest.raises(BadSize) as caught:
        row_size(text, FIGURES)
    assert caught.value.mend


def test_a_word_whose_figure_is_not_known():
    unknown = RowFigures(None, GiB, None, None, None, GiB, 512)
    for text in ("used", "floor+1G", "+1G"):
        with pytest.raises(BadSize, match="not known"):
            row_size(text, unknown)


DEFAULTS = Options()


def change(kind, options=DEFAULTS, **fields):
    return apply_change(PAIR, options, {"kind": kind, **fields})


@pytest.mark.parametrize(
    ("kind", "fields", "sentence"),
    [
        ("fit", {"fit": "snug"}, "Fit set to Snug"),
        ("pin", {"row": 3, "size": "240GiB"}, "Desk pinned at 240 GiB"),
        ("pin", {"row": 3, "size": "rest"}, "Desk takes the rest"),
        ("grow", {"row": 4}, "Catalogue takes the rest"),
        ("leave", {"rows": [4]}, "Catalogue left behind"),
        ("leave", {"rows": [4, 5]}, "Catalogue and Recovery left behind"),
        ("carry", {"row": 4}, "Catalogue carried again"),
        ("hold", {"row": 4}, "Catalogue held at its source size"),
        ("release", {"row": 5}, "Recovery may change its size"),
        ("drag", {"row": 3, "size": 210 * GiB}, "Desk drawn to 210 GiB, Catalogue to 236 GiB"),
        ("unpin", {"row": 3}, "Desk no longer pinned"),
        ("role", {"row": 4, "role": "tools"}, "Catalogue is tools"),
        ("lighten", {"row": 4, "size": "20GiB"}, "Catalogue lightened by 20 GiB"),
        ("growth", {"row": 4, "size": "20GiB"}, "Catalogue grows by 20 GiB a year"),
        ("growth", {"row": 4, "size": ""}, "Catalogue grows as its surveys tell"),
        ("cleared", {"row": 3}, "Immovable end of Desk cleared"),
        ("headroom", {"value": "20"}, "Headroom set to 20 %"),
        ("tail", {"value": "10GiB"}, "Tail reserve set to 10GiB"),
        ("free-after", {"value": 3}, "Free space after row 3"),
        ("table", {"value": "gpt"}, "Table set to gpt"),
        ("identity", {"value": "new"}, "Identity set to new"),
        ("table", {"value": "keep"}, "Table kept"),
        ("free-after", {"value": ""}, "Free space at the end"),
        ("grain", {"value": "4MiB"}, "Grain set to 4MiB"),
        ("order", {"value": [4, 3]}, "Order set to [4, 3]"),
        ("move", {"row": 4, "places": -1}, "Catalogue moved before Desk"),
        ("headroom-system", {"value": "10GiB"}, "Headroom of system rows at least 10GiB"),
        ("headroom-data", {"value": "1GiB"}, "Headroom of data rows at least 1GiB"),
        ("firmware", {"value": "uefi"}, "Machine starts in uefi mode"),
        ("reset", {}, "Everything set by hand taken back"),
        ("fact", {"fact": "workspace", "value": "300GiB"}, "Workspace of 300GiB"),
        ("fact", {"fact": "backup", "value": None}, "Not known whether there is a backup"),
        ("way", {"way": "through-image"}, "Through an image is the way"),
        ("way", {"way": None}, "The proposed way is taken"),
    ],
)
def test_each_change_has_its_sentence(kind, fields, sentence):
    assert change(kind, **fields).sentence == sentence


def test_the_table_above_misses_none():
    table = next(mark for mark in test_each_change_has_its_sentence.pytestmark if mark.name == "parametrize")
    about_disks = {"describe", "source", "target", "confirm", "disk-size", "used", "immovable", "lightened"}
    about_disks |= {"same-disk", "in-place"}
    assert {case[0] for case in table.args[1]} == set(CHANGE_KINDS) - about_disks


@pytest.mark.parametrize(
    ("kind", "fields", "error"),
    [
        ("nonsense", {}, BadOption),
        ("drag", {"row": 2}, BadOption),
        (None, {}, BadOption),
        ("fit", {"fit": "wide"}, BadOption),
        ("pin", {"row": 9, "size": "1GiB"}, BadOption),
        ("pin", {"row": 3, "size": "1GiB"}, OutOfBounds),
        ("pin", {"row": 3, "size": "200%"}, OutOfBounds),
        ("pin", {"row": 3}, BadOption),
        ("pin", {"row": 2, "size": "++5"}, BadSize),
        ("release", {"row": 2}, None),
        ("role", {"row": 3, "role": "king"}, BadOption),
        ("lighten", {"row": 3, "size": "much"}, YlemorphError),
        ("headroom", {"value": "a lot"}, BadOption),
        ("tail", {"value": "900GiB"}, BadOption),
        ("grain", {"value": "3"}, BadOption),
        ("free-after", {"value": 77}, BadOption),
        ("table", {"value": "mbr"}, BadOption),
        ("leave", {"rows": []}, BadOption),
        ("headroom", {"value": "1e999990"}, BadOption),
        ("pin", {"row": 3, "size": "9" * 60}, YlemorphError),
        ("drag", {"row": 3, "size": 10**400}, BadOption),
    ],
)
def test_changes_that_cannot_be_made(kind, fields, error):
    if error is None:
        assert change(kind, **fields)
        return
    with pytest.raises(error):
        change(kind, **fields)


def test_pins_that_together_exceed_the_target_are_refused_with_the_bound():
    first = change("pin", row=3, size="300GiB").options
    with pytest.raises(OutOfBounds) as caught:
        change("pin", first, row=4, size="200GiB")
    most = caught.value.bound_bytes
    fitting = change("pin", first, row=4, size=f"{most}B").options
    assert make_plan(*PAIR, fitting).verdict != "does-not-fit"
    with pytest.raises(OutOfBounds):
        change("pin", first, row=4, size=f"{most + MiB}B")


def test_a_pin_lets_a_held_row_go_and_holding_takes_the_pin_out():
    held = change("hold", row=4).options
    pinned = change("pin", held, row=4, size="120GiB").options
    assert (pinned.hold, dict(pinned.pins)) == (frozenset(), {4: 120 * GiB})
    assert change("leave", change("grow", row=4).options, rows=[4]).options.grow is None


def drawn(row, size, options=DEFAULTS, **more):
    changed = apply_change(PAIR, options, {"kind": "drag", "row": row, "size": size, **more})
    return {r.number: r for r in make_plan(*PAIR, changed.options).rows}, changed.stopped


@given(st.sampled_from((3, 4)), st.integers(0, 2**40), st.booleans(), st.sampled_from(("proportional", "snug")))
def test_a_drag_never_breaks_a_bound(row, size, alone, fit):
    try:
        rows, stopped = drawn(row, size, Options(fit=fit), alone=alone)
    except OutOfBounds:
        assert alone  # the others follow the fit, and there is a most that they can give
        return
    for one in rows.values():
        if one.elastic:
            assert one.hard_floor_bytes <= one.size_bytes <= one.ceiling_bytes
    reached = rows[row].size_bytes
    assert bool(stopped) or abs(reached - size) <= MiB


def test_neighbours_share_a_drag_and_it_stops_at_their_floors():
    before = make_plan(*PAIR, Options())
    together = before.row(3).size_bytes + before.row(4).size_bytes
    rows, stopped = drawn(3, 210 * GiB)
    assert (rows[3].size_bytes, rows[4].size_bytes, stopped) == (210 * GiB, together - 210 * GiB, "")
    rows, stopped = drawn(3, 500 * GiB)
    assert (rows[4].size_bytes, stopped) == (rows[4].hard_floor_bytes, "Catalogue stops at its hard floor")
    rows, stopped = drawn(3, 0)
    assert (rows[3].size_bytes, stopped) == (rows[3].hard_floor_bytes, "Desk stops at its hard floor")


def test_the_last_row_takes_free_space_and_no_more():
    rows, stopped = drawn(4, 2**42, Options(fit="snug"))
    assert stopped == "There is no more free space"
    assert sum(row.size_bytes for row in rows.values()) == make_plan(*PAIR, Options()).frame.usable_bytes


STEPS = st.lists(
    st.one_of(
        st.fixed_dictionaries({"kind": st.just("fit"), "fit": st.sampled_from(("same", "snug", "even-fill"))}),
        st.fixed_dictionaries({"kind": st.just("leave"), "rows": st.lists(st.integers(1, 5), min_size=1, max_size=2)}),
        st.fixed_dictionaries(
            {"kind": st.sampled_from(("carry", "hold", "release", "grow", "unpin")), "row": st.integers(1, 5)}
        ),
        st.fixed_dictionaries(
            {
                "kind": st.sampled_from(("pin", "lighten")),
                "row": st.integers(1, 5),
                "size": st.sampled_from(("floor", "comfort+5G", "used+30%", "+1G", "150GiB", "20G")),
            }
        ),
        st.fixed_dictionaries({"kind": st.just("tail"), "value": st.sampled_from(("", "5GiB", "10%"))}),
    ),
    max_size=8,
)


@given(STEPS)
def test_whatever_is_done_the_options_are_kept_whole(steps):
    options = Options()
    for step in steps:
        try:
            options = apply_change(PAIR, options, step).options
        except YlemorphError:
            continue
        assert options_from(options_to_data(options), *PAIR) == options
        assert make_plan(*PAIR, options)


# --- The order of the rows -------------------------------------------------------------------------------------------


def order_of(pair, options):
    rows = make_plan(pair.source, pair.target, options).rows
    placed = sorted((row.first_lba, row.number) for row in rows if row.first_lba is not None)
    return [number for _, number in placed]


def test_rows_are_moved_and_moved_back():
    pair = Pair(desk(), nominal_disk(480 * GB))
    changed = apply_change(pair, Options(), {"kind": "move", "row": 5, "places": -1})
    assert changed.sentence == "Recovery moved before Catalogue"
    assert order_of(pair, changed.options) == [1, 2, 3, 5, 4]
    assert apply_change(pair, changed.options, {"kind": "move", "row": 5, "places": 9}).options == Options()


@pytest.mark.parametrize(("row", "value", "words"), [(1, -1, "is the first row already"), (5, 1, "is the last row")])
def test_a_row_at_the_end_cannot_go_further(row, value, words):
    with pytest.raises(BadOption, match=words):
        apply_change(Pair(desk(), nominal_disk(480 * GB)), Options(), {"kind": "move", "row": row, "places": value})


@given(sources(), st.lists(st.tuples(st.integers(0, 6), st.integers(-7, 7)), max_size=8))
def test_moving_never_loses_or_doubles_a_row(source, moves):
    pair, options = Pair(source, nominal_disk(4000 * GB)), Options(fit="snug")
    numbers = [p.number for p in source.rows]
    for place, steps in moves:
        try:
            options = apply_change(
                pair, options, {"kind": "move", "row": numbers[place % len(numbers)], "places": steps}
            ).options
        except BadOption:
            continue
    assert sorted(order_of(pair, options)) in ([], sorted(numbers))


# --- Two plans side by side ------------------------------------------------------------------------------------------


def test_two_plans_compared():
    source, target = desk(), nominal_disk(480 * GB)
    first = make_plan(source, target, Options())
    second = make_plan(source, target, Options(leave=frozenset((5,)), fit="snug"))
    found = compare_plans(first, second)
    assert [f.code for f in found.gained] == ["recovery-left-behind", "space-left-over"]
    assert found.lost == ()
    last = found.rows[-1]
    assert (last.changes, last.sizes[1]) == (("holds", "left"), None)
    assert found.first.carried_bytes - found.second.carried_bytes == 572 * MiB
    assert found.first.packed_bytes is None  # without a usage map it is not known
    assert found.second.open_bytes > found.first.open_bytes


@given(sources(), targets())
def test_a_plan_compared_with_itself_differs_in_nothing(source, target):
    plan = make_plan(source, target, Options())
    found = compare_plans(plan, plan)
    assert found.gained == found.lost == ()
    assert found.first == found.second
    assert all(row.sizes[0] == row.sizes[1] for row in found.rows)


def amended(**sent):
    state = changed(JobState(source=Survey(desk())), **sent).state
    return {p.number: p.filesystem for p in state.source.disk.partitions}


def test_a_fact_put_right_is_that_of_one_row_alone():
    before = {p.number: p.filesystem for p in desk().partitions}
    used = amended(kind="used", row=3, text="100 GiB")
    assert (used[3].used_bytes, used[3].used_kind) == (100 * GiB, "typed")
    assert {n: fs for n, fs in used.items() if n != 3} == {n: fs for n, fs in before.items() if n != 3}
    fixed = amended(kind="immovable", row=4, text="120 GiB")
    assert (fixed[4].immovable_end_byte, fixed[3]) == (120 * GiB, before[3])
    lighter = amended(kind="lightened", row=3, text="40 GiB pictures")
    assert (sum(item.bytes for item in lighter[3].lightened), lighter[4]) == (40 * GiB, before[4])


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ({"kind": "lightened", "row": 2, "text": "5 GiB x"}, "used space of partition 2 is not known"),
        ({"kind": "lightened", "row": 3, "text": "500 GiB x"}, "are more than the"),
        ({"kind": "used", "row": 3, "text": "421 GiB"}, "more than the partition"),
        ({"kind": "immovable", "row": 3, "text": "421 GiB"}, "past the partition's end"),
        ({"kind": "used", "row": 9, "text": "1 GiB"}, "no partition 9"),
    ],
)
def test_facts_that_cannot_be(sent, words):
    with pytest.raises(YlemorphError, match=words):
        amended(**sent)


def test_bounds_of_facts_are_still_possible():
    assert amended(kind="used", row=3, text="420 GiB")[3].used_bytes == 420 * GiB
    assert amended(kind="immovable", row=3, text="420 GiB")[3].immovable_end_byte == 420 * GiB
    assert amended(kind="lightened", row=3, text="131 GiB all")[3].lightened[0].bytes == 131 * GiB
    assert amended(kind="immovable", row=3, text="0")[3].immovable_end_byte is None


def test_letting_a_row_go_makes_only_others_than_system_and_data_elastic():
    held = change("hold", row=3).options
    assert change("release", held, row=3).options == Options()
    assert change("release", row=5).options.elastic == {5}


def test_describing_keeps_what_is_not_given():
    state = JobState(name="The desk", code="HL-7", machine="Lending desk", note="Loud fan")
    made = Describe(name="The other desk").make(state).state
    assert (made.name, made.code, made.machine, made.note) == ("The other desk", "HL-7", "Lending desk", "Loud fan")
    assert Describe(note="").make(state).state.note == ""


def test_an_immovable_end_that_is_typed_and_cleared():
    state = JobState(source=Survey(desk()))
    typed = SetImmovableEnd(3, Bytes(20 * GiB)).make(state)
    assert typed.sentence.endswith("typed as 20 GiB")
    cleared = SetImmovableEnd(3, Bytes(0)).make(typed.state)
    assert cleared.sentence.endswith("cleared")
    assert typed.state != cleared.state


def test_another_source_takes_back_what_was_said_of_the_old_one():
    facts = Facts(both_attached="yes", encryption="active", workspace=5, target_link="usb3")
    state = JobState(
        source=Survey(desk()), options=Options(hold=frozenset((4,)), fit="snug"), facts=facts, way="straight"
    )
    other = SetSource(Survey(till())).make(state).state
    assert (other.facts, other.way) == (Facts(workspace=5, target_link="usb3"), None)
    assert other.options == Options(fit="snug")
    same = SetSource(Survey(desk(used_data=97 * GiB))).make(state).state
    assert (same.facts, same.way, same.options) == (facts, "straight", state.options)


def test_the_way_out_of_too_much_reserve_is_exact():
    source, target = desk(), nominal_disk(250 * GB)
    state = JobState(source=Survey(source), target=SizedTarget("250GB", target), options=Options(tail=Tail(30 * GiB)))
    plan = make_plan(source, target, state.options)
    remedy = next(remedy for remedy in plan.remedies if remedy.kind == "tail")
    mended = apply(state, change_for(plan, remedy)).state
    assert mended.options.tail == Tail(30 * GiB - remedy.bytes)
    assert make_plan(source, target, mended.options).verdict == "tight"


def test_more_rows_than_one_change_can_hold_are_held_by_hand():
    plan = make_plan(desk(), nominal_disk(480 * GB), Options())
    stay = Remedy("stay", 4, 0, "tight", rows=(3,))
    assert change_for(plan, stay) == HoldRow(3)
    assert change_for(plan, stay._replace(rows=(3, 4))) is None


def test_an_edge_goes_to_the_next_elastic_row_in_place():
    """From a row that a wish put first, and from one whose edge nobody shares."""
    state = JobState(
        source=Survey(desk()),
        target=SizedTarget("2TB", nominal_disk(2000 * GB)),
        options=Options(order=(4, 1, 2, 3, 5)),
    )
    assert set(dict(changed(state, kind="drag", row=4, size=400 * GiB).state.options.pins)) == {3, 4}
    assert set(dict(changed(state, kind="drag", row=3, size=400 * GiB).state.options.pins)) == {3}


# --- the same disk ----------------------------------------------------------------------------------------------------


def refitted(**more):
    """A job whose target is its own source."""
    return changed(JobState(source=Survey(desk(serial="BK4-1", table_id="A-1"), "t1"), **more), kind="same-disk").state


def test_the_source_becomes_the_target_and_is_refitted():
    state = refitted()
    assert state.target == state.source
    assert state.options.in_place == "yes"
    plan = make_plan(*state.pair, state.options)
    assert plan.identity == "keep"
    codes = {finding.code for finding in plan.findings}
    assert not codes & {"source-is-target", "target-holds-data", "identity-kept", "identity-equal"}
    # Rows that keep their size stay where they are.
    assert [row.first_lba for row in plan.rows][:3] == [p.first_lba for p in state.source.disk.rows][:3]


def test_another_target_or_source_ends_it():
    other = changed(refitted(), kind="target", target={"nominal": "480GB"}).state
    assert other.options.in_place == "no"
    source = refitted()
    kept = apply(source, SetSource(Survey(desk(serial="BK4-1", table_id="A-1"), "t2"))).state
    assert (kept.options.in_place, kept.target) == ("yes", kept.source)  # surveyed again, it is both again
    new = apply(source, SetSource(Survey(desk(serial="BK4-2", table_id="A-2")))).state
    assert (new.options.in_place, new.target) == ("no", None)


def test_what_has_no_rows_is_not_refitted():
    with pytest.raises(BadOption, match="no source yet"):
        changed(JobState(), kind="same-disk")
    with pytest.raises(BadOption, match="no partitions"):
        changed(JobState(source=Survey(nominal_disk(480 * GB))), kind="same-disk")
    with pytest.raises(BadOption, match="only the source itself"):
        make_plan(desk(), nominal_disk(480 * GB), Options(in_place="yes"))


def test_facts_that_contradict_each_other_are_refused_and_saying_no_takes_the_size_back():
    state = JobState(source=Survey(desk()), facts=Facts(backup="yes", backup_size=200 * GiB))
    without = apply(state, SetFact("backup", "no", "no")).state
    assert without.facts == Facts(backup="no")
    with pytest.raises(BadOption, match="a size is given for a backup that is not there"):
        apply(without, SetFact("backup_size", Bytes(200 * GiB), "200 GiB"))


def test_an_end_is_cleared_and_counted_again():
    state = JobState(source=Survey(desk()), options=Options(cleared=frozenset((4,))))
    cleared = apply(state, ClearEnd(3))
    assert (cleared.state.options.cleared, cleared.sentence) == ({3, 4}, "Immovable end of Desk cleared")
    again = apply(cleared.state, ClearEnd(3, on=False))
    assert (again.state, again.sentence) == (state, "Immovable end of Desk counted again")
