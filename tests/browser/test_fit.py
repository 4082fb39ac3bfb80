"""The path of a job through the real interface."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe_clean_in_both, cut_off


@pytest.fixture
def fit(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    return page


def panel(page, name="3 Desk"):
    return page.get_by_role("region", name=f"Row {name}")


def size(page):
    return page.get_by_label("Size on the target")


def saved(page, revision):
    expect(page.get_by_text(f"change {revision}", exact=False)).to_be_visible()


def test_from_the_list_to_the_morph(window, demo):
    page = window("/")
    page.get_by_role("link", name="Lending desk PC", exact=True).click()
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    expect(size(page)).to_have_value("201.4 GiB")


@pytest.mark.parametrize(
    ("fit_name", "heading", "shown"),
    [
        ("Same sizes", "Does not fit · 484 GiB short", ""),
        ("Rest to one", "Comfortable", "150.7 GiB"),
        ("Even fill", "Comfortable", "257.3 GiB"),
        ("Snug", "Comfortable", "150.7 GiB"),
    ],
)
def test_each_fit_and_a_reload(fit, fit_name, heading, shown):
    cards = fit.get_by_role("group", name="Fits")
    cards.get_by_role("button", name=fit_name).click()
    for _ in range(2):
        expect(fit.get_by_role("heading", name=heading)).to_be_visible()
        expect(cards.get_by_role("button", name=fit_name)).to_have_attribute("aria-pressed", "true")
        expect(size(fit)).to_have_value(shown)
        fit.reload()


def test_a_typed_size_pins_and_a_reload_keeps_it(fit):
    size(fit).fill("240")
    size(fit).press("Enter")
    expect(fit.locator("svg text", has_text="pinned")).to_be_visible()
    saved(fit, 2)
    fit.reload()
    expect(size(fit)).to_have_value("240.0 GiB")
    fit.get_by_role("button", name="Take the pin out").click()
    expect(size(fit)).to_have_value("201.4 GiB")


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ("++5", "not a size"),
        ("12 parsecs", "unit"),
        ("1GiB", "hard floor"),
        ("440GiB", "too little"),
        ("200%", "too little"),
    ],
)
def test_a_size_that_cannot_be_stays_in_the_field_with_the_bound(fit, typed, said):
    size(fit).fill(typed)
    size(fit).press("Enter")
    alert = panel(fit).get_by_role("alert")
    expect(alert).to_contain_text(said)
    expect(size(fit)).to_have_value(typed)
    size(fit).press("Escape")
    expect(size(fit)).to_have_value("201.4 GiB")


def test_by_keyboard_alone(fit):
    fit.keyboard.press("ArrowRight")
    expect(size(fit)).to_have_value("202.4 GiB")
    fit.keyboard.press("Shift+ArrowLeft")
    expect(size(fit)).to_have_value("202.3 GiB")
    fit.keyboard.press("Alt+ArrowRight")
    expect(size(fit)).to_have_value("212.3 GiB")
    fit.keyboard.press("p")
    expect(size(fit)).to_have_value("201.4 GiB")
    fit.keyboard.press("ArrowDown")
    expect(panel(fit, "4 Catalogue")).to_be_visible()
    fit.keyboard.press("l")
    expect(panel(fit, "4 Catalogue")).to_contain_text("left behind")
    fit.keyboard.press("z")
    expect(panel(fit, "4 Catalogue").get_by_role("button", name="Leave behind")).to_be_visible()
    fit.keyboard.press("Shift+Z")
    expect(panel(fit, "4 Catalogue").get_by_role("button", name="Carry again")).to_be_visible()
    fit.keyboard.press("l")
    fit.keyboard.press("h")
    expect(panel(fit, "4 Catalogue").get_by_role("button", name="Let it go")).to_be_visible()
    fit.keyboard.press("h")
    fit.keyboard.press("5")
    expect(fit.get_by_role("button", name="Snug")).to_have_attribute("aria-pressed", "true")
    fit.keyboard.press("r")
    expect(fit.get_by_role("button", name="Rest to one")).to_have_attribute("aria-pressed", "true")
    fit.keyboard.press("e")
    expect(size(fit)).to_be_focused()
    fit.keyboard.press("Tab")
    fit.keyboard.press("?")
    expect(fit.get_by_role("dialog", name="Keys")).to_be_visible()
    fit.keyboard.press("Escape")
    fit.locator("h1").click()
    fit.keyboard.press("g")
    fit.keyboard.press("t")
    expect(fit).to_have_url(re.compile(r"/target$"))


def test_drawing_the_edge_between_two_rows(fit):
    box = fit.locator(".handle[data-row='3']").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    fit.mouse.move(x, y)
    fit.mouse.down()
    fit.mouse.move(x, y - 300, steps=8)
    expect(fit.get_by_text("Desk stops at its hard floor")).to_be_visible()
    fit.mouse.move(x, y + 5, steps=4)
    expect(fit.get_by_text("stops at")).to_be_hidden()
    fit.mouse.up()
    saved(fit, 2)
    assert fit.evaluate("document.documentElement.scrollWidth") <= 1280
    expect(fit.locator("svg text", has_text="pinned")).to_have_count(2)
    grown = size(fit).input_value()
    assert float(grown.split()[0]) > 205
    fit.reload()
    expect(size(fit)).to_have_value(grown)
    # Escape lets an edge go where it was.
    fit.mouse.move(x, y)
    fit.mouse.down()
    fit.mouse.move(x, y + 40, steps=4)
    fit.keyboard.press("Escape")
    fit.mouse.up()
    expect(size(fit)).to_have_value(grown)


def test_the_list_of_changes(fit):
    fit.keyboard.press("5")
    saved(fit, 2)
    fit.keyboard.press("r")
    saved(fit, 3)
    fit.get_by_role("button", name="Changes").click()
    listed = fit.get_by_role("dialog", name="Changes")
    expect(listed.get_by_role("listitem")).to_have_count(3)
    expect(listed.get_by_role("listitem").first).to_contain_text("Desk takes the rest")
    listed.get_by_role("button", name="Go to change 1").click()
    expect(listed.get_by_role("listitem").last).to_contain_text("here")
    expect(size(fit)).to_have_value("201.4 GiB")


def test_a_remedy_is_applied_and_undone_by_one_click_each(window, demo):
    page = window(f"/jobs/{demo['YM-0105']}/fit")
    expect(page.get_by_role("heading", name="Does not fit")).to_be_visible()
    page.get_by_role("button", name="Do it: Lighten Desk").click()
    expect(page.get_by_role("heading", name="Tight")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", name="Does not fit")).to_be_visible()


def test_two_windows_on_one_job(fit, window, demo):
    other = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(size(other)).to_have_value("201.4 GiB")
    cut_off(other)
    size(fit).fill("210GiB")
    size(fit).press("Enter")
    saved(fit, 2)
    other.keyboard.press("ArrowDown")
    other.keyboard.press("l")
    dialog = other.get_by_role("dialog", name="Changed meanwhile")
    expect(dialog).to_contain_text("Desk pinned at 210 GiB")
    expect(dialog).to_contain_text(re.compile(r"by window \d{4}"))
    dialog.get_by_role("button", name="Make mine on top").click()
    expect(dialog).to_be_hidden()
    expect(panel(other, "4 Catalogue").get_by_role("button", name="Carry again")).to_be_visible()
    other.keyboard.press("ArrowUp")
    expect(size(other)).to_have_value("210.0 GiB")


def test_units(fit):
    fit.get_by_text("GB", exact=True).click()
    expect(size(fit)).to_have_value("216.2 GB")
    fit.reload()
    expect(size(fit)).to_have_value("216.2 GB")


def test_target_typed_wrongly_and_rightly(window, demo):
    page = window(f"/jobs/{demo['YM-0106']}/target")
    field = page.get_by_label("Size on the label, or sectors")
    field.fill("480")
    field.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("has no unit")
    expect(field).to_have_value("480")
    field.fill("937703088s")
    field.press("Enter")
    expect(page.get_by_text("937,703,088")).to_be_visible()


def test_jobs_are_searched_and_deleted(window, demo):
    page = window("/")
    page.get_by_label("Search jobs").fill("bindery")
    expect(page.get_by_role("row")).to_have_count(2)
    page.get_by_role("button", name="What to do with YM-0103 Bindery PC").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_text("No job matches")).to_be_visible()


def test_an_address_that_leads_nowhere(window, store):
    page = window("/nothing/here")
    expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()
    page = window("/jobs/4711/fit")
    expect(page.get_by_role("alert")).to_contain_text("There is no job 4711")


PLACES = ("", "bench", "settings", "shelf", "fleets", "guide")


def _against(path, job):
    """The shelf says the most of itself against a job."""
    return f"{path}?job={job}" if path == "/shelf" else path


@pytest.mark.parametrize(
    "stage",
    [*PLACES, "source", "target", "fit", "compare", "carry", "check", "print/sheet", "print/customer"],
)
def test_it_can_be_read_by_all_and_at_every_width(window, demo, stage):
    job = demo[{"fit": "YM-0105", "check": "YM-0099"}.get(stage, "YM-0107")]
    path = f"/{stage}" if stage in PLACES else f"/jobs/{job}/{stage.replace('compare', 'fit')}"
    page = window(_against(path, job), bypass_csp=True)
    expect(page.get_by_role("heading", level=1)).to_be_attached()
    if stage == "":
        page.keyboard.press("n")
        page.get_by_text("Only the numbers").click()
    if stage == "shelf":
        page.keyboard.press("n")
        expect(page.get_by_role("list", name="Sizes, the smallest first")).to_be_visible()
    if stage == "fleets":
        page.get_by_role("link", name="Branches, autumn").click()
        expect(page.get_by_role("region", name="What to buy")).to_contain_text("Least price")
    if stage == "compare":
        page.keyboard.press("c")
        expect(page.get_by_text("Findings gained")).to_be_visible()
    if stage == "carry":
        page.keyboard.press("b")
        expect(page.get_by_text("step 1 of 8")).to_be_visible()
        page.keyboard.press("x")
        expect(page.get_by_role("button", name="Record it")).to_be_visible()
    if stage == "source":
        page.get_by_role("button", name="Desk", exact=True).click()
        page.get_by_text("Take another survey").click()
        page.get_by_text("Only the numbers").click()
    if stage == "fit":
        page.get_by_text("Margins and table").click()
        page.get_by_text("The same as a table").click()
    axe_clean_in_both(page)
    for width in (400, 1920):  # and nothing is wider than the window
        page.set_viewport_size({"width": width, "height": 900})
        assert page.evaluate("document.documentElement.scrollWidth") <= width


def test_a_deleted_job_comes_back_and_another_is_doubled(window, demo):
    """By keys: the menu of a line is opened, walked and left; undo brings the job back with its history."""
    page = window("/")
    menu = page.get_by_role("button", name="What to do with YM-0106 Lending desk PC, smaller disk")
    menu.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("menuitem", name="Duplicate")).to_be_focused()
    page.keyboard.press("Escape")
    expect(menu).to_be_focused()
    page.keyboard.press("Enter")
    for _ in range(2):
        page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.get_by_text("YM-0106 Lending desk PC, smaller disk is deleted.")).to_be_visible()
    expect(page.get_by_role("link", name="Lending desk PC, smaller disk")).to_have_count(0)
    page.keyboard.press("z")
    expect(page.get_by_role("link", name="Lending desk PC, smaller disk")).to_be_visible()
    menu.click()
    page.get_by_role("menuitem", name="Duplicate").click()
    expect(page.get_by_role("link", name="Lending desk PC, smaller disk, second")).to_be_visible()


def test_jobs_by_stage_and_verdict(window, demo):
    page = window("/")
    page.get_by_label("Verdict of the jobs").select_option("does-not-fit")
    expect(page.get_by_role("row")).to_have_count(2)
    expect(page.get_by_role("link", name="Lending desk PC, cheapest disk")).to_be_visible()
    page.get_by_label("Verdict of the jobs").select_option("")
    page.get_by_label("Stage of the jobs").select_option("closed")
    expect(page.get_by_role("link", name="Story corner PC")).to_be_visible()
    expect(page.get_by_role("row")).to_have_count(2)


def test_a_backup_is_made_and_put_back(window, demo):
    page = window("/settings")
    panel = page.get_by_role("region", name="Data")
    panel.get_by_role("button", name="Back up now").click()
    expect(panel.get_by_role("status")).to_contain_text("is made")
    with page.expect_download() as taken:
        panel.get_by_role("link", name="Take every job out").click()
    panel.locator("input[type=file]").set_input_files(taken.value.path())
    expect(panel.get_by_role("status")).to_contain_text("10 jobs came in")
    panel.get_by_role("button", name="Put back").first.click()
    page.get_by_role("button", name="Put it back").click()
    expect(panel.get_by_role("status")).to_contain_text("10 jobs are back")


def test_what_does_not_fit_runs_past_the_end_as_high_as_what_is_missing(window, demo):
    """Pixels against bytes: the overhang is the shortfall on the morph's own scale; a remedy is tried by pointing."""
    page = window(f"/jobs/{demo['YM-0105']}/fit")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Does not fit")
    job = page.evaluate(f"fetch('/api/jobs/{demo['YM-0105']}').then((answer) => answer.json())")
    plan, source = job["morph"]["plan"], job["source_head"]["size_bytes"]
    past = page.locator("[data-overhang] .past").bounding_box()["height"]
    end = page.locator("[data-overhang] .end").bounding_box()["height"]
    target = plan["target"]["sectors"] * plan["target"]["logical_sector_bytes"]
    assert past == pytest.approx(end * plan["shortfall_bytes"] / target, abs=2)  # pixels, with both outlines
    assert sum(row["least_bytes"] or 0 for row in plan["rows"]) > target
    assert source > target
    remedies = page.get_by_role("region", name="Remedies")
    remedies.get_by_role("listitem").first.hover()
    expect(page.get_by_role("status").filter(has_text="Lighten Catalogue")).to_contain_text("Tight")
    expect(page.locator("[data-overhang]")).to_have_count(0)
    page.get_by_role("heading", level=1).hover()
    expect(page.locator("[data-overhang]")).to_have_count(1)
    remedies.get_by_role("button", name="Do it: Leave Catalogue").focus()
    expect(page.get_by_role("status").filter(has_text="Leave Catalogue")).to_contain_text("Comfortable")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Does not fit")


def test_the_gravest_finding_is_in_sight_for_every_job_of_the_demo(window, demo):
    """At 1280 by 800, without scrolling; where there is none, nothing stands there."""
    page = window("/")
    for code, number in sorted(demo.items()):
        page.goto(f"/jobs/{number}/fit")
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        job = page.evaluate(f"fetch('/api/jobs/{number}').then((answer) => answer.json())")
        levels = [finding["level"] for finding in job["morph"]["plan"]["findings"]]
        line = page.locator(".gravest")
        if not levels:
            expect(line).to_have_count(0)
            continue
        expect(line.locator(".tag")).to_have_text(min(levels, key=("stop", "mind", "note").index))
        box = line.bounding_box()
        assert 0 < box["y"] < 800 - box["height"], code
        assert page.evaluate("document.documentElement.scrollHeight") <= 800 + 60, code


def test_a_first_visit_is_told_what_this_is_and_tries_a_sample(window, store):
    page = window("/")
    expect(page.get_by_text("how every partition of a disk will fit")).to_be_visible()
    page.get_by_role("button", name="Try it with a sample").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Comfortable")
    expect(page.get_by_text("Sample: a 1 TB disk to 480 GB")).to_be_visible()
