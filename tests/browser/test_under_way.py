"""Carry out under way: the present step, its time, done and failed are what one sees, on screen and telephone."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe_clean_in_both, unfold
from tests.web.test_script_log import line

SIZES = {"screen": (1280, 800), "telephone": (390, 844)}


def in_sight(page, *locators):
    """Each stands wholly on the first screen, and a finger hits what is to be hit."""
    page.evaluate("scrollTo(0, 0)")
    width, height = page.viewport_size["width"], page.viewport_size["height"]
    for locator in locators:
        expect(locator).to_be_visible()
        box = locator.bounding_box()
        assert box["y"] >= 0, box
        assert box["y"] + box["height"] <= height - 26, box  # the foot of the page lies over the rest
        assert box["x"] >= 0, box
        assert box["x"] + box["width"] <= width, box


def present(page):
    return page.get_by_role("region", name="Present step")


def begun_in_sight(page, number):
    step = present(page)
    expect(step).to_contain_text(f"Step {number} of 8")
    done, failed = (step.get_by_role("button", name=name) for name in ("Step done", "It failed"))
    in_sight(page, step.get_by_role("heading"), step.get_by_text("Should take"), step.get_by_text("Left"), done, failed)
    least = 52 if page.viewport_size["width"] < 600 else 36
    assert min(done.bounding_box()["height"], failed.bounding_box()["height"]) >= least


@pytest.fixture(params=[("screen", "mouse"), ("screen", "keys"), ("telephone", "touch")])
def bench(request, window, demo):
    """The job's window in that size, and how something is pressed there: a control, or the key that stands for it."""
    size, by = request.param
    page = window(f"/jobs/{demo['YM-0107']}/carry", **({"has_touch": True} if by == "touch" else {}))
    page.set_viewport_size(dict(zip(("width", "height"), SIZES[size], strict=True)))

    def press(locator, key):
        if by == "keys":
            page.keyboard.press(key)
        elif by == "touch":
            locator.tap()
        else:
            locator.click()

    expect(page.get_by_role("heading", level=1)).to_contain_text("8 steps")
    return page, press


def test_from_begun_to_done(bench):
    page, press = bench
    press(page.get_by_role("button", name="Begin"), "b")
    begun_in_sight(page, 1)
    for number in (2, 3):
        press(present(page).get_by_role("button", name="Step done"), "d")
        begun_in_sight(page, number)
    press(present(page).get_by_role("button", name="It failed"), "x")
    page.get_by_label("It was stopped").click()
    page.get_by_label("What it said").press("Enter")
    failure = page.get_by_role("alert", name="A step failed")
    again = failure.get_by_role("button", name=re.compile("Do it again from step"))
    lasted = failure.get_by_text(re.compile(r"Step 3 of 8 · failed after \d"))
    in_sight(page, failure.get_by_role("heading").first, lasted, again)
    again.click()
    expect(present(page)).to_contain_text("once more, it failed before")
    number = int(re.search(r"Step (\d) of 8", present(page).inner_text())[1])
    begun_in_sight(page, number)
    for step in range(number, 9):
        expect(present(page)).to_contain_text(f"Step {step} of 8")
        press(present(page).get_by_role("button", name="Step done"), "d")
    finished = page.get_by_role("region", name="Every step is done")
    in_sight(page, finished.get_by_role("heading"), finished.get_by_role("button", name="Check back"))


def test_what_a_script_tells_is_in_sight(window, demo):
    job = demo["YM-0107"]
    page = window(f"/jobs/{job}/carry")
    script = page.request.get(f"/api/jobs/{job}/hand-over/clone.sh").text()
    plan = script.split(" PLAN=")[1].split()[0]
    panel = unfold(page, "The script")
    panel.get_by_role("button", name="Let it tell here").click()
    expect(panel.locator("code")).to_contain_text("--tell http")
    address = re.search(r"--tell (\S+)", panel.locator("code").inner_text())[1]
    lines = [
        line("begin", plan=plan, steps=8), line("step", 1), line("done", 1, 1, seconds=61), line("step", 2, 1),
        line("progress", 2, 3, bytes=250, of=1000, seconds=60, say="copied"),
    ]  # fmt: skip
    assert page.request.post(f"{address}?from=0", data="\n".join(lines) + "\n").ok
    told = present(page).get_by_role("status")
    expect(told).to_contain_text("25 % copied")
    for size in SIZES.values():
        page.set_viewport_size(dict(zip(("width", "height"), size, strict=True)))
        begun_in_sight(page, 2)
        in_sight(page, told, present(page).get_by_text("3 min", exact=True))


def test_every_state_can_be_read_by_all(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/carry", bypass_csp=True)
    expect(page.get_by_role("heading", level=1)).to_contain_text("8 steps")
    page.keyboard.press("b")
    expect(present(page)).to_contain_text("Step 1 of 8")
    for name in ("Before", "Ways", "The bench", "The script", "Practice on the bench", "To take along"):
        unfold(page, name)
    axe_clean_in_both(page)
    page.keyboard.press("x")
    page.get_by_label("It was stopped").click()
    page.get_by_label("What it said").press("Enter")
    expect(page.get_by_role("alert", name="A step failed")).to_be_visible()
    axe_clean_in_both(page)


def test_steps_past_stand_above_and_those_to_come_below(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/carry")
    expect(page.get_by_role("heading", level=1)).to_contain_text("8 steps")
    page.keyboard.press("b")
    for number in (1, 2, 3):
        expect(present(page)).to_contain_text(f"Step {number} of 8")
        page.keyboard.press("d")
    expect(present(page)).to_contain_text("Step 4 of 8")
    past = unfold(page, "Steps done")
    expect(past.get_by_role("listitem")).to_have_count(3)
    expect(past.get_by_role("listitem").first).to_contain_text("took")
    to_come = page.get_by_role("list", name="Steps to come")
    expect(to_come.get_by_role("listitem")).to_have_count(4)
    boxes = [one.bounding_box()["y"] for one in (past, present(page), to_come)]
    assert boxes == sorted(boxes)
