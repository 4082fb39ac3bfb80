"""Which disk to buy: the ladder, the shelf, how long it lasts, a fleet; by mouse and by keys."""

import io
import re
import zipfile
from pathlib import Path

import openpyxl
import pytest
from playwright.sync_api import expect

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.fit.options import Options
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.store import fleets


@pytest.fixture
def target(window, demo):
    return window(f"/jobs/{demo['YM-0106']}/target")


def rung(page, name):
    return page.get_by_role("list", name="Sizes, the smallest first").get_by_role("button").filter(has_text=name)


def test_the_ladder_answers_which_size_would_do(target):
    """Bars stand on one true scale: their lengths are as the sizes, and cross the lines where the verdict changes."""
    expect(rung(target, "240 GB")).to_contain_text("Does not fit")
    expect(rung(target, "250 GB")).to_contain_text("smallest tight")
    expect(rung(target, "480 GB")).to_contain_text("smallest comfortable")
    widths = {
        name: rung(target, name).locator(".bar").bounding_box()["width"] for name in ("240 GB", "256 GB", "480 GB")
    }
    assert widths["480 GB"] / widths["240 GB"] == pytest.approx(480_103_981_056 / 240_057_409_536, rel=0.02)
    line = rung(target, "256 GB").locator(".line").first.bounding_box()["x"]
    bar = rung(target, "256 GB").locator(".bar").bounding_box()
    assert bar["x"] < line < bar["x"] + bar["width"]
    rung(target, "480 GB").click()
    expect(rung(target, "480 GB")).to_have_attribute("aria-pressed", "true")
    expect(target.get_by_role("heading", name="480 GB on the label")).to_be_visible()


def test_the_ladder_by_keys(target):
    rung(target, "256 GB").focus()
    target.keyboard.press("ArrowDown")
    expect(rung(target, "480 GB")).to_be_focused()
    target.keyboard.press("Enter")
    expect(target.get_by_role("heading", name="480 GB on the label")).to_be_visible()
    target.keyboard.press("z")
    expect(rung(target, "256 GB")).to_have_attribute("aria-pressed", "true")


def test_a_disk_of_the_shelf_becomes_the_target(target):
    target.get_by_label("Usual sizes or the shelf").get_by_text("Shelf").click()
    expect(rung(target, "Brindle K5 500")).to_contain_text("cheapest")
    rung(target, "Quillon N3 1000").click()
    expect(target.get_by_role("heading", name="1 TB on the label")).to_be_visible()


def test_how_long_it_lasts_from_surveys_and_typed(target):
    panel = target.get_by_role("region", name="How long it lasts")
    expect(panel).to_contain_text("from 3 surveys, between")
    panel.get_by_label("Grows a year by").first.fill("0")
    panel.get_by_role("button", name="Set").first.click()
    expect(panel).to_contain_text("0 B a year, as typed")
    expect(panel).to_contain_text("does not fill")
    panel.get_by_label("Grows a year by").first.fill("a lot")
    panel.get_by_role("button", name="Set").first.click()
    expect(panel.get_by_role("alert")).to_contain_text("a lot")
    panel.get_by_role("button", name="As surveys tell").click()
    expect(panel.get_by_text("as typed")).to_have_count(0)


def test_the_shelf_is_changed_and_taken_back(window, demo):
    page = window("/shelf")
    expect(page.get_by_role("row")).to_have_count(13)
    page.keyboard.press("n")
    form = page.get_by_role("form", name="Another disk")
    form.get_by_label("Name").fill("Brindle K6")
    form.get_by_label("Size", exact=True).fill("twelve")
    page.keyboard.press("Enter")
    expect(form.get_by_role("alert")).to_contain_text("twelve")
    form.get_by_label("Size", exact=True).fill("750GB")
    form.get_by_label("Price", exact=True).fill("33,50")
    page.keyboard.press("Enter")
    expect(page.get_by_role("row").filter(has_text="Brindle K6")).to_contain_text("33.50 EUR")
    page.get_by_role("button", name="Change Brindle K6").click()
    page.get_by_role("form", name="Change Brindle K6").get_by_label("In stock").fill("4")
    page.get_by_role("button", name="Keep the change").click()
    expect(page.get_by_role("row").filter(has_text="Brindle K6")).to_contain_text("4")
    page.get_by_role("button", name="Remove Brindle K6").click()
    expect(page.get_by_role("row")).to_have_count(13)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("row").filter(has_text="Brindle K6")).to_be_visible()


