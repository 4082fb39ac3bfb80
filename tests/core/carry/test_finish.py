"""Rule 15: from what is found to the plan, safe by the model and by cells, with the fewest bytes moved."""

import json
import os
import random
from heapq import heappop, heappush

import pytest

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.carry.carrying import carry_out, questions_of
from ylemorph.core.carry.check_lists import lists_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.finish import unknown_rows
from ylemorph.core.carry.in_place import Shift, order_moves
from ylemorph.core.carry.rehearse import rehearse
from ylemorph.core.carry.step_kinds import words_of
from ylemorph.core.carry.ways import name_of
from ylemorph.core.carry.will_start import will_start
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import Disk, Partition
from ylemorph.core.disk.roles import BASIC_DATA, LINUX_SWAP
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption, YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.found.matching import found_of
from ylemorph.core.sizes import GB, Extent, GiB, MiB
from ylemorph.formats.own.options import facts_from, facts_to_data
from ylemorph.formats.own.steps import steps_to_data
from ylemorph.formats.own.steps_read import read_steps

from .pairs import damaged, random_plan
from .simulator import Bench

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
PAIRS, CHUNKS = (2000, 20) if DEEP else (80, 8)
GRAIN = MiB // 512
READY = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", found_right="yes")


def random_pair(rnd):
    """A plan whose rows have identities, and a disk that holds some of it; None where the rows do not go on it."""
    plain = random_plan(rnd)
    rows = [
        p.but(uuid=f"ROW-{p.number}", filesystem=p.filesystem and p.filesystem.but(uuid=f"FS-{p.number}"))
        for p in plain.source.partitions
    ]
    source = plain.source.but(partitions=tuple(rows), table_id="SOURCE")
    try:
        if rnd.random() < 0.2:  # on one disk
            return make_plan(source, source, plain.options.but(in_place="yes", table="keep")), source
        plan = make_plan(source, plain.target, plain.options)
        return plan, random_found(rnd, plan)
    except YlemorphError:
        return None


