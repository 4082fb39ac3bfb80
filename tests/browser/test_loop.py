"""The whole loop without a disk: from the bench to a closed job by keys alone, and once with each fault."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import unfold
from tests.real.volumes import present
from ylemorph.stand_ins.practice import FAULT_WORDS
from ylemorph.web.edge.services import services

pytestmark = pytest.mark.skipif(not present("mkfs.ntfs", "mkfs.fat"), reason="mkfs.ntfs and mkfs.fat are needed")


def quickly(page):
    """The bench works without a lapse of time."""

    def answer(route):
        if route.request.method == "POST":
            body = {**json.loads(route.request.post_data), "pace": 0}
            route.continue_(post_data=json.dumps(body))
        else:
            route.continue_()

    page.route("**/practice", answer)


def press_on(page, locator, key="Enter"):
    """Go to a control with Tab until it has the focus, and press a key on it."""
    expect(locator).to_be_visible()
    for _ in range(90):
        if locator.evaluate("node => node === document.activeElement"):
            page.keyboard.press(key)
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not lead to {locator}")


@pytest.fixture
def attached(served, demo):
    for key in ("desk", "blank"):
        services(served[2]).shop.bench.attach(key)
    yield
    for key in ("desk", "blank"):
        services(served[2]).shop.bench.detach(key)


def line(page, serial):
    return page.get_by_role("button", name=re.compile(f"Read .*{serial}"))


def whole_loop(page):
    """From the bench to a closed job, by keys alone; two disks are attached."""
    quickly(page)
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    page.keyboard.press("n")
    press_on(page, line(page, "BK4-00731"))
    expect(page).to_have_url(re.compile("/jobs/[0-9]+/"))
    page.keyboard.press("g")
    page.keyboard.press("t")
    press_on(page, line(page, "QS2-4411"))
    expect(page.get_by_role("link", name="done Target")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("f")
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    page.keyboard.press("4")
    expect(page.get_by_role("button", name="Even fill")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("g")
    page.keyboard.press("c")
    expect(page.get_by_role("heading", level=1)).to_contain_text("rehearsed: nothing lost")
    expect(page.get_by_role("region", name="Practice on the bench")).to_contain_text("written for real")
    page.keyboard.press("p")
    expect(page.get_by_text("The bench is done.")).to_be_visible(timeout=20_000)
    expect(page.get_by_text("Carried out")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("k")
    press_on(page, line(page, "QS2-4411"))
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()
    press_on(page, page.get_by_role("button", name="Close", exact=True))
    expect(page.get_by_role("region", name="Closing")).to_contain_text("Closed")
    page.keyboard.press("g")
    page.keyboard.press("j")
    expect(page.get_by_role("row").filter(has_text="Brindle K4 to a new disk")).to_contain_text("Closed")


def test_the_whole_loop_by_keys_alone(window, attached):
    whole_loop(window("/"))


def worked(page, fault):
    """Wait until the bench has ended this very practice."""
    url = page.url.replace("/jobs/", "/api/jobs/").replace("/carry", "/practice")
    for _ in range(200):
        found = page.request.get(url).json()
        if found["fault"] == fault and found["state"] in ("done", "failed"):
            break
        page.wait_for_timeout(50)
    ends = "it stopped at step" if fault == "stopped" else "The bench is done."
    expect(page.get_by_text(ends)).to_be_visible()


def desk_job(window):
    """A new job of the desk's disk, at its target."""
    page = window("/")
    quickly(page)
    page.keyboard.press("n")
    line(page, "BK4-00731").click()
    expect(page).to_have_url(re.compile("/jobs/[0-9]+/"))
    page.get_by_role("link", name="Target").click()
    return page


def straight_across(page):
    """Begin anew, whatever stands on the target by now."""
    expect(page.get_by_role("heading", level=1)).to_contain_text("steps")
    if page.get_by_role("region", name="Ways", exact=True).count():
        unfold(page, "Ways")
    way = page.get_by_role("group", name="Ways").get_by_role("button", name="Straight across")
    if way.is_enabled():  # while a record is open the way stays as it was chosen
        way.click()
    expect(way).to_have_attribute("aria-pressed", "true")


