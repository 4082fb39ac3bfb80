"""``ylemorph.steps/1``: its shape, read back for a rehearsal, and everything that a hostile file can hold."""

import json

import jsonschema
import pytest

from tests.make import desk
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import FACTS, Facts
from ylemorph.core.carry.rehearse import rehearse
from ylemorph.core.carry.times import Span, time_range
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB
from ylemorph.formats.documents.steps_text import steps_to_text
from ylemorph.formats.own.options import facts_from, facts_to_data
from ylemorph.formats.own.steps import film_to_data, steps_to_data, steps_to_json
from ylemorph.formats.own.steps_read import read_steps
from ylemorph.formats.own.steps_schema import schema

SCHEMA = jsonschema.Draft202012Validator(schema())

ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=200 * GiB)


def made(way="through-image", target=480, **options):
    return carry_out(make_plan(desk(), nominal_disk(target * GB), Options(**options)), ALL, way)


def written(**changes):
    data = steps_to_data(made())
    data.update(changes)
    return data


@pytest.mark.parametrize(
    ("way", "target"), [("straight", 480), ("shrink-first", 480), ("through-image", 480), ("restore", 2000)]
)
def test_steps_are_as_their_schema_says_and_read_back_equal(way, target):
    carrying = made(way, target)
    data = json.loads(steps_to_json(carrying))
    SCHEMA.validate(data)
    read = read_steps(steps_to_json(carrying).encode())
    bare = [
        step._replace(read_bytes=0, write_bytes=0, span=Span(), free_sectors=None) for step in carrying.sequence.steps
    ]
    assert list(read.steps) == bare
    assert (read.holds, read.disks, read.usable) == (
        carrying.sequence.holds, carrying.sequence.disks, carrying.sequence.usable,
    )  # fmt: skip
    assert rehearse(read).safe


def test_the_fields_of_the_contract_are_there():
    data = written()
    assert list(data)[:8] == ["format", "way", "ways", "disks", "grain_bytes", "holds", "steps", "plan"]
    assert list(data["ways"][0])[:6] == ["key", "possible", "why", "seconds", "workspace_bytes", "changes_source"]
    assert list(data["steps"][0])[:13] == [
        "number", "kind", "disk", "row", "from_disk", "from", "to", "read_bytes", "write_bytes", "seconds", "say",
        "before", "undo",
    ]  # fmt: skip
    assert set(data["disks"]) == {"source", "image", "target"}
    assert set(data["disks"]["image"]) == {"sectors", "logical_sector_bytes"}
    assert all(set(hold) == {"row", "first_lba", "sectors", "bytes", "fixed"} for hold in data["holds"])


def test_without_a_way_there_are_no_steps_and_it_still_is_the_format():
    carrying = carry_out(make_plan(desk(), nominal_disk(240 * GB), Options()), ALL)
    data = steps_to_data(carrying)
    SCHEMA.validate(data)
    assert (data["way"], data["steps"], data["rehearsal"]) == (None, [], None)
    assert "no way" in steps_to_text(carrying, terminal=False)


def test_the_film_tells_only_what_changes():
    carrying = made()
    film = film_to_data(carrying.film)
    assert len(film) == len(carrying.sequence.steps) + 1
    assert {piece["row"] for change in film[0]["changes"] for piece in change["come"]} == {1, 3, 4, 5}
    standing = set()
    for frame in film:
        for change in frame["changes"]:
            for name, keep in (("gone", standing.discard), ("come", standing.add)):
                for piece in change[name]:
                    keep((change["disk"], piece["row"], piece["first_lba"], piece["sectors"], piece["whole"]))
    last = carrying.film[-1].contents
    assert standing == {
        (disk, c.row, c.extent.start, c.extent.length, True) for disk, contents in last.items() for c in contents
    }


def test_the_text_says_the_steps_their_figures_and_the_lists():
    text = steps_to_text(made("straight"), terminal=False)
    assert "Straight across · 8 steps" in text.splitlines()[0]
    assert "rehearsed: nothing lost" in text
    assert "New size 206209 MiB (422316032 sectors)" in text
    assert "[ ] The machine was shut down fully" in text


# --- hostile files ----------------------------------------------------------------------------------------------------


