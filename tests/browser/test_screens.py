"""What the screens draw and say, measured on the running application."""

import gzip

import pytest
from playwright.sync_api import expect

from tests.browser.test_fit import fit  # noqa: F401  # a fixture
from ylemorph.web.edge.pages import STATIC


def test_what_the_table_cannot_name_is_drawn(window, demo):
    """Pixels against bytes: both columns are as long as their disks, and end at 2 TiB for the rows."""
    page = window(f"/jobs/{demo['YM-0101']}/fit")
    expect(page.locator("[data-beyond]")).to_have_count(2)
    expect(page.locator("[data-beyond]").last).to_contain_text("1.64 TiB past 2 TiB")
    job = page.evaluate(f"fetch('/api/jobs/{demo['YM-0101']}').then((answer) => answer.json())")
    plan = job["morph"]["plan"]
    size = plan["target"]["sectors"] * plan["target"]["logical_sector_bytes"]
    beyond = page.locator("[data-beyond] rect").last.bounding_box()
    block = page.locator("[data-block='1']").bounding_box()
    share = plan["target"]["unreachable_bytes"] / size
    assert beyond["height"] / (beyond["y"] + beyond["height"] - block["y"]) == pytest.approx(share, abs=0.01)


# Of each group: where its name begins and ends, and where its ticks begin.
NAMES_AND_TICKS = """groups => groups.map(group => {
  const name = group.querySelector("text").getBoundingClientRect();
  return [name.left, name.right, [...group.querySelectorAll("path")].map(tick => tick.getBoundingClientRect().left)];
})"""


def test_the_gauge_names_stand_at_their_ticks(window, demo):
    """Every leader line ends over the name that it belongs to, and what is missing is hatched."""
    page = window("/")
    for code in sorted(demo):
        page.goto(f"/jobs/{demo[code]}/fit")
        expect(page.locator(".gauge text").first).to_be_visible()
        for left, right, ticks in page.locator(".gauge g:has(text)").evaluate_all(NAMES_AND_TICKS):
            assert all(left - 6 <= x <= right + 6 for x in ticks), code
        assert page.locator("[data-lacks]").count() == (code == "YM-0105"), code


def test_compared_by_keys_and_the_second_plan_taken(fit):  # noqa: F811
    fit.keyboard.press("c")
    dialog = fit.get_by_role("dialog")
    expect(dialog.get_by_role("img", name="As it stands: Comfortable")).to_be_visible()
    expect(dialog.get_by_role("img", name="Rest to one: Comfortable")).to_be_visible()
    shown = dialog.get_by_role("row", name="3 Desk").get_by_role("cell").all_inner_texts()
    assert shown[0] != shown[1]  # two different plans
    expect(dialog.get_by_role("row", name="3 Desk").get_by_text("better")).to_have_count(1)
    expect(dialog.get_by_role("row", name="Left open")).to_contain_text("nothing")
    fit.keyboard.press("x")
    expect(dialog.get_by_label("First plan")).to_have_value("rest-to-one")
    fit.keyboard.press("x")
    fit.keyboard.press("t")
    expect(dialog).to_be_hidden()
    expect(fit.get_by_role("button", name="Rest to one")).to_have_attribute("aria-pressed", "true")
    fit.keyboard.press("z")
    expect(fit.get_by_role("button", name="Proportional")).to_have_attribute("aria-pressed", "true")


def test_the_guide_is_searched_and_a_finding_leads_to_its_rule(window, demo):
    page = window(f"/jobs/{demo['YM-0101']}/fit")
    page.get_by_role("link", name="rule unreachable").click()
    expect(page.locator("tr.here code").first).to_have_text("unreachable")
    assert 0 < page.locator("tr.here").bounding_box()["y"] < 800
    page.get_by_label("Search the guide").fill("comfort floor strip")
    sections = page.get_by_role("navigation", name="Sections").get_by_role("listitem")
    expect(sections.filter(has_text="Reading")).to_have_count(1)
    page.get_by_label("Search the guide").fill("no such words at all")
    expect(page.get_by_text("Nothing in the guide has all of these words.")).to_be_visible()
    page.get_by_role("button", name="Show all of it").click()
    page.get_by_label("Search the guide").blur()
    page.keyboard.press("?")
    page.get_by_role("link", name="The guide").click()
    expect(page.get_by_role("heading", name="The short guide", level=2)).to_be_visible()


def test_strips_say_what_they_do_not_show(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/source")
    expect(page.get_by_text("drawn 603 times as long; how much is used, not where")).to_be_visible()
    long, short = (page.get_by_role("img", name=f"Partition {n}:").bounding_box()["width"] for n in (4, 3))
    assert short / long == pytest.approx(420 / 510, abs=0.01)


VIEWS = (
    "jobs/{}/source", "jobs/{}/target", "jobs/{}/fit", "jobs/{}/carry", "jobs/{}/check", "fleets", "shelf", "bench",
    "settings", "guide",
)  # fmt: skip


def test_what_is_loaded_at_first_and_by_each_view_is_small(window, demo):
    """Bytes packed, letters included: at most 260 kB at first, 120 kB more for any view."""
    loaded = set()
    page = window("/fleets")
    page.on("response", lambda answer: loaded.add(answer.url) if "/assets/" in answer.url else None)

    def packed(urls):
        return sum(len(gzip.compress((STATIC / url.split("/", 3)[3]).read_bytes(), 9)) for url in urls)

    page.goto("/")
    expect(page.get_by_role("link", name="Lending desk PC", exact=True)).to_be_visible()
    first = set(loaded)
    assert 100_000 < packed(first) <= 260_000, first
    for view in VIEWS:
        loaded.clear()
        page.goto("/" + view.format(demo["YM-0107"]))
        expect(page.get_by_role("heading").first).to_be_visible()
        assert packed(loaded - first) <= 120_000, view