# Two of them on the screen, one after the other; that each is found is asked of the bench itself.
SAID = {"stopped": "holds no known file system", "flag-lost": "lost its mark “required”"}


def test_faults_are_practised_and_found(window, attached, served):
    page = desk_job(window)
    line(page, "QS2-4411").click()
    for fault, said in SAID.items():
        page.get_by_role("link", name="Carry out").click()
        straight_across(page)
        unfold(page, "Practice on the bench").get_by_label("What goes wrong").select_option(FAULT_WORDS[fault])
        page.get_by_role("button", name="Practise").click()
        worked(page, fault)
        page.get_by_role("link", name="Check back").first.click()
        again = page.get_by_role("button", name="Check again")
        if fault != "stopped":
            again.click()
        line(page, "QS2-4411").click()
        expect(page.get_by_role("region", name="What to do")).to_contain_text(said)


@pytest.mark.parametrize("by", ["mouse", "keys"])
def test_from_three_differences_to_as_planned_in_one_go(window, attached, by):
    """A copy that stopped half-way: checked back, finished from there on the bench, checked again."""

    def press(locator):
        locator.click() if by == "mouse" else press_on(page, locator)

    page = desk_job(window)
    line(page, "QS2-4411").click()
    page.get_by_role("link", name="Carry out").click()
    straight_across(page)
    unfold(page, "Practice on the bench").get_by_label("What goes wrong").select_option(FAULT_WORDS["stopped"])
    page.get_by_role("button", name="Practise").click()
    worked(page, "stopped")
    page.get_by_role("link", name="Check back").first.click()
    line(page, "QS2-4411").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("3 differences from the plan")
    press(page.get_by_role("button", name="Finish from here: 3 steps"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("Finish from here")
    expect(page.get_by_role("heading", level=1)).to_contain_text("rehearsed: nothing lost")
    unfold(page, "Practice on the bench").get_by_label("What goes wrong").select_option(FAULT_WORDS["none"])
    press(page.get_by_role("button", name="Practise"))
    worked(page, "none")
    page.get_by_role("link", name="Check back").first.click()
    press(page.get_by_role("button", name="Check again"))
    press(line(page, "QS2-4411"))
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()


def test_one_disk_is_refitted_from_new_to_closed(window, attached):
    """Source and target are one: nothing is overwritten, one way, practised in place, as planned."""
    page = desk_job(window)
    press_on(page, page.get_by_role("button", name="This same disk"))
    expect(page.get_by_role("status").filter(has_text="Source and target are one disk")).to_be_visible()
    expect(page.get_by_text("It may be overwritten")).to_have_count(0)
    page.get_by_role("link", name="Fit", exact=True).click()
    page.get_by_role("button", name="Snug").click()
    page.get_by_role("link", name="Carry out").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("In place")
    expect(page.get_by_role("heading", level=1)).to_contain_text("rehearsed: nothing lost")
    expect(page.get_by_role("group", name="Ways").get_by_role("button")).to_have_count(1)
    expect(page.get_by_role("region", name="Rehearsal").get_by_text("Brindle K4", exact=True)).to_have_count(1)
    unfold(page, "Practice on the bench").get_by_role("button", name="Practise").click()
    worked(page, "none")
    page.get_by_role("link", name="Check back").first.click()
    line(page, "BK4-00731").click()
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.get_by_role("region", name="Closing")).to_contain_text("Closed")


def test_the_sample_ends_in_check_back(window, store):
    """By one button and six keys: practised on the bench, checked, as planned."""
    page = window("/")
    page.get_by_role("button", name="Try it with a sample").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Comfortable")
    page.keyboard.press("g")
    page.keyboard.press("c")
    expect(page.get_by_role("region", name="Practice on the bench")).to_contain_text("written for real")
    quickly(page)
    page.keyboard.press("p")
    expect(page.get_by_role("region", name="Every step is done")).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Check back").click()
    line(page, "QS2-4411").click()
    expect(page.get_by_role("heading", name="As planned")).to_be_visible()
