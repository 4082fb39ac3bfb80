"""Each remedy gives the verdict that it promised; the leave-behind set equals brute force."""

import dataclasses
from itertools import combinations

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.make import desk, disk, fs, part, row_of, sources, targets, wishes
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.remedies import smallest_set
from ylemorph.core.sizes import GB, GiB, MiB, format_size


def after(remedy, source, target, options):
    """The plan when the remedy is applied, as its words say."""
    lighten = dict(options.lighten)
    match remedy.kind:
        case "fit":
            options = options.but(fit=remedy.fit)
        case "lighten":
            lighten[remedy.row] = lighten.get(remedy.row, 0) + remedy.bytes
            options = options.but(lighten=tuple(lighten.items()))
        case "leave":
            options = options.but(leave=options.leave | {remedy.row})
        case "leave-set":
            options = options.but(leave=options.leave | set(remedy.rows))
        case "clear":
            options = options.but(cleared=options.cleared | {remedy.row})
        case "tail":
            held = make_plan(source, target, options).frame
            options = options.but(tail=Tail(held.tail * held.grain_bytes - remedy.bytes))
        case "repair":
            parts = tuple(
                dataclasses.replace(p, filesystem=dataclasses.replace(p.filesystem, state="clean"))
                if p.number == remedy.row
                else p
                for p in source.partitions
            )
            source = dataclasses.replace(source, partitions=parts)
        case "shelf":
            target = nominal_disk(remedy.bytes, target.logical_sector_bytes)
    return make_plan(source, target, options)


@st.composite
def cases(draw):
    source = draw(sources())
    return source, draw(targets()), draw(wishes(source))


@given(cases())
def test_every_remedy_keeps_its_promise(case):
    source, target, options = case
    plan = make_plan(source, target, options)
    assert not plan.remedies or plan.verdict == "does-not-fit"
    for remedy in plan.remedies:
        assert after(remedy, source, target, options).verdict == remedy.verdict_after
        assert remedy.text()


@st.composite
def too_small(draw):
    """A source and a target that has less than the hard floors need."""
    source = draw(sources())
    must = make_plan(source, nominal_disk(24_000 * GB), Options(fit="snug")).must_bytes
    size = must * draw(st.integers(10, 97)) // 100 + 2 * MiB
    return source, Disk(max(4096, size // 512))


@settings(max_examples=max(100, settings().max_examples))
@given(too_small())
def test_remedies_of_hundreds_of_pairs_that_do_not_fit(case):
    source, target = case
    plan = make_plan(source, target, Options())
    assume(plan.verdict == "does-not-fit")
    for remedy in plan.remedies:
        assert after(remedy, source, target, Options()).verdict == remedy.verdict_after


@given(cases())
def test_lightening_by_less_does_not_help(case):
    source, target, options = case
    grain = options.grain_bytes
    for remedy in make_plan(source, target, options).remedies:
        if remedy.kind == "lighten" and remedy.bytes > 2 * grain:
            less = remedy._replace(bytes=remedy.bytes - 2 * grain)
            assert after(less, source, target, options).verdict == "does-not-fit"


def brute_force(rows, needed):
    sets = (s for n in range(len(rows) + 1) for s in combinations(range(len(rows)), n))
    return min((sum(rows[i][1] for i in s) for s in sets if sum(rows[i][0] for i in s) >= needed), default=None)


@given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 60)), max_size=9), st.integers(1, 200))
def test_the_smallest_set_equals_brute_force(rows, needed):
    found = smallest_set(rows, needed)
    best = brute_force(rows, needed)
    assert (found is None) == (best is None)
    if found is not None:
        assert sum(rows[i][0] for i in found) >= needed
        assert sum(rows[i][1] for i in found) == best


