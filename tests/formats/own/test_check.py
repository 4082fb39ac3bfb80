"""``ylemorph.check/1``, plans read back, and finished disks of random plans as their table images."""

import itertools
import json
import os
import random

import jsonschema
import pytest

from tests.core.carry.pairs import random_plan
from tests.core.checkback.test_compare import GPT, MBR, finished, without
from tests.formats.documents.test_table_bytes import image_of
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.errors import YlemorphError
from ylemorph.formats.own.check import check_to_data, check_to_text, read_plan, schema
from ylemorph.formats.own.plan import plan_to_data, plan_to_json
from ylemorph.probe.disks import survey_path

SCHEMA = jsonschema.Draft202012Validator(schema())


@pytest.mark.parametrize("plan", [GPT, MBR], ids=["gpt", "mbr"])
def test_a_plan_reads_back_as_what_it_is_compared_with(plan):
    made, read = planned_of(plan), read_plan(plan_to_json(plan).encode())
    assert read == made._replace(target=made.target._replace(table_id=""))


def test_a_check_is_as_its_schema_says():
    checked = check_back(planned_of(GPT), without(finished(GPT), 5))
    data = json.loads(json.dumps(check_to_data(checked)))
    SCHEMA.validate(data)
    assert list(data)[:3] == ["format", "as_planned", "findings"]
    assert list(data["findings"][0])[:7] == ["level", "code", "row", "text", "do", "planned", "found"]
    assert data["as_planned"] is False
    assert "row-missing" in check_to_text(checked)
    assert check_to_text(check_back(planned_of(GPT), finished(GPT))) == "As planned\n"


MANY = 300 if os.environ.get("HYPOTHESIS_PROFILE") == "deep" else 120


def test_the_tables_of_random_plans_are_as_planned(tmp_path):
    """GPT and MBR with logicals, orders changed, rows left out: by our own writer, read by the probe."""
    plans = (random_plan(random.Random(seed)) for seed in itertools.count())
    tables = []
    for seed, plan in enumerate(itertools.islice((p for p in plans if p.verdict), MANY)):
        image = image_of(plan, tmp_path / "disk.img")
        found = survey_path(image).disk.but(start_code=None)  # a plan has no bytes of it
        checked = check_back(read_plan(plan_to_json(plan).encode()), found)
        assert {d.kind.code for d in checked.differences} <= {"kind-off"}, seed
        bare = found.but(partitions=tuple(p.but(filesystem=None) for p in found.partitions))
        assert check_back(planned_of(plan), bare).differences == (), seed
        tables.append(plan.frame.table)
    assert min(tables.count("gpt"), tables.count("mbr")) > MANY // 5


def test_a_damaged_table_is_found_for_what_it_is(tmp_path):
    """Read by the probe: one copy damaged, the backup gone, both gone."""
    for name, places, wanted in (
        ("first", (512,), {"table-backup"}), ("backup", (-512,), {"table-backup"}),
        ("both", (512, -512), {"table-kind"}),
    ):  # fmt: skip
        image = image_of(GPT, tmp_path / name)
        with open(image, "r+b") as file:
            for place in places:
                file.seek(place, 0 if place > 0 else 2)
                file.write(bytes(512))
        checked = check_back(planned_of(GPT), survey_path(image).disk)
        assert {d.kind.code for d in checked.differences} - {"kind-off"} == wanted, name


def wrong(path, value):
    data = json.loads(plan_to_json(GPT))
    *way, last = path.split(".")
    place = data
    for part in way:
        place = place[int(part)] if isinstance(place, list) else place[part]
    place[int(last) if isinstance(place, list) else last] = value
    return json.dumps(data).encode()


@pytest.mark.parametrize(
    ("text", "at"),
    [
        (b"", ""), (b"[]", "format"), (b"{}", "format"), (b"\xff", ""), (wrong("format", "ylemorph.disk/1"), "format"),
        (wrong("verdict", "does-not-fit"), "verdict"), (wrong("verdict", None), "verdict"),
        (wrong("rows.0.first_lba", -1), "rows[0].first_lba"), (wrong("rows.0.first_lba", None), "rows[0]"),
        (wrong("rows.2.kind", "zfs"), "rows[2].kind"), (wrong("target.sectors", 0), "target.sectors"),
        (wrong("target.sectors", 2**80), "target.sectors"), (wrong("rows", 7), "rows"),
        (wrong("grain_bytes", 0), "grain_bytes"),
    ],
)  # fmt: skip
def test_what_is_no_plan_is_one_sentence_with_its_place(text, at):
    with pytest.raises(YlemorphError) as caught:
        read_plan(text)
    assert caught.value.at == at
    assert caught.value.mend


def test_a_plan_of_an_earlier_version_leaves_out_what_it_does_not_know():
    data = plan_to_data(GPT)
    del data["source"]
    for row in data["rows"]:
        for key in ("entry", "type", "flags", "filesystem_bytes"):
            del row[key]
    planned = read_plan(json.dumps(data).encode())
    assert check_back(planned, finished(GPT)).differences == ()
