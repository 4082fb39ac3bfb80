"""Rule 13: when each way is possible, what it says, and which one is proposed."""

import random

import pytest

from tests.make import desk, disk, fs, part, row_of
from ylemorph.core.carry.carrying import carry_out, outlook, questions_of
from ylemorph.core.carry.check_lists import lists_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.row_steps import record_of
from ylemorph.core.carry.sequence import WAYS
from ylemorph.core.carry.told import Told
from ylemorph.core.carry.ways import WAY_KINDS, steps_of
from ylemorph.core.disk.model import Health, Inside, UsageMap
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.script.by_script import gaps_of
from ylemorph.core.sizes import GB, GiB, MiB, format_size

from .pairs import random_facts, random_plan

NOTHING = Facts()
ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=200 * GiB)


def planned(source, target="480", facts=ALL, **options):
    return carry_out(make_plan(source, nominal_disk(int(target) * GB), Options(**options)), facts)


def way(carrying, key):
    return next(way for way in carrying.ways if way.key == key)


def data_only(**more):
    return disk(
        4 * 10**9, part(1, MiB, 900 * GiB, BASIC_DATA, fs(used=100 * GiB, label="Archive", **more), role="data")
    )


def test_every_way_of_the_contract_is_in_the_table():
    assert tuple(WAY_KINDS) == WAYS


@pytest.mark.parametrize(
    ("key", "facts", "why"),
    [
        ("straight", {"both_attached": "no"}, "Both disks cannot be attached at once"),
        ("shrink-first", {"change_source": "no"}, "The source may not be changed"),
        ("shrink-first", {"backup": "no"}, "There is no backup of the source"),
        # Start, system, data and recovery: 33 MiB + 131 GiB + 96 GiB + 572 MiB of used space (rule 13)
        ("through-image", {"workspace": 96 * GiB}, "Needs 228 GiB of workspace, 96 GiB free"),
        ("through-image", {"workspace": 500 * GiB, "health": "worn"}, "Needs 932 GiB of workspace, 500 GiB free"),
        ("straight", {"health": "failing"}, "The source is failing: it is read once, into an image"),
        ("shrink-first", {"health": "failing"}, "The source is failing"),
        ("shrink-first", {"health": "worn"}, "The source is worn"),
    ],
)
def test_an_impossible_way_says_why_with_its_figure(key, facts, why):
    made = planned(desk(), facts=ALL.but(**facts))
    assert not way(made, key).possible
    assert way(made, key).why.startswith(why)
    with pytest.raises(BadOption, match=why[1:20]):
        carry_out(made.ground.plan, made.ground.facts, key)


# --- what the running system says ------------------------------------------------------------------------------------


def told(**more):
    """The desk with what its own Windows says of the system row, which stands on 420 GiB."""
    source = desk()
    rows = [p.but(filesystem=p.filesystem.but(**more)) if p.number == 3 else p for p in source.partitions]
    return source.but(partitions=tuple(rows))


@pytest.mark.parametrize(("more", "possible"), [(0, True), (MiB, False), (-MiB, True)])
def test_windows_own_word_binds_its_own_shrink_alone(more, possible):
    """At exactly what is planned its own shrink does it, a grain above not; from outside nothing changes."""
    size = next(row.size_bytes for row in planned(desk()).ground.plan.rows if row.number == 3)
    made = planned(told(told_least_bytes=size + more, told_by="windows", pinning=("pagefile.sys of 8 GiB",)))
    assert next(row.size_bytes for row in made.ground.plan.rows if row.number == 3) == size
    assert way(made, "shrink-first").possible is possible
    assert all(way(made, key).possible for key in ("straight", "through-image"))
    found = [finding for finding in made.ground.plan.findings if finding.code == "told-least"]
    assert bool(found) is not possible
    if found:
        assert "Windows itself makes Desk (3) no smaller than" in way(made, "shrink-first").why
        assert "(pagefile.sys of 8 GiB stays where it is)" in found[0].text()


def test_the_word_of_another_or_of_a_row_that_does_not_get_smaller_binds_nothing():
    assert way(planned(told(told_least_bytes=410 * GiB, told_by="resizer")), "shrink-first").key == "shrink-first"
    made = planned(told(told_least_bytes=410 * GiB, told_by="windows"), "2000")
    assert way(made, "shrink-first").possible
    assert all(finding.code != "told-least" for finding in made.ground.plan.findings)
    same = planned(told(told_least_bytes=425 * GiB, told_by="windows"), "2000", fit="same")
    (load,) = [load for load in same.ground.loads if load.number == 3]
    assert load.goal.length == load.hold.extent.length
    assert way(same, "shrink-first").possible