def test_the_desk_on_240_gb():
    remedies = make_plan(desk(), nominal_disk(240 * GB), Options()).remedies
    kinds = [(r.kind, r.row, r.verdict_after) for r in remedies]
    assert kinds == [
        ("lighten", 4, "tight"),
        ("lighten", 3, "tight"),
        ("leave", 4, "comfortable"),
        ("leave", 3, "comfortable"),
        ("shelf", None, "tight"),
        ("shelf", None, "comfortable"),
    ]
    assert [r.bytes // GB for r in remedies if r.kind == "shelf"] == [250, 480]


def test_two_rows_together_where_none_is_enough_alone():
    rows = [(20 * GiB, BASIC_DATA, fs(used=18 * GiB), {"role": "data"}) for _ in range(4)]
    plan = make_plan(row_of(*rows), nominal_disk(45 * GB), Options())
    chosen = next(r for r in plan.remedies if r.kind == "leave-set")
    assert len(chosen.rows) == 2
    assert chosen.bytes == 36 * GiB


def test_128_rows_that_do_not_fit_are_answered():
    rows = [(2 * GiB, BASIC_DATA, fs(used=GiB + n * 7 * MiB), {"role": "data"}) for n in range(128)]
    plan = make_plan(row_of(*rows), nominal_disk(60 * GB), Options())
    assert plan.verdict == "does-not-fit"
    assert any(r.kind == "shelf" for r in plan.remedies)


def test_a_remedy_never_raises_what_the_plan_did_not():
    source = desk()
    for grow in (3, 4):
        plan = make_plan(source, nominal_disk(128 * GB), Options(fit="rest-to-one", grow=grow))
        assert plan.verdict == "does-not-fit"
        for remedy in plan.remedies:
            try:
                assert after(remedy, source, nominal_disk(128 * GB), Options(fit="rest-to-one", grow=grow))
            except YlemorphError as error:
                raise AssertionError(remedy) from error


def test_less_in_reserve_is_offered_where_something_is_held():
    source, target = desk(), nominal_disk(240 * GB)
    assert "tail" not in {remedy.kind for remedy in make_plan(source, target, Options()).remedies}
    held = make_plan(source, target, Options(tail=Tail(bytes=20 * GiB)))
    (tail,) = [remedy for remedy in held.remedies if remedy.kind == "tail"]
    assert tail.bytes == min(20 * GiB, held.shortfall_bytes)
    assert tail.text() == f"Hold {format_size(tail.bytes)} less in reserve at the end."


def test_another_fit_is_offered_only_where_it_fits():
    same = make_plan(desk(), nominal_disk(480 * GB), Options(fit="same"))
    assert [remedy.fit for remedy in same.remedies if remedy.kind == "fit"] == ["proportional"]
    hopeless = make_plan(desk(), nominal_disk(120 * GB), Options(fit="same"))
    assert "fit" not in {remedy.kind for remedy in hopeless.remedies}


@given(sources(), targets())
def test_what_is_offered_as_enough_is_enough(source, target):
    for remedy in make_plan(source, target, Options()).remedies:
        if remedy.kind in ("fit", "lighten", "leave", "leave-set", "shelf"):
            assert remedy.verdict_after in ("tight", "comfortable")


def test_what_sleeps_is_mended_where_its_owner_can():
    """A system is shut down and data are checked; a start row that is not clean is nobody's to mend."""
    unclean = {"state": "dirty"}
    rows = (
        (300 * GiB, BASIC_DATA, fs(used=GiB, **unclean), {"role": "start"}),
        (300 * GiB, BASIC_DATA, fs(used=GiB, **unclean), {"role": "system"}),
        (300 * GiB, BASIC_DATA, fs(used=GiB, **unclean), {"role": "data"}),
    )
    plan = make_plan(row_of(*rows, label_gb=1000), nominal_disk(240 * GB), Options())
    assert [remedy.row for remedy in plan.remedies if remedy.kind == "repair"] == [2, 3]


def test_a_pinned_row_that_stays_behind_gives_back_all_of_its_size():
    rows = [(300 * GiB, BASIC_DATA, fs(used=10 * GiB), {"role": "data"}) for _ in range(2)]
    source = row_of((200 * GiB, BASIC_DATA, fs(used=170 * GiB), {"role": "system"}), *rows, label_gb=1000)
    plan = make_plan(source, nominal_disk(240 * GB), Options(pins=((2, 200 * GiB), (3, 200 * GiB))))
    (pair,) = [remedy for remedy in plan.remedies if remedy.kind == "leave-set"]
    assert (pair.rows, pair.bytes, pair.verdict_after) == ((2, 3), 20 * GiB, "comfortable")


@pytest.mark.parametrize(("more", "helps"), [(0, True), (1, False)])
def test_a_pinned_logical_row_that_stays_behind_gives_back_the_record_before_it(more, helps):
    """50 GiB and the grain of its record are missing, then a grain more."""
    source = disk(
        400 * GiB // 512,
        part(1, MiB, 100 * GiB, "0x07", fs(used=60 * GiB), role="data"),
        part(5, 101 * GiB, 60 * GiB, "0x07", fs(used=10 * GiB), role="data", logical=True),
        table="mbr",
    )
    pinned = Options(pins=((5, 50 * GiB),))
    whole = make_plan(source, Disk(70 * GiB // 512), pinned)
    less = whole.shortfall_bytes - 50 * GiB - MiB - more * MiB
    plan = make_plan(source, Disk((70 * GiB + less) // 512), pinned)
    assert plan.shortfall_bytes == 50 * GiB + MiB + more * MiB
    assert (("leave", 5) in {(remedy.kind, remedy.row) for remedy in plan.remedies}) is helps
