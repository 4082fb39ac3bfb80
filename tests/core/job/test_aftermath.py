"""After a step that failed: what stands, from where it can be done again, and what gets past it."""

import random

import pytest

from tests.core.carry.pairs import random_facts, random_plan
from tests.make import desk
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.rehearse import stopped_at
from ylemorph.core.carry.ways import WAY_KINDS
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.job.aftermath import REASONS, aftermath
from ylemorph.core.job.bench_changes import SetFact
from ylemorph.core.job.row_changes import HoldRow, Leave
from ylemorph.core.sizes import GB, GiB

ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=200 * GiB)


def after(way, kind, disk, row, reason="stopped", facts=ALL, target=480):
    plan = make_plan(desk(), nominal_disk(target * GB), Options())
    made = carry_out(plan, facts, way)
    number = next(n for n, s in enumerate(made.sequence.steps, 1) if (s.kind, s.disk, s.row) == (kind, disk, row))
    return number, made, aftermath(made.ground, made.sequence, number, reason)


def test_a_copy_that_stopped_is_simply_done_again():
    number, _, found = after("straight", "copy", "target", 4)
    assert found.again_from == number
    assert found.states == (
        "The source: as it was.",
        "The target: what it held is gone, Start (1) and Desk (3) stand whole, Catalogue (4) is in doubt.",
    )


def test_a_shrink_in_the_image_goes_back_to_the_copy_into_it():
    number, made, found = after("through-image", "shrink", "image", 3)
    assert found.again_from < number
    assert made.sequence.steps[found.again_from - 1].kind == "copy"
    assert "Desk (3) in it is in doubt" in found.states[1]


def test_a_shrink_at_the_source_leads_to_the_backup():
    _, _, found = after("shrink-first", "shrink", "source", 3)
    assert found.again_from is None
    assert "go back to the backup" in found.again
    assert "Desk (3) may be damaged" in found.states[0]


def test_a_move_that_broke_off_writes_the_backup_back_again():
    _, _, found = after("restore", "move", "target", 5, target=2000)
    assert found.again_from == 1


def test_ways_out_are_worked_out():
    _, _, found = after("straight", "copy", "target", 3, "read-error")
    failing = found.ways_out[0]
    assert failing.change == SetFact("health", "failing", "failing")
    assert failing.seconds is not None
    _, _, found = after("shrink-first", "shrink", "source", 3, "would-not-shrink")
    kinds = [out.change.key for out in found.ways_out]
    assert kinds[0] == "pin"
    assert "way" in kinds
    assert all(out.verdict in ("comfortable", "tight") for out in found.ways_out)
    _, _, found = after("through-image", "copy", "image", 3, "no-room")
    assert Leave((4,)) in [out.change for out in found.ways_out]


def test_what_cannot_help_is_not_offered():
    _, _, found = after("through-image", "read", "image", None, "read-error", ALL.but(health="failing"))
    assert found.ways_out == ()


@pytest.mark.parametrize("seed", range(12))
def test_from_wherever_it_says_the_rest_ends_well(seed):
    rnd = random.Random(seed)
    plan, facts = random_plan(rnd), random_facts(rnd)
    for key in WAY_KINDS:
        try:
            made = carry_out(plan, facts, key)
        except YlemorphError:
            continue
        steps = made.sequence.steps
        for failed in range(1, len(steps) + 1):
            found = aftermath(made.ground, made.sequence, failed, REASONS[failed % len(REASONS)])
            assert found.states
            if found.again_from is not None:
                assert stopped_at(made.sequence, failed, found.again_from).safe
            else:
                assert steps[failed - 1].disk == "source"


def test_a_row_that_would_not_shrink_is_held_and_no_longer_takes_the_rest():
    plan = make_plan(desk(), nominal_disk(960 * GB), Options(fit="rest-to-one", grow=3))
    made = carry_out(plan, ALL, "shrink-first")
    failed = next(n for n, step in enumerate(made.sequence.steps, 1) if (step.kind, step.row) == ("shrink", 3))
    offers = aftermath(made.ground, made.sequence, failed, "would-not-shrink").ways_out
    assert HoldRow(3) in [offer.change for offer in offers]