def at(data, path, value):
    """``data`` with the value at a path such as ``steps.0.row`` changed."""
    *way, last = path.split(".")
    place = data
    for part in way:
        place = place[int(part)] if isinstance(place, list) else place[part]
    place[int(last) if isinstance(place, list) else last] = value
    return data


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        ("format", "ylemorph.plan/1", "format: these are not steps"),
        ("way", "teleport", "way: "),
        ("steps.0.kind", "burn", "steps[0].kind: "),
        ("steps.1.row", 77, "steps[1].row: there is no row 77 for a copy"),
        ("steps.1.row", None, "steps[1].row: a copy needs “row”"),
        ("steps.1.from", None, "steps[1].from: a copy needs “from”"),
        ("steps.1.to.sectors", -5, "steps[1].to.sectors: "),
        ("steps.1.to.sectors", 0, "steps[1].to.sectors: "),
        ("steps.1.to.first_lba", 2**70, "steps[1].to.first_lba: "),
        ("steps.1.to.first_lba", "2048", "steps[1].to.first_lba: "),
        ("steps.1.disk", "shelf", "steps[1].disk: "),
        ("disks.image", None, "steps[1].disk: there is no disk “image”"),
        ("disks.source.sectors", 5, "holds[0]: row 1 stands past the end of the source"),
        ("holds.0.row", 99, "holds[0]: row 99 has no place in the plan"),
        ("holds.0.bytes", -1, "holds[0].bytes: "),
        ("plan.rows", [], "holds[0]: row 1 has no place in the plan"),
        ("plan.target.table", "none", "plan.target.table: "),
        ("steps", {}, "steps: "),
    ],
)
def test_what_cannot_be_rehearsed_is_one_sentence_with_its_place(path, value, said):
    with pytest.raises(YlemorphError) as caught:
        read_steps(json.dumps(at(written(), path, value)).encode())
    assert caught.value.sentence().startswith(said)
    assert caught.value.mend
    assert "\n" not in caught.value.sentence()


@pytest.mark.parametrize(
    "text", [b"", b"[]", b"{", b"\xff\xfe", b"[" * 100_000, b"null", b'{"format": "ylemorph.steps/1"}']
)
def test_what_is_no_steps_at_all(text):
    with pytest.raises(YlemorphError):
        read_steps(text)


def test_two_holds_of_one_row_and_rows_that_overlap():
    data = written()
    data["holds"].append(data["holds"][0])
    with pytest.raises(YlemorphError, match="named twice"):
        read_steps(json.dumps(data).encode())
    data = written()
    data["holds"][1]["first_lba"] = data["holds"][0]["first_lba"]
    with pytest.raises(YlemorphError, match="overlap"):
        read_steps(json.dumps(data).encode())


def test_a_loop_of_moves_is_not_safe_and_names_where_it_fails():
    data = steps_to_data(made("restore", 2000))
    place = next(n for n, step in enumerate(data["steps"]) if step["kind"] == "move")
    data["steps"][place + 1 : place + 1] = [dict(data["steps"][place]) for _ in range(3)]
    verdict = rehearse(read_steps(json.dumps(data).encode()))
    assert (verdict.safe, verdict.step, verdict.row) == (False, place + 2, 5)
    assert verdict.reason


def test_overwriting_names_the_step_that_wrote():
    data = steps_to_data(made("straight"))
    steps = data["steps"]
    copies = [n for n, step in enumerate(steps) if step["kind"] == "copy"]
    steps[copies[2]]["to"]["first_lba"] = steps[copies[1]]["to"]["first_lba"]  # the fourth row over the third
    verdict = rehearse(read_steps(json.dumps(data).encode()))
    assert (verdict.step, verdict.row, verdict.reason) == (copies[2] + 1, 3, "row 3 was written over")


# --- facts ------------------------------------------------------------------------------------------------------------


def test_facts_read_back_equal():
    assert facts_from(facts_to_data(ALL)) == ALL
    assert facts_to_data(Facts()) == {}
    assert facts_from({"workspace": "131GiB", "backup": "yes"}) == Facts(workspace=131 * GiB, backup="yes")
    assert all(kind.set_words and kind.unset_words and kind.help.endswith("?") for kind in FACTS.values())


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"weather": "fine"}, "facts: “weather” is no fact"),
        ({"backup": "perhaps"}, "facts.backup: “perhaps” is not known"),
        ({"workspace": "much"}, "facts.workspace: “much” is not a size"),
        ({"workspace": -5}, "facts.workspace: "),
        ({"workspace": "9999PB"}, "facts.workspace: "),
        ({"backup": "no", "backup_size": "5GiB"}, "facts.backup_size: a size is given for a backup that is not there"),
    ],
)
def test_facts_that_cannot_be_used(given, said):
    with pytest.raises(YlemorphError) as caught:
        facts_from(given)
    assert caught.value.sentence().startswith(said)


def test_the_time_up_to_a_step_is_no_sum_of_ends():
    carrying = made()
    steps = steps_to_data(carrying)["steps"]
    assert steps[0]["until"] == steps[0]["time"]
    assert steps[-1]["until"] == time_range(carrying.way.seconds)
    assert carrying.way.seconds[1] < sum(step["seconds"][1] for step in steps)