def test_the_shelf_against_a_job(window, demo):
    page = window(f"/shelf?job={demo['YM-0107']}")
    expect(page.get_by_role("row").filter(has_text="Quillon S2 240")).to_contain_text("short by 9.20 GiB")
    page.get_by_label("The slot of the machine").select_option("m.2 NVMe")
    expect(page.get_by_role("row").filter(has_text="Brindle K5 500")).to_contain_text("wrong slot")
    expect(page.get_by_role("row").filter(has_text="Quillon N3 512")).to_contain_text("cheapest")
    page.get_by_role("button", name="Price", exact=True).click()
    expect(page.get_by_role("row").nth(1)).to_contain_text("Brindle K5 500")
    page.get_by_role("button", name="Quillon N3 1000: Comfortable").click()
    page.get_by_role("button", name="Take Quillon N3 1000 as target").click()
    expect(page).to_have_url(f"/jobs/{demo['YM-0107']}/fit")


def test_a_list_is_pasted_and_a_broken_one_changes_nothing(window, demo):
    page = window("/shelf")
    page.get_by_role("button", name="Paste or import").click()
    page.get_by_label("CSV with a header line").fill("name;size\nA;many")
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.get_by_role("alert")).to_contain_text("line 2, column size")
    expect(page.get_by_role("row")).to_have_count(13)
    page.get_by_label("CSV with a header line").fill("name;size;price;currency\nA;480GB;40,5;EUR\nB;1TB;70;EUR")
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.get_by_role("row")).to_have_count(3)


@pytest.fixture
def fleet(window, demo):
    page = window("/fleets")
    page.get_by_role("link", name="Branches, autumn").click()
    expect(page.get_by_text("39 machines")).to_be_visible()
    return page


def lines(page):
    return page.get_by_role("row").filter(has=page.get_by_role("checkbox", name="Choose "))


def test_a_fleet_is_filtered_and_becomes_jobs(fleet):
    expect(fleet.get_by_role("region", name="What to buy")).to_contain_text("Least price: 1896.00 EUR")
    models = fleet.get_by_role("list", name="Models").get_by_role("listitem").filter(has_text="Quillon S2 480")
    models.get_by_role("button", name="3 tight").click()
    expect(lines(fleet)).to_have_count(4)  # the header's choice of all among them
    expect(fleet.get_by_text("headroom cut to 42 %").first).to_be_visible()
    fleet.get_by_label("Choose every machine of this page").click()
    fleet.get_by_role("button", name="Make 3 jobs onto Quillon S2 480").click()
    expect(fleet.get_by_text("3 jobs made.")).to_be_visible()
    fleet.get_by_role("link", name="Go to the jobs").click()
    expect(fleet.get_by_role("link", name="Mill office to Quillon S2 480")).to_be_visible()


def test_while_the_mix_is_worked_out_that_is_said(window, demo):
    page, held = window("/fleets"), []
    page.route("**/mix?*", lambda route: held.append(route))  # noqa: PLW0108  # a function of our own is asked for
    page.get_by_role("link", name="Branches, autumn").click()
    buying = page.get_by_role("region", name="What to buy")
    expect(buying).to_contain_text("Working out the cheapest mix")
    for _ in range(400):
        if held:
            break
        page.wait_for_timeout(25)
    held[0].continue_()
    expect(buying).to_contain_text("14 × Quillon S2 480")
    expect(buying).to_contain_text("553.00 EUR")  # 14 times 39.50
    expect(buying).not_to_contain_text("Working out")


def test_a_fleet_by_keys(fleet):
    """Search, sort and choose without a mouse."""
    fleet.get_by_label("Search machines").focus()
    fleet.keyboard.type("mill")
    expect(lines(fleet)).to_have_count(9)
    fleet.get_by_role("columnheader", name="Needs").focus()
    fleet.keyboard.press("Enter")
    fleet.keyboard.press("Enter")
    expect(lines(fleet).nth(1)).to_contain_text("Mill printer room")
    fleet.get_by_label("Choose Mill printer room").focus()
    fleet.keyboard.press("Space")
    fleet.get_by_role("button", name="Make a job onto").focus()
    fleet.keyboard.press("Enter")
    expect(fleet).to_have_url(re.compile(r"/jobs/\d+/fit"))


def test_other_models_and_fits_work_it_out_anew(fleet):
    fleet.get_by_label("Another model or size").fill("2TB")
    fleet.keyboard.press("Enter")
    item = fleet.get_by_role("list", name="Models").get_by_role("listitem").filter(has_text="2 TB")
    expect(item).to_contain_text("39 comfortable")
    fleet.get_by_label("Same sizes").click()
    fleet.get_by_label("Fit that is shown").select_option("same")
    expect(fleet.get_by_text("at the sizes of the source").first).to_be_visible()
    fleet.get_by_label("Another model or size").fill("a sheep")
    fleet.keyboard.press("Enter")
    expect(fleet.get_by_role("alert")).to_contain_text("a sheep")
    fleet.get_by_role("button", name="Leave 2TB out").click()
    expect(item).to_have_count(0)


