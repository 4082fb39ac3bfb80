"""``ylemorph.plan/1`` and its other forms."""

import csv
import io
import json

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from tests.make import desk, fs, row_of, sources, targets, wishes
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB
from ylemorph.formats.documents.plan_text import plan_to_text
from ylemorph.formats.own.plan import plan_to_csv, plan_to_data
from ylemorph.formats.own.plan_schema import schema

SCHEMA = jsonschema.Draft202012Validator(schema())

# The contract's fields, by the object that holds them.
PLAN = {
    "format", "fit", "verdict", "headroom_kept", "shortfall_bytes", "grain_bytes", "target", "rows", "unallocated",
    "findings", "remedies",
}  # fmt: skip
TARGET = {
    "sectors", "logical_sector_bytes", "table", "first_usable_lba", "last_usable_lba", "unreachable_bytes", "tail_bytes"
}  # fmt: skip
ROW = {
    "number", "role", "carried", "elastic", "pinned", "change", "source_bytes", "used_bytes", "hard_floor_bytes",
    "comfort_floor_bytes", "first_lba", "sectors", "size_bytes", "free_after_bytes",
}  # fmt: skip


@st.composite
def cases(draw):
    source = draw(sources())
    return source, draw(targets()), draw(wishes(source))


@given(cases())
def test_every_plan_keeps_the_schema(case):
    data = plan_to_data(make_plan(*case))
    SCHEMA.validate(json.loads(json.dumps(data)))


def test_the_contracts_fields_are_there():
    data = plan_to_data(make_plan(desk(), nominal_disk(480 * GB), Options(fit="snug")))
    assert set(data) >= PLAN
    assert set(data["target"]) >= TARGET
    assert all(set(row) >= ROW for row in data["rows"])
    assert data["target"]["last_usable_lba"] == 937703054
    assert set(data["unallocated"][0]) == {"first_lba", "sectors", "bytes"}


def test_nothing_fits_and_all_target_figures_are_null():
    data = plan_to_data(make_plan(desk(), nominal_disk(240 * GB), Options()))
    assert data["verdict"] == "does-not-fit"
    for row in data["rows"]:
        assert row["first_lba"] is row["sectors"] is row["size_bytes"] is row["free_after_bytes"] is None
    assert {"kind", "row", "bytes", "verdict_after", "text"} <= set(data["remedies"][0])


def test_csv():
    text = plan_to_csv(make_plan(desk(), nominal_disk(480 * GB), Options(leave=frozenset((4,)))))
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [row["number"] for row in rows] == ["1", "2", "3", "4", "5"]
    assert (rows[3]["carried"], rows[3]["size_bytes"]) == ("false", "")
    assert int(rows[2]["size_bytes"]) == int(rows[2]["sectors"]) * 512


def test_a_label_never_becomes_a_formula():
    source = row_of((GiB, BASIC_DATA, fs(used=GiB // 2, label="=1+1"), {"role": "data"}))
    # Labels stand behind the row's number, so a spreadsheet sees text.
    assert ",1 =1+1," in plan_to_csv(make_plan(source, nominal_disk(480 * GB), Options()))


def test_text_is_plain_where_it_is_piped_and_coloured_in_a_terminal():
    source, target = desk(), nominal_disk(240 * GB)
    plan = make_plan(source, target, Options())
    plain = plan_to_text(plan, source, target, terminal=False)
    assert "\x1b" not in plain
    for word in ("Does not fit", "9.2 GiB short", "Lighten Desk (3)", "240 GB, shows as 224 GiB"):
        assert word in plain.replace("9.20", "9.2")
    assert "\x1b[" in plan_to_text(plan, source, target, terminal=True)
