"""The order of the rows, the twin's actions, two plans compared, the workshop's defaults, the change of table."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import until
from ylemorph.store.database import transaction


@pytest.fixture
def fit(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    return page


IN_ORDER = """(wanted) => {
  const found = [...document.querySelectorAll("[data-block]")];
  const shown = found.map((block) => [block.getBoundingClientRect().y, Number(block.dataset.block)]);
  return shown.sort(([one], [other]) => one - other).map(([, number]) => number).join() === wanted.join();
}"""


def shows(page, numbers):
    """Waits until the target's blocks stand in this order from top to bottom."""
    until(page, IN_ORDER, numbers)


def test_rows_are_moved_by_keyboard(fit):
    shows(fit, [1, 2, 3, 4, 5])
    for _ in range(2):
        fit.keyboard.press("ArrowDown")
    fit.keyboard.press("Shift+ArrowUp")
    expect(fit.get_by_role("status").filter(has_text="change 2")).to_be_visible()
    shows(fit, [1, 2, 3, 5, 4])
    fit.keyboard.press("z")
    expect(fit.get_by_role("status").filter(has_text="change 1")).to_be_visible()
    shows(fit, [1, 2, 3, 4, 5])


def test_a_block_is_carried_to_another_place(fit):
    desk, catalogue = (fit.locator(f"[data-block='{n}']").bounding_box() for n in (3, 4))
    fit.mouse.move(desk["x"] + 20, desk["y"] + 40)
    fit.mouse.down()
    fit.mouse.move(desk["x"] + 20, catalogue["y"] + catalogue["height"] - 10, steps=4)
    expect(fit.get_by_text("stands here")).to_be_visible()
    fit.mouse.up()
    expect(fit.get_by_role("status").filter(has_text="change 2")).to_be_visible()
    shows(fit, [1, 2, 4, 3, 5])


def test_a_block_let_go_with_escape_stays(fit):
    desk = fit.locator("[data-block='3']").bounding_box()
    fit.mouse.move(desk["x"] + 20, desk["y"] + 40)
    fit.mouse.down()
    fit.mouse.move(desk["x"] + 20, desk["y"] + 300, steps=3)
    fit.keyboard.press("Escape")
    fit.mouse.up()
    shows(fit, [1, 2, 3, 4, 5])
    expect(fit.get_by_role("status").filter(has_text="change 1")).to_be_visible()


def test_the_twin_has_the_same_actions(fit):
    fit.get_by_text("The same as a table").click()
    fit.get_by_role("button", name="Leave behind: 5 Recovery").click()
    expect(fit.get_by_role("button", name="Carry again: 5 Recovery")).to_be_visible()
    fit.get_by_role("button", name="Pin: 3 Desk").click()
    expect(fit.get_by_role("button", name="Take the pin out: 3 Desk")).to_be_visible()
    fit.get_by_role("button", name="Up: 4 Catalogue").click()
    expect(fit.get_by_role("status").filter(has_text="change 4")).to_be_visible()
    shows(fit, [1, 2, 4, 3])


def test_two_plans_side_by_side(fit):
    fit.keyboard.press("c")
    dialog = fit.get_by_role("dialog")
    dialog.get_by_label("Second plan").select_option("snug")
    expect(dialog.get_by_role("row", name="Left open")).to_contain_text("GiB")
    expect(dialog.get_by_text("stay unallocated")).to_be_visible()
    dialog.get_by_label("Second plan").select_option("same")
    expect(dialog.get_by_role("row", name="3 Desk")).to_contain_text("no layout")


def test_the_workshops_defaults_begin_a_new_job(window, store):
    page = window("/settings")
    field = page.get_by_label("Headroom in percent")
    expect(field).to_have_value("15")
    field.fill("-3")
    field.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("not a percentage")
    expect(field).to_have_value("-3")
    field.fill("25")
    field.press("Enter")
    expect(page.get_by_text("New jobs begin with them")).to_be_visible()
    page.reload()
    expect(field).to_have_value("25")
    page.get_by_role("button", name="As the application comes").click()
    expect(field).to_have_value("15")


def test_the_table_changes_and_the_firmware_is_asked_for(window, demo):
    page = window(f"/jobs/{demo['YM-0103']}/fit")
    page.get_by_text("Margins and table").click()
    page.get_by_label("Table of the target").select_option("gpt")
    expect(page.get_by_text("it is not known how the machine starts")).to_be_visible()
    expect(page.locator("g.dropped")).to_have_count(1)
    page.get_by_label("Firmware starts in").select_option("legacy")
    expect(page.get_by_role("region", name="Findings").get_by_text("nothing on the target starts so")).to_be_visible()
    page.get_by_label("Firmware starts in").select_option("uefi")
    expect(page.get_by_role("region", name="Findings").get_by_text("nothing on the target starts so")).to_be_hidden()


def test_a_key_pressed_while_a_write_is_open_acts_on_the_row_as_it_is_then(window, demo, store):
    """Leave, and carry again: the second key does not repeat what the first one does."""
    fit = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(fit.get_by_role("heading", name="Comfortable")).to_be_visible()
    for _ in range(4):
        fit.keyboard.press("ArrowDown")
    with transaction(store):  # another's write, for which this one has to wait
        fit.keyboard.press("l")
        until(fit, "document.body.innerText.includes('Saving')")
        fit.keyboard.press("l")
    read = "async (id) => (await (await fetch(`/api/jobs/${id}/history`)).json()).revisions.map((one) => one.sentence)"
    expect(fit.get_by_role("status").filter(has_text="change 3")).to_be_visible()
    sentences = fit.evaluate(read, demo["YM-0107"])
    assert [sentence.rsplit(" ", 2)[-2:] for sentence in sentences[:2]] == [["carried", "again"], ["left", "behind"]]
