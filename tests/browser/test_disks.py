"""The disks of this machine on the screen, through a stand-in of the listing command."""

import re
import socket
import threading

import pytest
from playwright.sync_api import expect

from tests.attached.machines import BLANK, CUSTOMER, LAPTOP, disk, lsblk
from tests.browser.conftest import axe_clean
from tests.browser.test_intake import Counted
from ylemorph.attached import linux
from ylemorph.attached.listing import DisksHere, Lister
from ylemorph.serving import make_server
from ylemorph.stand_ins.attached import Bench
from ylemorph.store.preparing import prepare
from ylemorph.usecases.readings import RealDisks
from ylemorph.web.app import create_app
from ylemorph.web.edge.services import services


@pytest.fixture
def machine(tmp_path):
    """The list that the system gives, and where the application that reads it is served."""
    bench = Bench(tmp_path / "images")
    listed = []
    for key, serial in (("desk", "BK4-00731"), ("loan", "BK4-00888")):
        bench.attach(key)
        image = tmp_path / "images" / f"{key}.img"
        listed.append(disk(key, image.stat().st_size, path=str(image), model="Brindle K4", serial=serial, tran="usb",
                           fstype="ext4"))  # fmt: skip
    app = create_app(prepare(tmp_path / "own"), disks="here")
    shop = services(app).shop
    listing = DisksHere(Lister(linux.ask, "ask the workshop"), lambda _: lsblk(*listed))
    object.__setattr__(shop, "disks", RealDisks("here", shop.readings, listing))
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(app, listener)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield listed, f"http://127.0.0.1:{listener.getsockname()[1]}"
    services(app).hub.end()
    server.close()
    thread.join(5)


@pytest.fixture
def page(chromium, machine):
    page = chromium.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
    page.goto(f"{machine[1]}/bench")
    yield page
    page.context.close()


def test_from_an_attached_disk_to_a_verdict_in_five_commands(page, machine):
    page.goto(machine[1])
    expect(page.get_by_text("No jobs yet")).to_be_visible()
    stranger = Counted(page)
    stranger.press("n")
    stranger.click(page.get_by_role("button", name=re.compile("Read.*BK4-00731")).first)
    stranger.to_a_verdict()


def test_disks_come_and_go_while_the_page_is_open(page, machine):
    listed = machine[0]
    here = page.get_by_role("region", name="Attached to this machine")
    expect(here.get_by_role("listitem")).to_have_count(2)
    listed.extend([CUSTOMER, BLANK, LAPTOP])
    expect(here.get_by_role("listitem")).to_have_count(5)
    expect(here.get_by_role("listitem").filter(has_text="Tallow N2")).to_contain_text("this machine runs from it")
    expect(here.get_by_role("note")).to_contain_text("a right that Ylemorph does not have: ask the workshop")
    expect(here.get_by_role("button", name="Tallow N2")).to_be_disabled()
    axe_clean(page)
    del listed[1:]
    expect(here.get_by_role("listitem")).to_have_count(1)
    listed.clear()
    expect(here).to_contain_text("seen here as soon as one is attached")


def test_a_disk_becomes_a_job_and_its_target_by_keys(page, machine):
    listed = machine[0]
    listed[0]["mountpoints"] = ["/media/desk"]
    here = page.get_by_role("region", name="Attached to this machine")
    begin = here.get_by_role("button", name="BK4-00731")
    expect(here.get_by_role("listitem").first).to_contain_text("mounted at /media/desk")
    begin.focus()
    page.keyboard.press("Enter")
    expect(here.get_by_role("alert")).to_contain_text("Its figures may change while it is read")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Which size would do")).to_be_visible()
    page.get_by_role("button", name="Read this disk: Brindle K4 BK4-00888").press("Enter")
    expect(page.get_by_text("This disk holds")).to_be_visible()
    expect(page.get_by_label("type the last 4 of its serial")).to_be_visible()
    page.goto(page.url.replace("/target", "/check"))
    page.get_by_role("button", name="Read this disk: Brindle K4 BK4-00888").click()
    expect(page.get_by_role("heading", name="What to do")).to_be_visible()


def test_all_of_them_become_a_fleet(page):
    page.get_by_role("button", name="Survey all of them into a fleet").click()
    expect(page).to_have_url(re.compile(r"/fleets/\d+"))
    expect(page.get_by_role("row").filter(has_text="BK4-00731")).to_have_count(1)
    expect(page.get_by_role("row").filter(has_text="BK4-00888")).to_have_count(1)