@pytest.mark.parametrize(("encryption", "guarded"), [("active", "protection on"), ("paused", "protection paused")])
def test_an_open_encrypted_row_is_planned_and_the_ways_say_where(encryption, guarded):
    """Its used space counts; only its own system, or a copier in it, makes it smaller."""
    plain, made = planned(desk()), planned(told(encryption=encryption))
    assert [row.size_bytes for row in made.ground.plan.rows] == [row.size_bytes for row in plain.ground.plan.rows]
    assert "Desk (3) goes into the image encrypted" in way(made, "through-image").why
    assert not way(made, "through-image").possible
    assert "by a copier that runs in its own system" in way(made, "straight").why
    assert way(made, "shrink-first").possible
    shrinking = [words for words in lists_and_words(made, "shrink-first") if "its protection is paused" in words]
    assert len(shrinking) == 1
    found = next(finding for finding in made.ground.plan.findings if finding.code == "encrypted-open")
    assert guarded in found.text()
    larger = planned(told(encryption=encryption), "2000")
    assert way(larger, "through-image").possible


def grouped(used=131 * GiB, last=300 * GiB, target="480"):
    """A desk whose system row is a physical volume of LVM, read or only named."""
    extents = {
        "used_kind": "counted", "used_bytes": used, "last_used_byte": last, "cluster_bytes": 4 * MiB,
        "label": "reading", "size_bytes": 419 * GiB + MiB, "usage_map": UsageMap(GiB, (0,) * 200 + (GiB,) * 100),
        "inside": (Inside("root", 100 * GiB, "linear", "ext4"), Inside("home", 31 * GiB)),
    }  # fmt: skip
    return planned(told(kind="lvm", **(extents if used else {"used_bytes": None})), target)


def test_a_volume_group_is_made_smaller_by_its_own_utilities_before_the_copy():
    made = grouped()
    size = next(row.size_bytes for row in made.ground.plan.rows if row.number == 3)
    assert size < 420 * GiB
    assert "which no copier makes smaller" in way(made, "straight").why
    assert way(made, "shrink-first").possible
    (step,) = [step for step in way(made, "shrink-first").steps if step.kind == "shrink" and step.row == 3]
    first = (size - MiB) // (4 * MiB)
    assert record_of("shrink").words(Told(made.ground, "shrink-first", step, "binary")).typed == (
        f"pvmove --alloc anywhere PART:{first}-", f"pvresize --setphysicalvolumesize {size}B PART",
    )  # fmt: skip
    found = next(finding for finding in made.ground.plan.findings if finding.code == "volumes-inside")
    assert "is the volume group reading with root, home" in found.text()
    assert next(row for row in made.ground.plan.rows if row.number == 3).row.floors.hard * MiB == 131 * GiB


def test_a_volume_group_gets_larger_by_any_way_and_is_extended_by_hand():
    made = grouped(target="2000")
    assert way(made, "straight").possible
    (step,) = [step for step in way(made, "straight").steps if step.kind == "grow" and step.row == 3]
    typed = record_of("grow").words(Told(made.ground, "straight", step, "binary")).typed
    assert typed[0] == "pvresize PART"
    assert [text for number, text in gaps_of(made.ground, "straight") if number == 3] == [
        "reading (3): LVM member cannot be made larger here; it is copied and fills 841 GiB once you extend it."
    ]
    assert next(load.copied for load in made.ground.loads if load.number == 3) == 420 * GiB  # no copier looks into it


def test_a_volume_group_of_which_nothing_was_read_is_held():
    made = grouped(used=None, target="1000")
    row = next(row for row in made.ground.plan.rows if row.number == 3)
    assert (row.change, row.row.ability.smaller) == ("holds", False)


def lists_and_words(made, key):
    """What stands before each step that makes a row smaller, one text a step."""
    told = [Told(made.ground, key, step, "binary") for step in way(made, key).steps if step.kind == "shrink"]
    return [" ".join(record_of("shrink").words(one).before) for one in told]


