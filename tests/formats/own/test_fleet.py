"""Many surveys at once: files, tables and archives, broken and malicious ones; a fleet read by other libraries."""

import csv
import io
import json
import zipfile

import jsonschema
import openpyxl
import pytest

from tests.make import desk
from ylemorph.core.buy.assess import Target, assess
from ylemorph.core.buy.fleet import Read, Trouble, able_of, buy, fleet_of, smallest_for
from ylemorph.core.buy.shelf import ShelfDisk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB
from ylemorph.formats.documents.fleet_text import fleet_to_text
from ylemorph.formats.listings import fleet_read
from ylemorph.formats.listings.fleet_read import Found, paths_under, read_item, read_path
from ylemorph.formats.own.fleet import HEADER, fleet_to_csv, fleet_to_data, fleet_to_json, schema, write_fleet_sheet
from ylemorph.formats.own.survey_data import write_survey

SCHEMA = jsonschema.Draft202012Validator(schema())

TARGETS = [Target("256GB", nominal_disk(256 * GB)), Target("480GB", nominal_disk(480 * GB))]


def survey_text(n=0, taken="2026-11-23T10:00:00Z", **more):
    return write_survey(Survey(desk(serial=f"BK4-{n:05}", model="Brindle K4", **more), taken))


def zipped(*items, **more):
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, **more) as archive:
        for name, text in items:
            archive.writestr(name, text)
    return file.getvalue()


def names(found):
    return [item.name for item in found]


def test_a_folder_with_a_broken_file_among_many(tmp_path):
    for n in range(99):
        (tmp_path / f"pc{n:03}.json").write_text(survey_text(n))
    (tmp_path / "broken.json").write_text("{")
    (tmp_path / ".hidden").write_text("x")
    (tmp_path / "Thumbs.db").write_text("x")
    found = [item for path in paths_under([str(tmp_path)]) for item in read_path(path)]
    assert [type(item) for item in found] == [Trouble] + [Found] * 99
    assert found[0].name.endswith("broken.json")
    assert "breaks off" in found[0].sentence
    assert found[1].name == "pc000"


def test_an_empty_folder_and_no_file():
    (trouble,) = read_path("/nowhere/at/all.json")
    assert trouble.sentence == "cannot be read (No such file or directory); check the path"


def test_an_empty_folder_is_said(tmp_path):
    (trouble,) = paths_under([str(tmp_path)])
    assert trouble.sentence.startswith("there is no file in this folder")


def test_an_archive_s_files_are_machines():
    data = zipped(("reading/pc1.json", survey_text(1)), ("pc2.json", survey_text(2)), ("__MACOSX/x", "x"), ("d/", ""))
    found = list(read_item("fleet.zip", data))
    assert names(found) == ["pc1", "pc2"]
    assert found[0].origin == "fleet.zip/reading/pc1.json"


def test_names_that_lead_outside_are_refused_and_the_rest_goes_on():
    data = zipped(("../pc0.json", survey_text()), ("/etc/pc1.json", survey_text()), ("C:\\pc2.json", survey_text()),
                  ("a/../../b.json", survey_text()), ("good.json", survey_text(3)))  # fmt: skip
    found = list(read_item("x.zip", data))
    assert [isinstance(item, Trouble) for item in found] == [True] * 4 + [False]
    assert all("leads outside" in item.sentence for item in found[:4])


def test_a_bomb_is_not_unpacked():
    bomb = zipped(("bomb.json", b"0" * 300_000_000), ("good.json", survey_text()))
    assert len(bomb) < 1_000_000
    first, second = read_item("x.zip", bomb)
    assert "which no survey has" in first.sentence
    assert second.name == "good"


def test_a_size_that_lies_is_not_believed():
    """The directory says 5 bytes; what comes out is bounded all the same."""
    data = bytearray(zipped(("liar.json", b"0" * 60_000_000)))
    at = data.rindex(b"PK\x01\x02")
    data[at + 24 : at + 28] = (5).to_bytes(4, "little")
    (found,) = read_item("x.zip", bytes(data))
    assert isinstance(found, Trouble)


def test_thousands_of_files_and_too_many(monkeypatch):
    monkeypatch.setattr(fleet_read, "MOST_FILES", 3_000)
    text = "machine,size,used\n" + "A,10GiB,5GiB\n"
    found = list(read_item("x.zip", zipped(*((f"{n}.csv", text) for n in range(3_000)))))
    assert len(found) == 3_000
    (trouble,) = read_item("x.zip", zipped(*((f"{n}", "") for n in range(3_001))))
    assert "are more than" in trouble.sentence


@pytest.mark.parametrize("data", [b"PK\x03\x04" + b"\0" * 60, zipped()[:10], zipped(("in.zip", zipped(("a", "b"))))])
def test_what_is_no_archive_is_said(data):
    (trouble,) = read_item("x.zip", data)
    assert isinstance(trouble, Trouble)


