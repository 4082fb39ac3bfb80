"""Several people and windows at one Ylemorph: signing in, seeing each other's changes, disks sent from elsewhere."""

import json
import os
import socket
import subprocess
import threading

import pytest
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import expect

from tests.browser.conftest import axe_clean
from tests.chromium import launched
from tests.make import LISTING
from tests.web.test_encrypted import PASSWORD as TLS_PASSWORD
from tests.web.test_encrypted import Network, add_people
from ylemorph.demo.load import load_demo
from ylemorph.serving import make_server
from ylemorph.store import jobs, people
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app
from ylemorph.web.edge.certificates import own_certificate
from ylemorph.web.edge.services import services

PASSWORD = "four plain words here"


@pytest.fixture
def workshop(tmp_path):
    """A server for a network with one person of each role, and the number of the demo's tight job."""
    path = prepare(tmp_path)
    connection = connect(path)
    load_demo(connection)
    for role, name in (("workshop", "Mara Quill"), ("bench", "Odd Lund"), ("look", "Counter")):
        people.add(connection, name, role, PASSWORD)
    numbers = {job.code: job.id for job in jobs.lines(connection)}
    listener = socket.create_server(("127.0.0.1", 0))
    app = create_app(path, network=True)
    server = make_server(app, listener)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{listener.getsockname()[1]}", numbers
    services(app).hub.end()
    server.close()
    connection.close()


@pytest.fixture
def person(workshop, chromium):
    """Opens a browser of its own and signs somebody in there."""
    opened = []

    def sign_in(name, path="/", password=PASSWORD):
        context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=workshop[0], bypass_csp=True)
        opened.append(context)
        page = context.new_page()
        page.set_default_timeout(30_000)
        page.goto(path)
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(password)
        page.keyboard.press("Enter")
        return page

    yield sign_in
    for context in opened:
        context.close()


def test_signing_in_and_out(workshop, person):
    page = person("Odd Lund", "/settings", password="not this one")
    expect(page.get_by_role("alert")).to_contain_text("Name or password is wrong")
    axe_clean(page)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Workshop")).to_be_visible()  # where one wanted to go
    expect(page.get_by_role("region", name="People")).to_have_count(0)
    page.get_by_role("button", name="Odd Lund: password, sign out").click()
    page.get_by_role("menuitem", name="Sign out", exact=True).click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()


def test_ones_own_password(workshop, person):
    page, other = person("Odd Lund"), person("Odd Lund")
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    page.get_by_role("button", name="Odd Lund: password, sign out").click()
    page.get_by_role("menuitem", name="Change password").click()
    dialog = page.get_by_role("dialog", name="Your password")
    dialog.get_by_label("The present one").fill("not this one")
    dialog.get_by_label("The new one").fill("password123456")
    dialog.get_by_role("button", name="Change it").click()
    expect(dialog.get_by_role("alert")).to_contain_text("not the present password")
    dialog.get_by_label("The present one").fill(PASSWORD)
    dialog.get_by_role("button", name="Change it").click()
    expect(dialog.get_by_role("alert")).to_contain_text("guessed too easily")
    axe_clean(page)
    dialog.get_by_label("The new one").fill("copper kettle on a ledge")
    dialog.get_by_role("button", name="Change it").click()
    expect(dialog.get_by_role("status")).to_contain_text("It is changed")
    expect(other.get_by_role("heading", name="You were signed out")).to_be_visible()
    dialog.get_by_role("button", name="Close").click()
    page.get_by_role("link", name="Workshop").click()  # this browser goes on
    expect(page.get_by_role("heading", name="Workshop")).to_be_visible()


def test_a_browser_that_knows_the_printed_key_signs_in_over_tls(tmp_path, playwright_driver):
    """No authority vouches for the certificate; the browser is told to trust the one key, and no other."""
    add_people(tmp_path / "data")
    network = Network(tmp_path / "data")
    try:
        pin = own_certificate(tmp_path / "data", frozenset()).pin
        for known, seen in ((pin, True), ("A" * 43 + "=", False)):
            browser = launched(playwright_driver, f"--ignore-certificate-errors-spki-list={known}")
            page = browser.new_page()
            if not seen:
                with pytest.raises(PlaywrightError, match="ERR_CERT"):
                    page.goto(f"https://127.0.0.1:{network.port}/")
            else:
                page.goto(f"http://127.0.0.1:{network.port}/settings")  # led over
                page.get_by_label("Name").fill("Mara Quill")
                page.get_by_label("Password").fill(TLS_PASSWORD)
                page.keyboard.press("Enter")
                expect(page.get_by_role("region", name="Data")).to_contain_text(network.fingerprint)
                assert page.url == f"https://127.0.0.1:{network.port}/settings"
                assert {cookie["name"] for cookie in page.context.cookies()} == {
                    "__Host-ylemorph_session", "__Host-ylemorph_device"
                }  # fmt: skip
            browser.close()
    finally:
        network.stop()