@pytest.mark.parametrize(
    ("said", "fact", "before", "after"),
    [
        ("active", "unknown", "Encryption of Desk (3) is paused", True),
        ("paused", "unknown", "Encryption of Desk (3) is paused", True),
        ("none", "unknown", "", False),
        ("unknown", "unknown", "Encryption is paused", False),
        ("none", "active", "Encryption is paused", True),
        ("active", "none", "", False),
    ],
)
def test_what_is_ticked_off_of_encryption_follows_the_survey_and_the_person(said, fact, before, after):
    made = planned(told(encryption=said), facts=ALL.but(encryption=fact))
    texts = {item.key: item.text for item in lists_of(made.ground, "straight")}
    assert texts.get("encryption", "").startswith(before)
    assert ("encryption" in texts, "encryption-again" in texts) == (bool(before), after)


def test_a_backup_comes_out_at_its_old_size():
    small, large = planned(desk()), planned(desk(), "2000")
    assert "its last row ends 484 GiB past" in way(small, "restore").why
    assert way(large, "restore").possible
    assert way(large, "restore").workspace_bytes == 0


def test_what_nobody_said_does_not_rule_a_way_out_but_is_named():
    made = planned(desk(), facts=Facts())
    assert way(made, "straight").open_needs == ("both_attached",)
    assert "both disks attached at once, not said yet" in way(made, "straight").why
    assert way(made, "shrink-first").open_needs == ("change_source", "backup")
    assert made.proposed == "straight"


@pytest.mark.parametrize("state", ["dirty", "damaged", "hibernated"])
def test_a_file_system_that_is_not_clean_is_copied_through_an_image_or_not_at_all(state):
    made = planned(data_only(state=state), "1000", ALL.but(backup="no"))
    assert not way(made, "straight").possible
    assert f"is {state}" in way(made, "straight").why
    assert way(made, "through-image").possible
    assert made.proposed == "through-image"


def test_a_disk_with_data_only_needs_no_clone():
    made = planned(data_only())
    assert made.proposed == "files"
    assert "quicker and simpler" in way(made, "files").why
    assert "go over" not in way(made, "files").why
    system = planned(desk())
    assert "do not start a machine" in way(system, "files").why


@pytest.mark.parametrize("health", ["worn", "failing"])
def test_a_worn_or_failing_source_is_read_once_whole_and_first(health):
    source = desk(health=Health(health))
    made = planned(source)
    assert made.proposed == "through-image"
    first = made.sequence.steps[0]
    assert (first.kind, first.from_disk, first.to.length) == ("read", "source", source.sectors)
    assert first.read_bytes == source.size_bytes
    assert not [step for step in made.sequence.steps[1:] if "source" in (step.disk, step.from_disk)]


def test_no_change_to_the_source_comes_before_time():
    made = planned(desk(), facts=ALL.but(both_attached="no", workspace=2**50))
    assert way(made, "shrink-first").possible
    assert sum(way(made, "shrink-first").seconds) < sum(way(made, "through-image").seconds)
    assert made.proposed == "through-image"
    forced = planned(desk(), facts=ALL.but(both_attached="no", workspace=0))
    assert forced.proposed == "shrink-first"
    assert way(forced, "shrink-first").changes_source


def test_disks_with_other_sectors_have_no_way():
    source = desk()
    target = nominal_disk(2000 * GB).but(sectors=488_378_646, logical_sector_bytes=4096)
    made = carry_out(make_plan(source, target, Options()), ALL)
    assert made.way is None
    assert all("512 and 4096" in one.why for one in made.ways)


def test_a_plan_that_does_not_fit_has_no_way_and_asks_nothing():
    made = planned(desk(), "240")
    assert made.way is None
    assert {one.why for one in made.ways} == {"The plan does not fit"}
    assert questions_of(made.ground.plan, Facts()) == ()
    assert outlook(made.ground.plan, Facts()) is None


def asked(source, facts=NOTHING, target="480"):
    plan = make_plan(source, nominal_disk(int(target) * GB), Options())
    return {q.kind.key for q in questions_of(plan, facts) if q.decides}


