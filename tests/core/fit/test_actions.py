"""What is offered can be done, what is refused cannot, and each remedy's own change keeps its promise."""

import pytest
from hypothesis import given

from tests.make import changed, desk, job_of, sources, targets
from ylemorph.core.errors import OutOfBounds, YlemorphError
from ylemorph.core.fit.actions import ACTIONS, actions_of
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.job.changes import apply
from ylemorph.core.job.mending import change_for
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.change_data import change_to_data

# How each action is sent.
SENT = {
    "role": {"kind": "role", "role": "data"}, "unpin": {"kind": "unpin"}, "grow": {"kind": "grow"},
    "hold": {"kind": "hold"}, "release": {"kind": "release"}, "leave": {"kind": "leave"}, "carry": {"kind": "carry"},
    "lighten": {"kind": "lighten", "size": "1MiB"}, "clear": {"kind": "cleared", "on": True},
    "up": {"kind": "move", "places": -1}, "down": {"kind": "move", "places": 1},
    "pin": {"kind": "pin", "size": "floor"},
}  # fmt: skip


def test_every_action_is_tried():
    assert set(SENT) == set(ACTIONS)


@given(sources(), targets())
def test_what_is_offered_can_be_done(source, target):
    state = job_of(source, target)
    plan = make_plan(*state.pair, state.options)
    for row, actions in zip(plan.rows, actions_of(plan), strict=True):
        for action, refused in actions.items():
            if refused:
                continue
            try:
                which = {"rows": [row.number]} if action == "leave" else {"row": row.number}
                assert changed(state, **which, **SENT[action])
            except OutOfBounds:
                assert plan.verdict is None  # only a size can be out of bounds, never the action itself


@pytest.mark.parametrize(
    ("steps", "row", "action", "words"),
    [
        ([], 3, "release", "already"), ([], 3, "unpin", "not pinned"), ([], 3, "carry", "already"),
        ([], 1, "up", "first row"), ([], 5, "down", "last row"), ([], 2, "pin", ""), ([], 3, "clear", "immovable"),
        ([{"kind": "leave", "rows": [4]}], 4, "grow", "left behind"),
        ([{"kind": "leave", "rows": [4]}], 4, "up", "left behind"),
        ([{"kind": "hold", "row": 4}], 4, "grow", "held"), ([{"kind": "hold", "row": 4}], 4, "hold", "already"),
    ],
)  # fmt: skip
def test_reasons(steps, row, action, words):
    state = job_of(desk())
    for step in steps:
        state = changed(state, **step).state
    plan = make_plan(*state.pair, state.options)
    refused = dict(zip([r.number for r in plan.rows], actions_of(plan), strict=True))[row][action]
    assert words in refused
    assert bool(words) == bool(refused)


@given(sources(), targets())
def test_the_change_of_a_remedy_keeps_its_promise(source, target):
    state = job_of(source, target)
    plan = make_plan(*state.pair, state.options)
    for remedy in plan.remedies:
        change = change_for(plan, remedy)
        if change is None:
            assert remedy.kind == "repair"
            continue
        after = changed(state, **change_to_data(change)).state
        assert after == apply(state, change).state
        assert make_plan(*after.pair, after.options).verdict == remedy.verdict_after


def test_a_size_from_the_remedies_keeps_the_sector():
    """A pair of disks with 4096-byte sectors."""
    source = desk()
    wide = type(source)(source.sectors // 8, 4096, table="none")
    plan = make_plan(*job_of(desk(), type(wide)(10_000_000, 4096)).pair, job_of(desk()).options)
    shelf = [change_to_data(change_for(plan, remedy)) for remedy in plan.remedies if remedy.kind == "shelf"]
    assert {change["target"]["logical_sector_bytes"] for change in shelf} == {4096}


def test_an_unknown_change_is_refused():
    with pytest.raises(YlemorphError):
        changed(job_of(desk()), kind="explode")


def test_less_in_reserve_is_what_it_says():
    """A reserve larger than what is short by: what stays of it is the rest, to the byte."""
    options = Options(tail=Tail(bytes=20 * GiB))
    plan = make_plan(*job_of(desk(), "256GB", options).pair, options)
    remedy = next(remedy for remedy in plan.remedies if remedy.kind == "tail")
    assert 0 < remedy.bytes < 20 * GiB
    assert change_for(plan, remedy).value == Tail(bytes=20 * GiB - remedy.bytes)
