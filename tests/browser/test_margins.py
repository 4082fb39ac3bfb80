"""What is set beside the morph: margins, lightening, roles, names; and what is said while nobody answers."""

import pytest
from playwright.sync_api import expect

from tests.browser.test_fit import panel, saved, size


@pytest.fixture
def tight(window, demo):
    page = window(f"/jobs/{demo['YM-0106']}/fit")
    expect(page.get_by_role("heading", name="Tight")).to_be_visible()
    return page


def test_headroom_tail_and_grain(tight):
    tight.get_by_text("Margins and table").click()
    tight.get_by_label("Headroom in %").fill("4")
    tight.get_by_label("Headroom in %").press("Enter")
    expect(tight.get_by_role("heading", name="Comfortable")).to_be_visible()
    tight.get_by_label("Kept empty at the end").fill("2GiB")
    tight.get_by_label("Kept empty at the end").press("Enter")
    expect(tight.locator("svg text", has_text="unallocated")).to_contain_text("2.0 GiB")
    tight.get_by_label("Grain").fill("3 MiB")
    tight.get_by_label("Grain").press("Enter")
    saved(tight, 4)
    tight.reload()
    tight.get_by_text("Margins and table").click()
    expect(tight.get_by_label("Headroom in %")).to_have_value("4")
    expect(tight.get_by_label("Grain")).to_have_value("3 MiB")


def test_free_space_stands_where_it_is_put(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    page.get_by_role("group", name="Fits").get_by_role("button", name="Snug").click()
    expect(page.get_by_text("stands between Desk (3)")).to_be_visible()
    page.get_by_text("Margins and table").click()
    page.get_by_label("Free space after").select_option("3 Desk")
    expect(page.get_by_text("stands between Desk (3)")).to_be_hidden()


def test_lightening_lowers_the_floor(tight):
    tight.get_by_label("Lighten by").fill("40GiB")
    tight.get_by_label("Lighten by").press("Enter")
    expect(panel(tight)).to_contain_text("Lightened by")
    expect(panel(tight)).to_contain_text("91.0 GiB")
    expect(tight.get_by_role("heading", name="Comfortable")).to_be_visible()


def test_a_role_is_changed_on_the_fit(tight):
    panel(tight).get_by_label("Role of 3 Desk").select_option("recovery")
    expect(panel(tight)).to_contain_text("Keeps its size")


def test_a_margin_that_cannot_be_is_said(tight):
    tight.get_by_text("Margins and table").click()
    tight.get_by_label("Kept empty at the end").fill("9TiB")
    tight.get_by_label("Kept empty at the end").press("Enter")
    expect(tight.get_by_role("alert")).to_contain_text("larger than the target")


def test_name_number_machine_and_note(tight):
    tight.get_by_role("button", name="Lending desk PC").click()
    dialog = tight.get_by_role("dialog", name="About this job")
    dialog.get_by_label("Name").fill("Front desk")
    dialog.get_by_label("Note").fill("Call before noon")
    dialog.get_by_role("button", name="Keep").click()
    expect(tight.get_by_role("button", name="Front desk")).to_be_visible()
    saved(tight, 2)


def test_when_nobody_answers_the_last_picture_stays_and_it_is_said(tight):
    tight.route("**/api/**", lambda route: route.abort())
    size(tight).fill("150GiB")
    size(tight).press("Enter")
    expect(panel(tight).get_by_role("alert")).to_contain_text("does not answer")
    expect(size(tight)).to_have_value("150GiB")
    tight.unroute("**/api/**")
    size(tight).press("Enter")
    expect(panel(tight).get_by_role("alert")).to_contain_text("too little")


def test_the_table_twin_says_the_same(tight):
    tight.get_by_text("The same as a table").click()
    row = tight.get_by_role("row", name="3 Desk")
    expect(row).to_contain_text("137 GiB")
    expect(row).to_contain_text("shrinks")
    tight.get_by_role("button", name="4 Catalogue", exact=True).click()
    expect(panel(tight, "4 Catalogue")).to_be_visible()


def test_each_line_of_the_floor_can_be_acted_on(window, demo):
    """The immovable end of a row binds, is cleared beside its line, and is counted again."""
    page = window(f"/jobs/{demo['YM-0107']}/source")
    page.get_by_role("button", name="Desk", exact=True).click()
    page.get_by_label("What cannot be moved ends at").fill("190")
    page.get_by_label("What cannot be moved ends at").press("Enter")
    expect(page.get_by_text("It cannot go under 190 GiB")).to_be_visible()
    page.get_by_role("link", name="Fit", exact=True).click()
    panel = page.get_by_role("region", name="Row 3 Desk")
    expect(panel.get_by_text("held up by data that cannot be moved")).to_be_visible()
    panel.get_by_role("button", name="The immovable end of 3 Desk is cleared").click()
    expect(panel.get_by_text("held up by data")).to_be_hidden()
    panel.get_by_role("button", name="Count the immovable end").click()
    expect(panel.get_by_text("held up by data")).to_be_visible()
    panel.get_by_role("button", name="Change the headroom").click()
    expect(page.get_by_label("Headroom in %")).to_be_focused()
    panel.get_by_role("button", name="Lighten 3 Desk").click()
    expect(panel.get_by_label("Lighten by")).to_be_focused()
