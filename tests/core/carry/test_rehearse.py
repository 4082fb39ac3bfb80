"""Rule 10: every generated sequence is safe, and the rehearsal judges damaged ones as real cells do."""

import json
import os
import random

import pytest

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.rehearse import rehearse, stopped_at
from ylemorph.core.carry.sequence import Goal, Hold, Sequence, Shape, Step
from ylemorph.core.carry.ways import WAY_KINDS
from ylemorph.core.errors import YlemorphError
from ylemorph.core.sizes import Extent
from ylemorph.formats.own.steps import steps_to_data
from ylemorph.formats.own.steps_read import read_steps

from .pairs import damaged, random_facts, random_plan
from .simulator import Bench

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
PAIRS, CHUNKS = (3000, 20) if DEEP else (100, 10)


def sequences(rnd):
    """The data of every way that has steps, for one random pair."""
    plan, facts = random_plan(rnd), random_facts(rnd)
    for key in WAY_KINDS:
        try:
            made = carry_out(plan, facts, key)
        except YlemorphError:
            continue
        yield steps_to_data(made)


def judged(data):
    """What the rehearsal says of the JSON; None where the JSON itself is refused."""
    try:
        return rehearse(read_steps(json.dumps(data).encode()))
    except YlemorphError:
        return None


@pytest.mark.parametrize("chunk", range(CHUNKS))
def test_generated_steps_are_safe_and_damaged_ones_are_judged_alike(chunk):
    safe = unsafe = 0
    for pair in range(PAIRS // CHUNKS):
        rnd = random.Random(f"{chunk} {pair}")
        for data in sequences(rnd):
            verdict = judged(data)
            assert verdict == (True, None, None, ""), (chunk, pair, data["way"], verdict)
            assert Bench(data, pair).run(), (chunk, pair, data["way"])
            for _ in range(6):
                wrong = damaged(data, rnd)
                found = judged(wrong)
                if found is None:
                    continue
                assert found.safe == Bench(wrong, pair).run(), (chunk, pair, data["way"], found)
                safe, unsafe = safe + found.safe, unsafe + (not found.safe)
                if not found.safe:
                    assert found.reason
    assert safe > PAIRS // CHUNKS
    assert unsafe > PAIRS // CHUNKS


def test_the_example_of_the_theory():
    shrink = Step("shrink", "source", 1, None, Extent(0, 10), Extent(0, 6))
    table = Step("table", "target")
    copy = Step("copy", "target", 1, "source", Extent(0, 6), Extent(2, 8))

    def run(*made):
        holds, goals = (Hold(1, Extent(0, 10), 6 * 512, False),), (Goal(1, Extent(2, 8)),)
        shapes = {"source": Shape(10, 512), "target": Shape(10, 512)}
        return rehearse(Sequence("shrink-first", shapes, 512, holds, made, goals, False, Extent(0, 10)))

    assert run(shrink, table, copy).safe
    swapped = run(copy, table, shrink)
    assert (swapped.safe, swapped.step, swapped.row) == (False, 1, 1)


SHAPES = {"source": Shape(10, 512), "target": Shape(10, 512)}


def small(*made, way="shrink-first", gpt=False):
    holds, goals = (Hold(1, Extent(0, 10), 6 * 512, False),), (Goal(1, Extent(2, 8)),)
    return Sequence(way, SHAPES, 512, holds, made, goals, gpt, Extent(0, 10))


def test_after_a_step_that_broke_off():
    shrink = Step("shrink", "source", 1, None, Extent(0, 10), Extent(0, 6))
    copy = Step("copy", "target", 1, "source", Extent(0, 6), Extent(2, 8))
    sequence = small(shrink, Step("table", "target"), copy)
    assert stopped_at(sequence, 3, 3).safe
    assert stopped_at(sequence, 2, 2).safe
    assert not stopped_at(sequence, 2, 3).safe  # the table is in doubt and not written again
    broken = stopped_at(sequence, 1, 1)
    assert (broken.safe, broken.step, broken.row) == (False, 1, 1)


def test_a_cut_takes_the_backup_of_a_gpt_along():
    cut = Step("cut", "image", None, None, None, Extent(0, 90))
    shapes = {"source": Shape(100, 512), "image": Shape(100, 512), "target": Shape(90, 512)}
    read = Step("read", "image", None, "source", Extent(0, 100), Extent(0, 100))
    back = Step("read", "target", None, "image", Extent(0, 90), Extent(0, 90))
    holds, goals = (Hold(1, Extent(40, 50), 512, True),), (Goal(1, Extent(40, 50)),)

    def run(*made, gpt=True):
        return rehearse(Sequence("through-image", shapes, 512, holds, made, goals, gpt, Extent(0, 90)))

    assert run(read, cut, back).reason == "the table of the target has no backup copy"
    assert run(read, cut, back, Step("mend-table", "target")).safe
    assert run(read, cut, back, gpt=False).safe
    short = Step("read", "target", None, "image", Extent(0, 45), Extent(0, 45))
    assert run(read, Step("cut", "image", None, None, None, Extent(0, 45)), short).row == 1


def test_a_disk_is_read_onto_one_that_can_hold_it():
    shapes = {"source": Shape(100, 512), "target": Shape(90, 512)}
    holds, goals = (Hold(1, Extent(40, 50), 512, True),), (Goal(1, Extent(40, 50)),)

    def run(extent, onto=None):
        made = (Step("read", "target", None, "source", extent, onto or extent),)
        return rehearse(Sequence("restore", shapes, 512, holds, made, goals, False, Extent(0, 90)))

    assert run(Extent(0, 90)).safe
    assert "leave what of the target" in run(Extent(0, 91)).reason
    assert "leave what of the source" in run(Extent(0, 101)).reason
    assert run(Extent(0, 49)).row == 1  # cut off in the middle of the row
    assert run(Extent(0, 40)).reason == "row 1 does not stand at its place on the target"  # ends where it begins
    assert "from its first sector on" in run(Extent(1, 90)).reason
    assert "from its first sector on" in run(Extent(0, 80), Extent(0, 90)).reason


def test_a_table_takes_both_ends_of_a_gpt_and_the_first_sector_of_an_mbr():
    """UEFI specification: 128 entries of 128 bytes behind two sectors, and both again at the end."""
    shapes = {"source": Shape(100, 512), "target": Shape(100, 512)}
    copy = Step("copy", "target", 1, "source", Extent(0, 6), Extent(2, 8))

    def run(gpt):
        holds, goals = (Hold(1, Extent(0, 6), 6 * 512, False),), (Goal(1, Extent(2, 8)),)
        made = (copy, Step("table", "target"))
        return rehearse(Sequence("shrink-first", shapes, 512, holds, made, goals, gpt, Extent(0, 100)))

    assert run(gpt=False).safe
    assert not run(gpt=True).safe


def test_an_mbr_table_is_written_before_each_logical():
    """One record stands in the grain before a logical: what stood there is written over."""
    disks = {"source": Shape(8192, 512), "target": Shape(8192, 512)}
    first = Extent(2048, 2052)  # a row that ends where the record of the logical stands
    goals = (Goal(1, Extent(2048, 2052)), Goal(5, Extent(4096, 5120), added=True, logical=True))
    copy = Step("copy", "target", 1, "source", first, first)
    table, late = Step("table", "target"), Extent(2048, 2052)

    def ended(grain, *steps):
        sequence = Sequence(
            "straight", disks, grain, (Hold(1, late, 0, fixed=True),), steps, goals, gpt=False, usable=Extent(1, 8192)
        )
        return rehearse(sequence).safe

    assert ended(2048 * 512, table, copy)
    assert not ended(2048 * 512, copy, table)  # 4096 - 2048: on the row's first sector
    assert ended(1024 * 512, copy, table)
