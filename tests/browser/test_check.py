"""Check back in the browser: what differs and what to do, another reading, the end of the job."""

import pytest
from playwright.sync_api import expect

from tests.core.checkback.test_compare import change, finished, of, without
from ylemorph.core.disk.model import Survey
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GiB
from ylemorph.demo.scenario import lending_desk, quillon_480
from ylemorph.formats.own.survey_data import write_survey

WHOLE = finished(make_plan(lending_desk().disk, quillon_480().disk, Options()))
WRONG = change(without(WHOLE, 5), 4, sectors=of(WHOLE, 4).sectors // 2, fs_size_bytes=100 * GiB)


@pytest.fixture
def page(window, demo):
    return window(f"/jobs/{demo['YM-0107']}/check")


def give(page, disk):
    page.get_by_text("A listing").click()
    page.get_by_label("Text of a listing of the finished disk").fill(write_survey(Survey(disk)))
    page.get_by_role("button", name="Read it").click()


def test_differences_are_lit_and_say_what_to_do(page):
    give(page, WRONG)
    expect(page.get_by_role("heading", level=1)).to_contain_text("differences from the plan")
    todo = page.get_by_role("region", name="What to do")
    expect(todo).to_contain_text("Recovery (5) at the end is not there")
    todo.get_by_text("Figures to type").first.click()
    expect(todo).to_contain_text("980 MiB")
    expect(page.get_by_role("img", name="Plan and finished disk side by side")).to_contain_text("5 Recovery is missing")
    page.get_by_text("The same as a table").click()
    expect(page.get_by_role("row").filter(has_text="5 Recovery")).to_contain_text("missing")


def test_checked_again_closed_and_opened(page):
    give(page, WRONG)
    page.get_by_role("button", name="Check again").click()
    give(page, WHOLE)
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()
    expect(page.get_by_label("Which check").locator("option")).to_have_count(2)
    page.get_by_label("Note").fill("Handed over")
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.get_by_role("region", name="Closing")).to_contain_text("Handed over")
    page.get_by_role("link", name="Fit", exact=True).first.click()
    expect(page.get_by_text("This job is closed")).to_be_visible()
    page.get_by_role("group", name="Fits").get_by_role("button", name="Snug").click()
    expect(page.get_by_role("alert")).to_contain_text("This job is closed")
    page.get_by_role("link", name="Open it again on Check back").click()
    page.get_by_role("button", name="Open it again").click()
    expect(page.get_by_role("button", name="Close", exact=True)).to_be_visible()


def test_another_disk_is_asked_about(page):
    give(page, WHOLE.but(serial="QS2-9999"))
    expect(page.get_by_role("alert")).to_contain_text("the serial QS2-9999")
    page.get_by_role("button", name="It is the right one").click()
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()


def test_the_source_is_refused(page):
    give(page, lending_desk().disk)
    expect(page.get_by_role("alert")).to_contain_text("This is the source itself")