def random_found(rnd, plan):
    """An earlier clone at the old sizes, a copy that was cut off, rows missing, moved, of another length or order."""
    per_grain, usable = plan.frame.grain_sectors, (plan.frame.first_usable_lba, plan.frame.last_usable_lba + 1)
    kind, taken, parts = rnd.choice(("planned", "old", "mixed", "shuffled")), [], []
    rows = [row for row in plan.rows if row.extent is not None]
    for row in rows if kind != "shuffled" else rnd.sample(rows, len(rows)):
        source, length = row.row.partition, row.extent.length * per_grain
        goal = row.extent.start * per_grain
        if source is None or rnd.random() < 0.2:
            continue
        lengths = [length, source.sectors, max(length, source.sectors)]
        places = {"planned": [goal], "old": [source.first_lba], "shuffled": [rnd.randrange(*usable) // GRAIN * GRAIN]}
        start = rnd.choice(places.get(kind, [goal, source.first_lba, goal + per_grain, goal - per_grain]))
        long = rnd.choice(lengths)
        if start < usable[0] or start + long > usable[1] or any(a < start + long and start < b for a, b in taken):
            continue
        taken.append((start, start + long))
        fs = source.filesystem
        if fs is not None:
            size = rnd.choice((long, min(long, source.sectors), long)) * 512
            fs = fs.but(size_bytes=size, state=rnd.choice(("clean",) * 7 + ("damaged",)))
            if fs.named_start_lba is not None:
                fs = fs.but(named_start_lba=rnd.choice((start, fs.named_start_lba)))
        type_ = source.type
        if plan.frame.table != plan.source.table:
            type_ = "0x07" if plan.frame.table == "mbr" else BASIC_DATA
        number = len(parts) + 1 + (5 if row.logical else 0)
        parts.append(Partition(number, start, long, type_, row.logical, filesystem=fs, uuid=f"ROW-{row.number}"))
    notes = rnd.choice(((), (), ("backup-misplaced",)))
    if plan.frame.table == "mbr":
        parts, notes = [*_as_mbr(parts)], ()
    return checked(
        plan.target.but(
            table=plan.frame.table, table_id=rnd.choice(("SOURCE", "OTHER")), partitions=tuple(parts),
            table_notes=notes, start_code=rnd.choice((None, plan.source.start_code)),
        )
    )  # fmt: skip


def _as_mbr(parts):
    """Three primaries at most beside the logicals and what holds them."""
    logicals = [p for p in parts if p.logical]
    yield from (p.but(uuid="") for p in [p for p in parts if not p.logical][: 3 if logicals else 4])
    if logicals:
        first, stop = min(p.first_lba for p in logicals) - GRAIN, max(p.extent.stop for p in logicals)
        yield Partition(4, first, stop - first, "0x0F")
        yield from (p.but(uuid="") for p in logicals)


@pytest.mark.parametrize("chunk", range(CHUNKS))
def test_every_way_to_finish_is_safe_by_the_model_and_by_cells(chunk):
    made = judged = 0
    kinds = set()
    for number in range(10**9):
        if made == PAIRS // CHUNKS:
            break
        rnd = random.Random(f"finish {chunk} {number}")
        pair = random_pair(rnd)
        if pair is None:
            continue
        plan, found = pair
        try:
            carrying = carry_out(plan, READY, "finish", there=found)
        except BadOption:
            continue
        made += 1
        kinds.add((plan.frame.table, plan.options.in_place, any(row.logical and row.carried for row in plan.rows)))
        data = steps_to_data(carrying)
        verdict = rehearse(read_steps(json.dumps(data).encode()))
        assert verdict == (True, None, None, ""), (chunk, number, verdict)
        assert Bench(data, number).run(), (chunk, number)
        assert_only_what_is_wrong_is_touched(data)
        for _ in range(4):
            wrong = damaged(data, rnd)
            try:
                verdict = rehearse(read_steps(json.dumps(wrong).encode()))
            except YlemorphError:
                continue
            assert verdict.safe == Bench(wrong, number).run(), (chunk, number, verdict)
            judged += not verdict.safe
    assert judged > made
    assert {table for table, _, _ in kinds} == {"gpt", "mbr"}
    assert {in_place for _, in_place, _ in kinds} == {"no", "yes"}


def assert_only_what_is_wrong_is_touched(data):
    """No step about a row that stood right and whole; nothing is moved, copied or resized twice without need."""
    planned = {row["number"]: row for row in data["plan"]["rows"] if row["carried"]}
    fixed = {hold["row"]: hold for hold in data["holds"] if hold["fixed"]}
    moved = {step["row"] for step in data["steps"] if step["kind"] == "move"}
    for one in data["disks"]["target"]["found"]:
        goal = planned[one["row"]]
        length = fixed[one["row"]]["sectors"] if one["row"] in fixed else goal["sectors"]
        right = one["whole"] and (one["first_lba"], one["sectors"]) == (goal["first_lba"], length)
        kinds = [step["kind"] for step in data["steps"] if step["row"] == one["row"]]
        if right and not moved:
            assert kinds == [], one
        if one["whole"] and "copy" not in kinds:
            assert kinds.count("shrink") + kinds.count("grow") <= 1
    for row in {step["row"] for step in data["steps"] if step["kind"] == "copy"}:
        assert sum(step["kind"] == "copy" and step["row"] == row for step in data["steps"]) == 1


# --- the fewest bytes -------------------------------------------------------------------------------------------------


def least_moved(shifts, cells):
    """Every order of moves to every place: the fewest cells moved; None where none leads there."""
    lengths = [shift.now.length for shift in shifts]
    goal = tuple(shift.goal.start for shift in shifts)
    heap, best = [(0, tuple(shift.now.start for shift in shifts))], {}
    while heap:
        cost, at = heappop(heap)
        if at == goal:
            return cost
        if at in best:
            continue
        best[at] = cost
        for place, length in enumerate(lengths):
            for start in range(cells - length + 1):
                others = [(a, a + n) for i, (a, n) in enumerate(zip(at, lengths, strict=True)) if i != place]
                if start != at[place] and all(b <= start or start + length <= a for a, b in others):
                    after = (*at[:place], start, *at[place + 1 :])
                    if after not in best:
                        heappush(heap, (cost + length, after))
    return None


def random_shifts(rnd):
    count = rnd.randint(1, 5 if DEEP else 4)
    lengths = [rnd.randint(1, 3) for _ in range(count)]
    cells = sum(lengths) + rnd.randint(0, 3)

    def placed():
        order = rnd.sample(range(count), count)
        free = cells - sum(lengths)
        starts, at = [0] * count, 0
        for row in order:
            gap = rnd.randint(0, free)
            free -= gap
            at += gap
            starts[row] = at
            at += lengths[row]
        return starts

    now, goal = placed(), placed()
    return tuple(
        Shift(n, Extent(now[n], now[n] + lengths[n]), Extent(goal[n], goal[n] + lengths[n])) for n in range(count)
    ), cells


@pytest.mark.parametrize("chunk", range(CHUNKS))
def test_no_order_moves_less_and_where_there_is_none_there_is_none(chunk):
    for number in range(PAIRS // CHUNKS):
        shifts, cells = random_shifts(random.Random(f"least {chunk} {number}"))
        moves, least = order_moves(shifts, Extent(0, cells), 1), least_moved(shifts, cells)
        if least is None:
            assert moves.blocked is not None, (chunk, number, shifts, cells)
        else:
            assert moves.blocked is None, (chunk, number, shifts, cells)
            assert sum(move[1].length for move in moves.made) == least, (chunk, number, shifts, cells)


# --- one disk, and what is asked --------------------------------------------------------------------------------------


def one_disk(facts=READY, **options):
    source = desk(serial="BK4-1", table_id="A-1", model="Brindle K4")
    return carry_out(make_plan(source, source, Options(in_place="yes", **options)), facts)


def test_on_one_disk_there_is_one_way_and_a_backup_is_asked_for():
    made = one_disk(fit="rest-to-one", grow=3)
    assert [(way.key, way.possible, way.changes_source) for way in made.ways] == [("finish", True, True)]
    assert name_of(made.ground, "finish") == "In place"
    assert {step.kind for step in made.sequence.steps} == {"check", "move", "table", "grow"}
    assert made.rehearsal.safe
    asked = one_disk(READY.but(backup="unknown"), fit="rest-to-one", grow=3)
    assert asked.ways[0].open_needs == ("backup",)
    refused = one_disk(READY.but(backup="no"), fit="rest-to-one", grow=3)
    assert (refused.ways[0].possible, refused.ways[0].why) == (False, "There is no backup of the source")


def test_on_one_disk_nothing_speaks_of_another():
    made = one_disk(fit="rest-to-one", grow=3)
    keys = {item.key for item in lists_of(made.ground, "finish")}
    assert not keys & {"detached", "never-both", "start-order", "keep-old"}
    assert "detached" not in will_start(made.ground.plan).text
    words = [words_of(made.ground, "finish", step) for step in made.sequence.steps]
    assert not any("deleted" in text for one in words for text in one.before)
    found = made.ground.plan.target
    assert check_back(planned_of(made.ground.plan), found).differences  # not refitted yet
    assert all(one.key != "source-again" for one in check_back(planned_of(made.ground.plan), found).differences)


def test_on_one_disk_rows_that_cannot_pass_are_not_copied_again():
    """There is nothing to copy them from: what is missing is said."""
    rows = [part(n + 1, MiB + n * GiB, GiB, BASIC_DATA, fs(used=900 * MiB), role="data") for n in range(2)]
    full = disk((2 * GiB + 4 * MiB) // 512, *rows)
    made = carry_out(make_plan(full, full, Options(in_place="yes", fit="same", order=(2, 1))), READY)
    assert not made.ways[0].possible
    assert "cannot pass the others" in made.ways[0].why
    assert "leave Data (2) behind, or leave Data (1) behind" in made.ways[0].why
    assert "for a while" not in made.ways[0].why  # both are too full for that
    held = tuple(p.but(filesystem=fs(used=100 * MiB)) for p in full.partitions)
    roomy = disk((2 * GiB + 504 * MiB) // 512, *held)
    made = carry_out(make_plan(roomy, roomy, Options(in_place="yes", fit="same", order=(2, 1))), READY)
    assert "521 MiB of free space are missing" in made.ways[0].why
    assert "make Data (1) smaller by 521 MiB for a while" in made.ways[0].why
    other = Disk((2 * GiB + 4 * MiB) // 512)
    plan = make_plan(full, other, Options(fit="same", order=(2, 1)))
    named = [p.but(uuid=f"ROW-{p.number}") for p in full.partitions]
    plan = make_plan(full.but(partitions=tuple(named)), other, Options(fit="same", order=(2, 1)))
    made = carry_out(plan, READY, "finish", there=other.but(table="gpt", partitions=tuple(named)))
    assert [step.kind for step in made.sequence.steps].count("copy") == 1  # with a source one of them is copied anew
    assert made.rehearsal.safe


def test_two_partitions_with_one_identity_are_refused_and_looks_alone_are_asked_about():
    source = row_of((GiB, BASIC_DATA, fs(used=MiB, uuid="AAAA"), {"role": "data"}), label_gb=120)
    plan = make_plan(source, nominal_disk(240 * GB), Options())
    twice = [part(n, MiB + n * 2 * GiB, GiB, BASIC_DATA, fs(used=MiB, uuid="AAAA")) for n in (1, 2)]
    there = plan.target.but(table="gpt", partitions=tuple(twice))
    with pytest.raises(BadOption, match="partitions 1 and 2 of the target both carry the identity of"):
        carry_out(plan, READY, "finish", there=there)
    like = [part(1, 4 * GiB, GiB, BASIC_DATA, fs(used=MiB))]
    there = plan.target.but(table="gpt", partitions=tuple(like))
    way = next(way for way in carry_out(plan, Facts(), there=there).ways if way.key == "finish")
    assert way.open_needs == ("found_right",)
    with pytest.raises(BadOption, match="are not the rows of this plan"):
        carry_out(plan, Facts(found_right="no"), "finish", there=there)
    other = [part(1, 4 * GiB, GiB, BASIC_DATA, fs(used=MiB, uuid="BBBB"))]
    there = plan.target.but(table="gpt", partitions=tuple(other))
    assert all(way.key != "finish" for way in carry_out(plan, READY, there=there).ways)  # another job's disk


@pytest.mark.parametrize(
    ("changes", "lacks"),
    [
        ({}, ""),
        ({"state": "damaged"}, "it is damaged"),
        ({"size_bytes": 3 * GiB}, "its file system is cut off"),
        ({"size_bytes": 2 * GiB}, ""),
        ({"size_bytes": 2 * GiB + 1}, "its file system is cut off"),
        ({"used_bytes": 200 * MiB}, "it holds clearly less than went over"),
        ({"used_bytes": 350 * MiB}, ""),  # seven tenths
        ({"used_bytes": 350 * MiB - 1}, "it holds clearly less than went over"),
        ({"files": 99}, "it holds fewer files than went over"),
        ({"kind": "ext4"}, None),
    ],
)
def test_what_is_not_whole_is_copied_again(changes, lacks):
    row = (2 * GiB, BASIC_DATA, fs(used=500 * MiB, uuid="AAAA", files=100), {"role": "data", "uuid": "R-1"})
    plan = make_plan(row_of(row, label_gb=120), nominal_disk(240 * GB), Options(fit="same"))
    held = fs(used=500 * MiB, uuid="AAAA", files=100).but(**changes)
    there = plan.target.but(table="gpt", partitions=(part(1, MiB, 2 * GiB, BASIC_DATA, held, uuid="R-1"),))
    (found,) = found_of(plan, there).rows
    assert found.lacks == ("it holds something else" if lacks is None else lacks)
    assert found_of(plan, there, {1}).rows[0].lacks


@pytest.mark.parametrize(("longer", "known"), [(0, True), (MiB - 512, True), (MiB, False)])
def test_what_has_no_name_is_known_by_a_length_less_than_a_grain_away(longer, known):
    plan = make_plan(
        row_of((2 * GiB, BASIC_DATA, fs(used=500 * MiB), {"role": "data"}), label_gb=120),
        nominal_disk(240 * GB), Options(fit="same"),
    )  # fmt: skip
    held = part(1, MiB, 2 * GiB + longer, BASIC_DATA, fs(used=500 * MiB))
    found = found_of(plan, plan.target.but(table="gpt", partitions=(held,)))
    assert (found is not None) is known


@pytest.mark.parametrize(("said", "possible"), [("yes", True), ("no", False), ("unknown", True)])
def test_the_source_is_needed_only_where_something_is_missing(said, possible):
    rows = [(GiB, BASIC_DATA, fs(used=MiB, uuid=f"FS-{n}"), {"role": "data", "uuid": f"R-{n}"}) for n in (1, 2)]
    source = row_of(*rows, label_gb=120)
    plan = make_plan(source, nominal_disk(240 * GB), Options(fit="same"))

    def way(*held):
        there = plan.target.but(table="gpt", partitions=held)
        made = carry_out(plan, READY.but(both_attached=said), there=there)
        return next(way for way in made.ways if way.key == "finish")

    first, second = source.rows
    missing = way(first)
    assert missing.possible is possible
    assert missing.open_needs == (("both_attached",) if said == "unknown" else ())
    whole = way(first, second.but(first_lba=second.first_lba + 4 * GRAIN))
    assert (whole.possible, whole.open_needs) == (True, ())


def test_what_was_found_is_asked_about_where_it_matters():
    rows = [(GiB, BASIC_DATA, fs(used=MiB), {"role": "data"}) for _ in range(2)]
    source = row_of(*rows, label_gb=120)
    plan = make_plan(source, nominal_disk(240 * GB), Options(fit="same"))
    first, second = source.rows
    there = plan.target.but(table="gpt", partitions=(first, second.but(first_lba=second.first_lba + 4 * GRAIN)))
    asked = {question.kind.key: question for question in questions_of(plan, Facts(), there)}
    assert asked["found_right"].decides
    assert (asked["again"].answer, asked["again"].decides) == (frozenset(), False)
    assert not {"found_right", "again"} & {question.kind.key for question in questions_of(plan, Facts())}
    again = carry_out(plan, facts_from({"again": " 2", "found_right": "yes"}), "finish", there=there)
    assert [(step.kind, step.row) for step in again.sequence.steps if step.kind == "copy"] == [("copy", 2)]
    assert facts_from(facts_to_data(again.ground.facts)) == again.ground.facts
    with pytest.raises(BadOption, match="is not a partition number"):
        facts_from({"again": "2, x"})


@pytest.mark.parametrize(("kind", "made"), [("swap", False), ("ext4", True), (None, True)])
def test_a_swap_that_stands_there_is_not_made_again(kind, made):
    """By what it holds: a partition of its type in its place may be empty."""
    data = [(GiB, BASIC_DATA, fs(used=MiB, uuid=f"FS-{n}"), {"role": "data", "uuid": f"R-{n}"}) for n in (1, 2)]
    rows = [*data, (GiB, LINUX_SWAP, fs("swap"))]
    plan = make_plan(row_of(*rows, label_gb=120), nominal_disk(240 * GB), Options(fit="same"))
    swap = plan.source.rows[2].but(filesystem=kind and fs(kind))
    there = plan.target.but(table="gpt", partitions=(plan.source.rows[0], swap))
    way = carry_out(plan, READY, "finish", there=there)
    assert ("make" in {step.kind for step in way.sequence.steps}) is made
    assert [p.number for p in unknown_rows(way.ground)] == ([3] if made else [])
