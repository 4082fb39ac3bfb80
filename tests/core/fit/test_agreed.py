"""Whole plans, as they were read and agreed upon: each row and floor, finding, remedy, entry and sentence."""

from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.allot import Share
from ylemorph.core.fit.cards import morph_of, percent_of
from ylemorph.core.fit.compare import compare_plans
from ylemorph.core.fit.entries import planned_entries
from ylemorph.core.fit.options import OPTIONS
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.fit.source_rows import look_at
from ylemorph.formats.documents.plan_text import plan_to_text

HERE = Path(__file__).parent / "agreed"


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    yield plan_to_text(plan, scene.source, scene.target, terminal=False)
    frame, start = plan.frame, plan.starting
    yield f"needs {plan.must_bytes}, comfort {plan.comfort_bytes}, short {plan.shortfall_bytes}"
    yield f"grains {frame.first} to {frame.end}, tail {frame.tail}; {plan.identity}"
    yield f"code {start.code}, reach {start.reach}, lost {[(lost.row.number, lost.why) for lost in start.lost]}"
    for look in look_at(scene.source, scene.options):
        yield f"look {look.row.number}: {look.sentence()}"
    try:
        for entry in planned_entries(plan):
            yield f"entry {' '.join(str(value) for value in entry)}"
    except YlemorphError as error:
        yield f"no entries: {error}"
    for card in morph_of(scene.source, scene.target, scene.options).cards:
        yield f"card {card.fit}: {card.verdict} {card.sizes} fills {card.fills} open {card.open_bytes}"


def compared(first, second):
    made = compare_plans(*(make_plan(one.source, one.target, one.options) for one in (first, second)))
    for side in (made.first, made.second):
        yield f"open {side.open_bytes} carried {side.carried_bytes} packed {side.packed_bytes}"
    for pair in made.rows:
        yield " ".join(str(value) for value in pair)
    yield f"better {made.better_verdict} packed {made.better_packed}"
    yield f"gained {[f.code for f in made.gained]} lost {[f.code for f in made.lost]}"


@pytest.mark.parametrize("name", SCENES)
def test_the_plan_is_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")


@pytest.mark.parametrize(
    ("first", "second"),
    [("desk-smaller", "desk-too-small"), ("desk-larger", "desk-much-too-small"), ("till-to-gpt", "till-smaller")],
)
def test_what_compare_says_is_as_agreed(first, second):
    agreed(HERE / f"{first}-or-{second}.txt", "\n".join(compared(SCENES[first], SCENES[second])) + "\n")


def test_shares_are_said_in_whole_percent():
    assert [percent_of(share) for share in (Share(1, 3), Share(1, 2), Share(0, 5))] == [33, 50, 0]


def told_of(kind):
    """An option as it is declared."""
    return (
        f"{kind.key} {'.'.join(kind.path)}: {kind.kind} of {kind.scope}, {kind.default!r}, {kind.least} to {kind.most}"
        f" {kind.choices} {kind.metavar}\n  {kind.help}\n  {kind.set_words} / {kind.unset_words}"
    )


def test_the_options_are_as_agreed():
    """What may be asked of a plan is a promise to whoever writes a job, a script or a command."""
    agreed(HERE / "options.txt", "\n".join(told_of(kind) for kind in OPTIONS.values()) + "\n")