def test_a_table_with_a_line_a_partition():
    """Semicolons, decimal commas, mixed units; one machine broken, the others go on."""
    text = (
        "Machine;Serial;Disk;Size;Used;Role;Taken\nReading 1;R1;500GB;120 GiB;60,5 GiB;system;2026-11-01\n"
        "Reading 1;;;322122547200;20 GB;data;\nLoan;L9;256GB;200 GiB;300 GiB;system;\nCounter;;1TB;900GB;10 %;data;\n"
        ";;;1;1;;\nOld;;;10GiB;1GiB;;yesterday\n"
    )
    found = list(read_item("fleet.csv", text.encode()))
    good = [item for item in found if isinstance(item, Found)]
    assert names(good) == ["Reading 1", "Counter"]
    one = good[0].survey
    assert (one.disk.serial, one.taken, len(one.disk.rows)) == ("R1", "2026-11-01", 2)
    assert one.disk.sectors == 976_773_168
    assert [p.filesystem.used_bytes for p in one.disk.rows] == [60 * GiB + GiB // 2, 20 * GB]
    places = [item.sentence.split(":")[0] for item in found if isinstance(item, Trouble)]
    assert places == ["line 4, column used", "line 6, column machine", "line 7, column taken"]


def a_fleet(*surveys, fits=("proportional",)):
    read = [Read(name, name, assess(survey, TARGETS, fits, Options())) for name, survey in surveys]
    return fleet_of(TARGETS, fits, read, [Trouble("bad.json", "it breaks off")])


def test_lines_have_the_plan_s_figures():
    fleet = a_fleet(("desk", Survey(desk())), fits=FITS)
    lines = fleet_to_data(fleet)["lines"]
    assert len(lines) == 10
    for line in lines:
        plan = make_plan(desk(), nominal_disk(int(line["target"][:-2]) * GB), Options(fit=line["fit"]))
        system = next(row for row in plan.rows if row.role == "system")
        assert (line["verdict"], line["shortfall_bytes"]) == (plan.verdict, plan.shortfall_bytes)
        assert (line["must_bytes"], line["comfort_bytes"]) == (plan.must_bytes, plan.comfort_bytes)
        assert line["headroom_kept"] == int(plan.headroom_kept * 100) / 100
        assert line["system_free_bytes"] == system.free_after_bytes


def test_a_fleet_is_as_its_schema_says():
    fleet = a_fleet(("desk", Survey(desk())), ("small", Survey(desk(300 * GiB, 200 * GiB, serial="2"))))
    shelf = [ShelfDisk("480GB", nominal_disk(480 * GB), price=44_90, currency="EUR", stock=1)]
    data = fleet_to_data(fleet, buy(able_of(fleet), shelf))
    SCHEMA.validate(data)
    assert data["mix"] == {
        "currency": "EUR", "total_price": 44_90, "left_out": ["small"],
        "disks": [{"name": "480GB", "count": 1, "price": 44_90, "total_price": 44_90}],
    }  # fmt: skip
    text = fleet_to_text(fleet, buy(able_of(fleet), shelf))
    assert "least price: 1 x 480GB for 44.90 EUR, 1 left out" in text
    assert "256GB: 1 tight, 1 does not fit" in text


def test_one_disk_twice_counts_once():
    """The newest survey counts; the same survey again is a repeat, an older one an earlier state."""
    old, new = Survey(desk(serial="S"), "2025-01-01"), Survey(desk(serial="s", used_data=99 * GiB), "2026-01-01")
    twin = Survey(desk(table_id="0F"), ""), Survey(desk(table_id="0f"), "")
    fleet = a_fleet(("a", old), ("b", new), ("b again", new), ("c", twin[0]), ("d", twin[1]))
    data = fleet_to_data(fleet)
    assert {line["machine"] for line in data["lines"]} == {"b", "c"}
    assert data["repeated"] == [
        {"machine": "a", "of": "b", "earlier": True}, {"machine": "b again", "of": "b", "earlier": False},
        {"machine": "d", "of": "c", "earlier": False},
    ]  # fmt: skip
    assert data["counts"]["480GB"] == {"comfortable": 2, "tight": 0, "does-not-fit": 0}
    assert data["problems"] == [{"file": "bad.json", "problem": "it breaks off"}]


def test_the_smallest_size_for_all_and_for_nearly_all():
    """Twenty machines: nineteen need 200 GB, one 900: all from 960 GB, 95 % from 240. By hand."""
    assert smallest_for([200 * GB] * 19 + [900 * GB]) == ("960GB", "240GB")
    assert smallest_for([200 * GB] * 18 + [900 * GB] * 2) == ("960GB", "960GB")
    assert smallest_for([200 * GB] * 19 + [None]) == (None, "240GB")
    assert smallest_for([]) == (None, None)


def test_a_csv_cannot_become_a_formula():
    fleet = a_fleet(*((name, Survey(desk(serial=name + "1"))) for name in ("=1+1", "+1", "-1", "@x", "\tx", "plain")))
    rows = list(csv.reader(io.StringIO(fleet_to_csv(fleet))))
    assert tuple(rows[0]) == HEADER
    assert [row[0] for row in rows[1::2]] == ["'=1+1", "'+1", "'-1", "'@x", "'\tx", "plain"]
    assert all(row[2] == str(desk().size_bytes) for row in rows[1:])


def test_a_sheet_opens_with_figures_as_figures(tmp_path):
    fleet = a_fleet(("=1+1", Survey(desk())))
    with (tmp_path / "f.xlsx").open("wb") as file:
        write_fleet_sheet(fleet, file)
    sheet = openpyxl.load_workbook(tmp_path / "f.xlsx").active
    rows = list(sheet.iter_rows())
    assert tuple(cell.value for cell in rows[0]) == HEADER
    first = dict(zip(HEADER, rows[1], strict=True))
    assert (first["machine"].value, first["machine"].data_type) == ("=1+1", "s")
    assert (first["source_bytes"].value, first["source_bytes"].data_type) == (desk().size_bytes, "n")
    assert json.loads(fleet_to_json(fleet))["format"] == "ylemorph.fleet/1"