def test_people_are_kept_by_the_workshop(workshop, person):
    page = person("Mara Quill", "/settings")
    region = page.get_by_role("region", name="People")
    expect(region).to_contain_text("signed in in 1 browser")
    region.get_by_label("Name", exact=True).fill("Iris Vance")
    region.get_by_label("Password").fill("short")
    region.get_by_role("button", name="Add").click()
    expect(region.get_by_role("alert")).to_contain_text("10 to 200 characters")
    region.get_by_label("Password").fill("another few words")
    region.get_by_role("button", name="Add").click()
    expect(region.get_by_role("status")).to_contain_text("Iris Vance may sign in")
    axe_clean(page)
    iris = person("Iris Vance", password="another few words")
    expect(iris.get_by_role("heading", name="Jobs")).to_be_visible()
    region.get_by_label("Role of Mara Quill").select_option("look: reads")
    expect(region.get_by_role("alert")).to_contain_text("last one")
    region.get_by_role("button", name="More for Iris Vance").click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(region.get_by_role("status")).to_contain_text("removed and signed out")
    expect(iris.get_by_role("heading", name="You were signed out")).to_be_visible()  # told at once


def test_two_people_on_one_job_see_each_other(workshop, person):
    path = f"/jobs/{workshop[1]['YM-0106']}/fit"
    mara, odd = person("Mara Quill", path), person("Odd Lund", path)
    expect(mara.get_by_text("also open: Odd Lund")).to_be_visible()
    expect(odd.get_by_text("also open: Mara Quill")).to_be_visible()
    field = odd.get_by_label("Size on the target")
    field.fill("123")  # being typed
    cards = mara.get_by_role("group", name="Fits")
    cards.get_by_role("button").first.click()
    pressed = odd.get_by_role("group", name="Fits").get_by_role("button").first
    expect(pressed).to_have_attribute("aria-pressed", "true", timeout=1500)
    expect(field).to_have_value("123")
    odd.get_by_role("button", name="Changes").click()
    expect(odd.get_by_role("dialog", name="Changes").get_by_role("listitem").first).to_contain_text("Mara Quill")
    mara.goto("/")
    expect(odd.get_by_text("also open")).to_have_count(0)


def test_who_may_only_look_is_told(workshop, person):
    page = person("Counter", f"/jobs/{workshop[1]['YM-0106']}/fit")
    page.get_by_role("group", name="Fits").get_by_role("button").first.click()
    expect(page.get_by_role("alert").filter(has_text="role bench")).to_be_visible()
    expect(page.get_by_text("(reads)")).to_be_visible()


def test_many_windows_of_one_browser(workshop, person):
    """Browsers open six connections to a server; a stream for each window would block the seventh."""
    path = f"/jobs/{workshop[1]['YM-0106']}/fit"
    first = person("Odd Lund", path)
    expect(first.get_by_role("group", name="Fits")).to_be_visible()
    more = [first.context.new_page() for _ in range(7)]
    for page in more:
        page.goto(path)
        expect(page.get_by_role("group", name="Fits")).to_be_visible()
    first.get_by_role("group", name="Fits").get_by_role("button").first.click()
    for page in more:
        pressed = page.get_by_role("group", name="Fits").get_by_role("button").first
        expect(pressed).to_have_attribute("aria-pressed", "true")


def test_disks_sent_from_the_customers_machine(workshop, person, tmp_path):
    page = person("Odd Lund")
    page.get_by_role("button", name="New job").click()
    page.get_by_role("button", name="Have the customer's machine send it").click()
    page.get_by_role("button", name="Get the line").click()
    line = page.locator("code", has_text="curl").inner_text()
    axe_clean(page)
    utilities = tmp_path / "bin"
    utilities.mkdir()
    for name, answer in (("lsblk", json.dumps(LISTING)), ("hostname", "desk-3")):
        (utilities / name).write_text(f"#!/bin/sh\ncat <<'END'\n{answer}\nEND\n")
        (utilities / name).chmod(0o755)
    path = f"{utilities}:{os.environ['PATH']}"
    ran = subprocess.run(
        ["sh", "-c", f"{line} -s -- --yes"], env={"PATH": path}, capture_output=True, text=True, timeout=30, check=False
    )
    assert ran.returncode == 0, ran.stderr
    assert ran.stdout == "Thank you. 2 disks arrived at Ylemorph.\n"
    region = page.get_by_role("region", name="Arrived")
    expect(region).to_contain_text("Arrived from desk-3")  # by itself, without a reload
    expect(region).to_contain_text("2 disks. Which one is the source?")
    axe_clean(page)
    region.get_by_role("button", name="/dev/sda").click()
    expect(page.get_by_text("Sent by desk-3.")).to_be_visible()
    expect(page.get_by_text("Brindle K4").first).to_be_visible()
    expect(region).to_have_count(0)
    again = subprocess.run(
        ["sh", "-c", f"{line} -s -- --yes"], env={"PATH": path}, capture_output=True, text=True, timeout=30, check=False
    )
    assert "404" in again.stderr  # a code works once: not even the script is given again
    assert again.stdout == ""
