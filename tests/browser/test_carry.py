"""Carry out in the browser: ways, facts, the timeline and its record, the film, what is taken along."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import unfold
from ylemorph.core.job.state import JobState
from ylemorph.demo.scenario import lending_desk
from ylemorph.store import jobs


@pytest.fixture
def desk(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/carry")
    expect(page.get_by_role("heading", name="Straight across")).to_be_visible()
    return page


def ways(page):
    return page.get_by_role("group", name="Ways")


def film(page):
    return page.get_by_role("region", name="Rehearsal")


def step(page, number):
    return page.get_by_role("region", name="Steps").get_by_role("listitem").nth(number - 1)


def test_the_head_says_it_all_in_one_line(desk):
    head = desk.get_by_role("heading", level=1)
    expect(head).to_contain_text("8 steps")
    expect(head).to_contain_text("the source is only read")
    expect(head).to_contain_text("rehearsed: nothing lost")


def test_ways_say_why_not_and_are_chosen_by_click_or_key(desk):
    restore = ways(desk).get_by_role("button", name="Restore a backup")
    expect(restore).to_be_disabled()
    expect(restore).to_contain_text("its last row ends 484 GiB past what the target holds")
    ways(desk).get_by_role("button", name="Through an image").click()
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Through an image")
    expect(desk.get_by_role("region", name="Before", exact=True)).to_contain_text(
        "The place for the image has the room"
    )
    desk.keyboard.press("1")
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Straight across")
    desk.keyboard.press("z")
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Through an image")


def test_what_is_said_of_the_bench_decides(desk):
    desk.get_by_label("How much room is there for an image?").fill("96 GiB")
    desk.get_by_label("How much room is there for an image?").press("Enter")
    expect(ways(desk)).to_contain_text("Needs 228 GiB of workspace, 96 GiB free")
    desk.get_by_label("May the source be changed?").select_option("no")
    expect(ways(desk)).to_contain_text("The source may not be changed")
    desk.get_by_label("How much room is there for an image?").fill("a lot")
    desk.get_by_label("How much room is there for an image?").press("Enter")
    expect(desk.get_by_role("alert")).to_contain_text("“a lot” is not a size")
    desk.reload()
    expect(ways(desk)).to_contain_text("96 GiB free")


def test_figures_to_type_stand_beside_a_step_and_are_copied(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/carry", permissions=["clipboard-read", "clipboard-write"])
    line = page.get_by_role("listitem").filter(has_text="Copy Desk (3)")
    line.locator("summary").click()
    expect(line.get_by_role("table")).to_contain_text("206209 MiB")
    expect(line.get_by_role("table")).to_contain_text("422316032 sectors")
    line.get_by_role("button", name="Copy 223871").click()
    assert page.evaluate("navigator.clipboard.readText()") == "223871"


def test_ticks_stay_through_reload_and_undo(desk):
    desk.get_by_label("The computer runs on mains, and does not go to sleep").click()
    expect(desk.get_by_role("heading", name="Before")).to_contain_text("1 of 7")
    ways(desk).get_by_role("button", name="Through an image").click()
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Through an image")
    desk.keyboard.press("z")
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Straight across")
    desk.reload()
    expect(desk.get_by_label("The computer runs on mains, and does not go to sleep")).to_be_checked()


def test_the_record_by_keys_alone_and_in_the_list(window, demo, desk):
    desk.keyboard.press("b")
    expect(desk.get_by_text("step 1 of 8")).to_be_visible()
    unfold(desk, "Ways")
    expect(ways(desk).get_by_role("button", name="Shrink first")).to_be_disabled()
    for number in (2, 3):
        desk.keyboard.press("d")
        expect(desk.get_by_text(f"step {number} of 8")).to_be_visible()
    desk.keyboard.press("u")
    expect(desk.get_by_text("step 2 of 8")).to_be_visible()
    other = window("/")
    expect(other.get_by_role("row").filter(has_text="YM-0107")).to_contain_text("step 2 of 8")
    other.get_by_role("link", name="Lending desk PC", exact=True).click()
    expect(other.get_by_text("step 2 of 8")).to_be_visible()
    for number in range(3, 9):
        desk.keyboard.press("d")
        expect(desk.get_by_text(f"step {number} of 8")).to_be_visible()
    desk.keyboard.press("d")
    expect(desk.get_by_text("Carried out")).to_be_visible()
    expect(other.get_by_text("Carried out")).to_be_visible()  # the other window sees it at once


def test_a_step_that_failed_is_answered(desk):
    desk.get_by_role("button", name="Begin").click()
    desk.get_by_role("button", name="Step done").click()
    expect(desk.get_by_text("step 2 of 8")).to_be_visible()
    desk.get_by_role("button", name="It failed").click()
    desk.get_by_label("A read error").click()
    desk.get_by_label("What it said").fill("sector 812 cannot be read")
    desk.get_by_role("button", name="Record it").click()
    panel = desk.get_by_role("alert").filter(has_text="Step 2 failed: a read error")
    expect(panel).to_contain_text("sector 812 cannot be read")
    expect(panel).to_contain_text("Brindle K4: as it was.")
    panel.get_by_role("button", name="Do it again from step 2").click()
    expect(panel).to_be_hidden()
    expect(desk.get_by_text("step 2 of 8")).to_be_visible()
    desk.keyboard.press("x")
    desk.get_by_label("A read error").click()
    desk.get_by_role("button", name="Record it").click()
    desk.get_by_role("button", name=re.compile("Do it: Take the source as failing")).click()
    expect(desk.get_by_role("heading", level=1)).to_contain_text("Through an image")
    expect(desk.get_by_role("button", name="Begin anew")).to_be_visible()


def test_the_film_by_keys_and_by_its_slider(desk):
    expect(film(desk)).to_contain_text("Before the first step")
    for _ in range(5):
        desk.keyboard.press("ArrowRight")
    expect(film(desk)).to_contain_text("Step 5 of 8: Copy Desk (3)")
    expect(film(desk).locator("svg .lit")).to_have_count(1)
    expect(film(desk)).to_contain_text("131 GiB of 228 GiB")
    desk.keyboard.press("ArrowLeft")
    expect(film(desk)).to_contain_text("Step 4 of 8")
    film(desk).get_by_label("Step of the rehearsal").fill("8")
    expect(film(desk)).to_contain_text("Step 8 of 8")
    desk.keyboard.press("Home")
    film(desk).get_by_role("button", name="Play").click()
    expect(film(desk)).to_contain_text("Step 2 of 8")
    film(desk).get_by_role("button", name="Pause").click()
    step(desk, 6).get_by_role("button", name="Copy Catalogue").click()
    expect(film(desk)).to_contain_text("Step 6 of 8")


def test_what_is_taken_along(desk):
    hand_over = unfold(desk, "To take along")
    for name, starts in (
        ("Work sheet (PDF)", b"%PDF-"),
        ("Script for Linux", b"#!/bin/sh"),
        ("Morph as PNG", b"\x89PNG"),
    ):
        with desk.expect_download() as waited:
            hand_over.get_by_text(name, exact=True).click()
        assert waited.value.path().read_bytes().startswith(starts)
    hand_over.get_by_role("link", name="Page for the customer").click()
    expect(desk.get_by_role("heading", name="How much room there will be")).to_be_visible()
    expect(desk.get_by_role("row").filter(has_text="Desk")).to_contain_text("70.4 GiB")
    desk.get_by_role("link", name="Work sheet", exact=True).click()
    expect(desk.get_by_text("New size 206209 MiB (422316032 sectors)")).to_be_visible()


def test_a_plan_that_does_not_fit_leads_back(window, demo):
    page = window(f"/jobs/{demo['YM-0105']}/carry")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Does not fit")
    page.get_by_role("link", name="Fit", exact=True).last.click()
    expect(page.get_by_role("heading", name="Does not fit")).to_be_visible()


def test_without_a_target_it_says_what_is_missing_and_leads_there(window, store):
    job = jobs.create(store, JobState(source=lending_desk())).id
    page = window(f"/jobs/{job}/carry")
    page.get_by_role("link", name="Choose the target").click()
    expect(page).to_have_url(re.compile(f"/jobs/{job}/target$"))


def test_time_stands_beside_the_verdict_and_in_compare(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/fit")
    expect(page.get_by_text("228 GiB to copy")).to_be_visible()
    page.keyboard.press("c")
    expect(page.get_by_role("row").filter(has_text="Time")).to_contain_text(" to ")