def test_a_fact_that_decides_nothing_is_not_asked():
    assert "encryption" not in asked(data_only(), Facts())
    assert "encryption" in asked(desk())
    assert "backup_size" not in asked(desk(), target="2000")
    assert "backup_size" in asked(desk(), Facts(backup="yes"), target="2000")
    # What the survey says already: link and health
    assert {"source_link", "health"} <= asked(desk())
    assert not {"source_link", "health"} & asked(desk(link="usb3", health=Health("good")))
    # Where the source is failing only the image is left, so whether it may be changed decides nothing
    assert "change_source" not in asked(desk(health=Health("failing")))


def test_how_long_is_said_while_the_plan_is_fitted():
    plan = make_plan(desk(), nominal_disk(480 * GB), Options())
    said = outlook(plan, ALL.but(both_attached="no", workspace=0))
    assert said.way == "shrink-first"
    assert "228 GiB to copy, what must be packed is not known" in said.sentence()
    assert outlook(plan, ALL).sentence().endswith(": 228 GiB to copy")
    assert outlook(plan, ALL, "through-image").way == "through-image"


def test_what_must_be_packed_is_added_up_over_all_rows_that_get_smaller():
    full = UsageMap(100 * GiB, (40 * GiB, GiB, GiB, 2 * GiB, GiB))
    rows = [(500 * GiB, BASIC_DATA, fs(used=45 * GiB, usage_map=full), {"role": "data"}) for _ in range(2)]
    plan = make_plan(row_of(*rows, label_gb=1100), nominal_disk(500 * GB), Options(fit="snug"))
    said = outlook(plan, ALL, "shrink-first")
    shrinks = [step.write_bytes for step in carry_out(plan, ALL, "shrink-first").way.steps if step.kind == "shrink"]
    assert len(shrinks) == 2
    assert said.packed == sum(shrinks) > max(shrinks) > 0
    assert said.sentence().endswith(f"{format_size(said.copied)} to copy, {format_size(said.packed)} to pack")
    assert "pack" not in said._replace(packed=0).sentence()


def test_what_the_times_rest_on():
    common, measured = (planned(desk(read_rates=rates)).times_from for rates in ((), (90_000_000, 100_000_000)))
    assert common.startswith("common practice")
    assert measured.startswith("the source's measured rate")


def test_a_way_without_steps_cannot_be_carried_out():
    too_small = planned(desk(), target="64")
    with pytest.raises(BadOption, match="the plan does not fit") as refused:
        steps_of(too_small.ground, "straight")
    assert refused.value.at == "way"


def test_the_copier_leaves_rows_that_get_larger_to_the_hand():
    same, larger = (
        planned(desk(), target=target, fit=fit).ground for target, fit in (("1000", "same"), ("2000", "proportional"))
    )
    left = "place what the copier does not place: end rows, held rows"
    assert WAY_KINDS["straight"].by_hand(same, "binary") == left
    assert WAY_KINDS["straight"].by_hand(larger, "binary").startswith(f"{left}; make ")


def test_what_is_proposed_at_once_is_what_all_ways_together_propose():
    for seed in range(40):
        rnd = random.Random(seed)
        plan, facts = random_plan(rnd), random_facts(rnd)
        facts = facts.but(
            **{key: rnd.choice(("unknown", "yes", "no")) for key in ("change_source", "backup")},
            workspace=rnd.choice((None, 0, 2**50)),
        )
        made, said = carry_out(plan, facts), outlook(plan, facts)
        assert made.proposed == (said.way if said else None), seed
        assert said is None or said.seconds == way(made, said.way).seconds


def test_one_row_alone_and_rows_left_behind():
    source = row_of((10 * GiB, BASIC_DATA, fs(used=GiB)), (10 * GiB, BASIC_DATA, fs(used=GiB)), label_gb=60)
    nothing = carry_out(make_plan(source, nominal_disk(60 * GB), Options(leave=frozenset({1, 2}))), ALL)
    assert {one.why for one in nothing.ways} == {"Nothing goes over"}
    one = carry_out(make_plan(source, nominal_disk(60 * GB), Options(leave=frozenset({1}))), ALL)
    assert [hold.row for hold in one.sequence.holds] == [2]


@pytest.mark.parametrize(
    ("fit", "left"), [("same", "move end rows"), ("rest-to-one", "make Desk larger, move end rows")]
)
def test_what_a_restored_backup_leaves_to_do(fit, left):
    """Under equal sizes nothing grows, so only the end rows are left."""
    by_hand = WAY_KINDS["restore"].by_hand(planned(desk(), 1000, fit=fit).ground, "binary")
    assert by_hand == left
