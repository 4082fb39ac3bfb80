"""What was once found broken on the screens."""

import json
import re

from playwright.sync_api import expect

from tests.browser.conftest import cut_off
from tests.browser.test_intake import LSBLK
from ylemorph.store import jobs


def test_a_pointer_that_is_taken_away_changes_nothing(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    handle = page.locator("svg.morph .handle").first
    box = handle.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 40, steps=4)
    handle.dispatch_event("pointercancel", {"pointerId": 1})
    page.mouse.up()
    expect(page.get_by_label("Size on the target")).to_have_value("201.4 GiB")
    expect(page.get_by_text("change 1", exact=False)).to_be_visible()


def test_a_listing_read_in_one_job_is_not_announced_in_the_next(window, demo):
    page = window(f"/jobs/{demo['YM-0105']}/source")
    page.get_by_role("button", name="Take another survey").click()
    page.get_by_text("A listing", exact=True).click()
    page.get_by_label("Text of a listing of the source disk").fill(
        json.dumps({"blockdevices": LSBLK["blockdevices"][:1]})
    )
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("Recognised: lsblk listing.")).to_be_visible()
    page.get_by_role("link", name="Jobs", exact=True).click()
    page.get_by_role("link", name="Print server", exact=True).click()
    page.get_by_role("link", name=re.compile("Source")).first.click()
    expect(page.get_by_role("heading", name="Quillon S2")).to_be_visible()
    expect(page.get_by_text("Recognised")).to_have_count(0)


def test_mine_on_top_keeps_what_the_other_window_did(window, demo):
    first = window(f"/jobs/{demo['YM-0107']}/source")
    expect(first.get_by_role("heading", name="Brindle K4")).to_be_visible()
    cut_off(first)
    second = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(second.get_by_role("heading", name="Comfortable")).to_be_visible()
    second.keyboard.press("ArrowDown")
    second.keyboard.press("l")
    expect(second.get_by_role("button", name="Carry again")).to_be_visible()
    first.get_by_label("Role of partition 5").select_option("tools")
    first.get_by_role("button", name="Make mine on top").click()
    first.get_by_role("link", name="Fit", exact=True).click()
    first.get_by_text("The same as a table").click()
    expect(first.get_by_role("button", name="Carry again: 4 Catalogue")).to_be_visible()
    expect(first.get_by_role("row", name=re.compile("5 Recovery tools"))).to_be_visible()


def test_what_is_typed_in_one_margin_stays_when_another_is_set(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    page.get_by_text("Margins and table").click()
    page.get_by_label("Kept empty at the end").fill("7 GiB")
    page.get_by_label("Headroom in %").fill("20")
    page.get_by_label("Headroom in %").press("Enter")
    expect(page.get_by_text("change 2", exact=False)).to_be_visible()
    expect(page.get_by_label("Kept empty at the end")).to_have_value("7 GiB")
    page.get_by_label("Grain").fill("3")
    page.get_by_label("Grain").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("out of range")
    expect(page.get_by_label("Size on the target")).not_to_have_class(re.compile("error"))


def test_a_broken_job_is_listed_and_its_survey_taken_out(window, store, demo):
    store.execute("UPDATE revision SET options = '{\"nonsense\": 1}' WHERE job = ?", (demo["YM-0102"],))
    page = window("/")
    expect(page.get_by_text("cannot be read", exact=True)).to_be_visible()
    expect(page.get_by_role("link", name="Lending desk PC", exact=True)).to_be_visible()
    page.goto(f"/jobs/{demo['YM-0102']}/fit")
    expect(page.get_by_role("alert")).to_contain_text("cannot be read")
    with page.expect_download() as download:
        page.get_by_role("link", name="Take its source out as a file").click()
    with open(download.value.path()) as file:
        assert json.load(file)["format"] == "ylemorph.disk/1"
    jobs.delete(store, demo["YM-0102"])
