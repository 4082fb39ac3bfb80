"""``ylemorph shelf`` and ``ylemorph fleet``, to the letter of the contract."""

import csv
import io
import json

import openpyxl
import pytest

from tests.cli.test_cli import run
from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import write_survey

SHELF = """name,size,price,currency,stock
Quillon S2,480GB,44.90,EUR,5
Quillon S3,960GB,79,EUR,
Brindle,120GB,20,EUR,
"""


@pytest.fixture
def fleet(tmp_path):
    """Twelve machines, fuller and fuller, and one file that is none."""
    folder = tmp_path / "machines"
    folder.mkdir()
    for n in range(12):
        disk = desk((60 + n * 25) * GiB, (30 + n * 9) * GiB, serial=f"S{n}")
        (folder / f"pc{n:02}.json").write_text(write_survey(Survey(disk)))
    (folder / "zz.txt").write_text("no survey")
    (tmp_path / "shelf.csv").write_text(SHELF)
    return str(folder)


def test_shelf_says_what_each_disk_means(capsys, fleet, tmp_path):
    source = f"{fleet}/pc00.json"
    status, out, err = run(capsys, "shelf", source, "--shelf", str(tmp_path / "shelf.csv"), "--format", "json")
    assert (status, err) == (0, "")
    data = json.loads(out)
    assert [disk["verdict"] for disk in data["disks"]] == ["comfortable", "comfortable", "comfortable"]
    assert [disk["cheapest"] for disk in data["disks"]] == [True, False, False]
    status, out, _ = run(capsys, "shelf", f"{fleet}/pc11.json", "--format", "csv", "--fit", "snug")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert (status, rows[0]["verdict"], rows[-1]["name"]) == (0, "does-not-fit", "24TB")
    assert run(capsys, "shelf", f"{fleet}/pc11.json", "--shelf", str(tmp_path / "none.csv"))[0] == 2
    assert run(capsys, "shelf", f"{fleet}/pc11.json")[0] == 0


def test_shelf_says_how_long_each_disk_lasts(capsys, fleet):
    args = ("shelf", f"{fleet}/pc00.json", "--growth", "3=40GiB", "--format", "json")
    data = json.loads(run(capsys, *args)[1])
    lasts = {disk["name"]: disk["lasts"] for disk in data["disks"]}
    assert lasts["480GB"]["row"] == 3
    assert lasts["480GB"]["full"] < lasts["960GB"]["full"]
    assert "full in" in run(capsys, *args[:-2])[1]


def test_shelf_with_nothing_that_fits_exits_with_1(capsys, fleet, tmp_path):
    (tmp_path / "small.csv").write_text("name,size\nA,64GB\n")
    assert run(capsys, "shelf", f"{fleet}/pc05.json", "--shelf", str(tmp_path / "small.csv"))[0] == 1


def test_fleet_by_one_process_and_by_two_is_the_same_to_the_byte(capsys, fleet):
    args = (
        "fleet",
        fleet,
        "--target",
        "480GB",
        "--target",
        "960GB",
        "--fit",
        "snug",
        "--fit",
        "same",
        "--format",
        "json",
    )
    one = run(capsys, *args, "--processes", "1")
    two = run(capsys, *args, "--processes", "2")
    assert one == two
    data = json.loads(one[1])
    assert len(data["lines"]) == 12 * 2 * 2
    assert data["problems"][0]["file"].endswith("zz.txt")
    assert data["smallest"] == {"all": "960GB", "percent_95": "960GB"}
    assert sum(data["counts"]["480GB"].values()) == 12


def test_fleet_with_a_shelf_buys_the_mix(capsys, fleet, tmp_path):
    shelf = str(tmp_path / "shelf.csv")
    status, out, _ = run(capsys, "fleet", fleet, "--shelf", shelf, "--processes", "1", "--format", "json")
    mix = json.loads(out)["mix"]
    assert status == 0
    assert sum(disk["count"] for disk in mix["disks"]) == 12
    assert all(disk["total_price"] == disk["count"] * disk["price"] for disk in mix["disks"])
    assert sum(disk["total_price"] for disk in mix["disks"]) == mix["total_price"]
    assert {disk["name"]: disk["count"] for disk in mix["disks"]}["Quillon S2"] == 5
    (tmp_path / "two.csv").write_text(SHELF + "Other,2TB,90,GBP,\n")
    two = ("fleet", fleet, "--shelf", str(tmp_path / "two.csv"), "--processes", "1")
    status, _, err = run(capsys, *two)
    assert (status, "cannot be added up" in err) == (2, True)
    assert run(capsys, *two, "--currency", "EUR", "--out", str(tmp_path / "f.txt"))[0] == 0
    assert "least price:" in (tmp_path / "f.txt").read_text()


def test_fleet_that_does_not_fit_exits_with_1(capsys, fleet):
    assert run(capsys, "fleet", fleet, "--target", "240GB", "--processes", "1")[0] == 1


@pytest.mark.parametrize("args", [(), ("--target", "12 sheep"), ("--target", "480GB", "--pin", "1=5")])
def test_wrong_use_is_one_line(capsys, fleet, args):
    status, out, err = run(capsys, "fleet", fleet, *args)
    assert (status, out, err.count("\n")) == (2, "", 1)


def test_nothing_that_could_be_read_is_wrong_use(capsys, tmp_path):
    (tmp_path / "empty").mkdir()
    status, _, err = run(capsys, "fleet", str(tmp_path / "empty"), "--target", "480GB", "--processes", "1")
    assert (status, "there is no file in this folder" in err) == (2, True)


def test_fleet_as_a_sheet(capsys, fleet, tmp_path):
    into = tmp_path / "fleet.xlsx"
    args = ("fleet", fleet, "--target", "960GB", "--processes", "1", "--format", "xlsx")
    assert run(capsys, *args, "--out", str(into)) == (0, "", "")
    assert openpyxl.load_workbook(into).active.max_row == 13


def test_a_disk_image_is_a_machine_too(capsys, tmp_path):
    image = tmp_path / "blank.img"
    with image.open("wb") as file:
        file.truncate(64 * 2**20)
    status, out, _ = run(capsys, "fleet", str(image), "--target", "480GB", "--processes", "1", "--format", "json")
    (line,) = json.loads(out)["lines"]
    assert (status, line["machine"], line["verdict"], line["reason"]) == (1, "blank", None, "nothing goes over")