def test_files_are_added_and_what_cannot_be_read_is_named(window, demo, tmp_path):
    page = window("/fleets")
    page.get_by_role("button", name="New fleet").click()
    expect(page.get_by_text("No machine yet")).to_be_visible()
    book = io.BytesIO()
    with zipfile.ZipFile(book, "w") as archive:
        for n in range(60):
            survey = Survey(desk((100 + n) * GiB, serial=f"X{n}"), "2026-11-20")
            archive.writestr(f"pc{n:02}.json", write_survey(survey))
    (tmp_path / "sixty.zip").write_bytes(book.getvalue())
    (tmp_path / "broken.json").write_text("{")
    page.locator("input[type=file]").first.set_input_files([tmp_path / "sixty.zip", tmp_path / "broken.json"])
    expect(page.get_by_text("60 machines")).to_be_visible()
    expect(page.get_by_role("region", name="Not counted")).to_contain_text("breaks off")
    expect(page.get_by_text("1 to 50 of 60")).to_be_visible()
    page.get_by_role("listitem", name="Next Page").click()
    expect(page.get_by_text("51 to 60 of 60")).to_be_visible()
    page.get_by_role("button", name="Forget broken.json").click()
    expect(page.get_by_role("region", name="Not counted")).to_have_count(0)
    page.reload()
    expect(page.get_by_text("60 machines")).to_be_visible()


def test_two_windows_see_one_fleet(fleet, window):
    other = window(fleet.url.split("/", 3)[-1].join(("/", "")))
    expect(other.get_by_text("39 machines")).to_be_visible()
    fleet.get_by_label("Name of the fleet").fill("Branches, winter")
    with fleet.expect_response(lambda answer: answer.request.method == "PUT" and "/api/fleets/" in answer.url):
        fleet.keyboard.press("Enter")
    other.reload()
    expect(other.get_by_label("Name of the fleet")).to_have_value("Branches, winter")


def test_a_sheet_is_taken_out(fleet):
    with fleet.expect_download() as got:
        fleet.get_by_role("button", name="Take out the fleet as a file").click()
        fleet.get_by_role("menuitem", name="XLSX: the same lines as a sheet").click()
    assert got.value.suggested_filename.endswith(".xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(Path(got.value.path()).read_bytes()), read_only=True).active
    assert sum(1 for _ in sheet.rows) > 39


def test_two_hundred_fleets_stand_page_by_page(window, demo, store):
    for number in range(1, 201):
        fleets.create(store, f"Branch {number:03}", fleets.Wishes((), ("snug",), Options()))
    page = window("/fleets")
    links = page.locator("tbody").get_by_role("link")
    expect(links).to_have_count(50)
    expect(page.get_by_text("1 to 50 of 201")).to_be_visible()
    page.get_by_role("listitem", name="Next Page").click()
    expect(page.get_by_text("51 to 100 of 201")).to_be_visible()
    page.get_by_role("columnheader", name="Fleet").click()
    expect(links.first).to_have_text("Branch 001")
    expect(page.get_by_text("1 to 50 of 201")).to_be_visible()
    page.get_by_label("Search fleets").fill("autumn")
    expect(links).to_have_text(["Branches, autumn"])
    page.get_by_role("button", name="Delete Branches, autumn").click()
    expect(page.get_by_role("dialog")).to_contain_text("Its 42 surveys go with it.")
    page.get_by_role("dialog").get_by_role("button", name="Keep").click()
    expect(page.get_by_role("dialog")).to_be_hidden()
    expect(links).to_have_count(1)
    page.get_by_role("button", name="Delete Branches, autumn").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(page.get_by_text("No fleet’s name holds “autumn”.")).to_be_visible()
    page.get_by_label("Search fleets").fill(" ")
    expect(page.get_by_text("1 to 50 of 200")).to_be_visible()
    page.get_by_label("Search fleets").fill("nowhere")
    expect(page.get_by_text("No fleet’s name holds “nowhere”.")).to_be_visible()


def test_the_last_fleet_of_a_page_goes_with_its_page(window, demo, store):
    for number in range(1, 51):
        fleets.create(store, f"Branch {number:03}", fleets.Wishes((), ("snug",), Options()))
    page = window("/fleets")
    page.get_by_role("listitem", name="Next Page").click()
    expect(page.locator("tbody").get_by_role("link")).to_have_text(["Branches, autumn"])
    page.get_by_role("button", name="Delete Branches, autumn").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(page.locator("tbody").get_by_role("link")).to_have_count(50)
