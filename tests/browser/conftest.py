"""The real application in headless chromium, one server for all tests, a fresh demo for each."""

import os
import re
import socket
import threading
from pathlib import Path

import pytest
from playwright.sync_api import expect, sync_playwright

from ylemorph.demo.load import load_demo
from ylemorph.serving import make_server
from ylemorph.store import fleets, jobs, shelf
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app
from ylemorph.web.edge.pages import STATIC
from ylemorph.web.edge.services import services

ROOT = Path(__file__).parents[2]
expect.set_options(timeout=20_000)  # what is waited for comes at once, but on a machine that does much else
CHROMIUM = os.environ.get("CHROMIUM", "/usr/bin/chromium")
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def axe_clean(page):
    """Nothing serious or critical; the page must have been opened with ``bypass_csp``."""
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
    grave = [
        (v["id"], node["target"], node["failureSummary"][:300])
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
        for node in v["nodes"]
    ]
    assert grave == []


def cut_off(page):
    """From now on this window does not learn what others make of a job, as with a lost connection; it can write."""
    read = re.compile(r"/api/jobs/\d+(\?|$)")
    page.route(read, lambda route: route.abort() if route.request.method == "GET" else route.continue_())


@pytest.fixture(scope="session")
def served(tmp_path_factory):
    assert (STATIC / "index.html").is_file(), "the front end is not built: make build"
    store = prepare(tmp_path_factory.mktemp("store"))
    app = create_app(store)
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(app, listener)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield store, f"http://127.0.0.1:{listener.getsockname()[1]}", app
    services(app).hub.end()
    server.close()
    thread.join(5)


@pytest.fixture(scope="session")
def playwright_driver():
    with sync_playwright() as playwright:
        yield playwright


@pytest.fixture(scope="session")
def chromium(playwright_driver):
    browser = playwright_driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    yield browser
    browser.close()


@pytest.fixture
def store(served):
    """An empty store behind the running server."""
    connection = connect(served[0])
    for job in jobs.lines(connection):
        jobs.delete(connection, job.id)
    for fleet in fleets.heads(connection):
        fleets.delete(connection, fleet.id)
    shelf.write(connection, [])
    yield connection
    connection.close()


@pytest.fixture
def demo(store):
    """The demo's jobs by their code."""
    load_demo(store)
    return {job.code: job.id for job in jobs.lines(store)}


# The browser's own notes of an answer that refuses something, and of requests that a test cut off.
EXPECTED = re.compile(r"responded with a status of 4|net::ERR_FAILED")


def is_wrong(message):
    """An error on the console that no test brought about on purpose."""
    return message.type == "error" and not EXPECTED.search(message.text)


class Browsers:
    """Browsers that are kept for the tests that follow: what one has read of the program need not be read again.

    What a person would leave behind in one is taken away before it is used anew.
    """

    def __init__(self, chromium, url):
        self.chromium, self.url, self.kept = chromium, url, []

    def page(self, options, taken):
        """A page of a browser with these options that none of ``taken`` is."""
        for own, context in self.kept:
            if own == options and context not in taken:
                break
        else:
            context = self.chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=self.url, **options)
            self.kept.append((options, context))
        taken.append(context)
        context.clear_cookies()
        page = context.new_page()
        session = context.new_cdp_session(page)
        session.send("Storage.clearDataForOrigin", {"origin": self.url, "storageTypes": "local_storage,indexeddb"})
        session.detach()
        return page


@pytest.fixture(scope="session")
def browsers(served, chromium):
    kept = Browsers(chromium, served[1])
    yield kept
    for _, context in kept.kept:
        context.close()


@pytest.fixture
def window(served, browsers):
    """Opens windows, each of a browser of its own; they must end without an error on their consoles and without asking
    any other host."""
    opened, wrong = [], []

    def open_window(path="/", **options):
        page = browsers.page(options, opened)
        page.set_default_timeout(30_000)
        page.on("console", lambda m: wrong.append(m.text) if is_wrong(m) else None)
        page.on("pageerror", lambda error: wrong.append(str(error)))
        page.on("request", lambda r: None if r.url.startswith((served[1], "data:")) else wrong.append(r.url))
        page.goto(path)
        page.wait_for_selector("#app *", state="attached")  # keys are heard from now on
        return page

    yield open_window
    for context in opened:
        for page in context.pages:
            page.close()
    assert wrong == []
