"""The real application in headless chromium, one server for all tests, a fresh demo for each."""

import re
import socket
import threading
from contextlib import closing
from pathlib import Path

import pytest
from playwright.sync_api import expect, sync_playwright

from tests.chromium import launched
from ylemorph.demo.load import load_demo
from ylemorph.serving import make_server
from ylemorph.store import jobs
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.usecases.jobs import SAMPLE
from ylemorph.web.app import create_app
from ylemorph.web.edge.pages import STATIC
from ylemorph.web.edge.services import services

ROOT = Path(__file__).parents[2]
expect.set_options(timeout=20_000)  # what is waited for comes at once, but on a machine that does much else
# A page lives for a second: nothing to tidy up.
SHORT = "--js-flags=--min-semi-space-size=32 --initial-heap-size=256"


def until(page, expression, arg=None):
    """Waits until it holds; a look from outside, since the page forbids the evaluation of text in it."""
    for _ in range(1200):
        if page.evaluate(expression, arg):
            return
        page.wait_for_timeout(25)
    raise AssertionError(expression)


def unfold(page, name):
    """The card of that name, opened if it is a line only."""
    card = page.get_by_role("region", name=name, exact=True)
    head = card.get_by_role("button").first
    if head.get_attribute("aria-expanded") == "false":
        head.click()
    return card


RESTS = """document.getAnimations()
  .filter((one) => one.effect.getComputedTiming().endTime < 1e6)
  .every((one) => one.playState === "finished")"""


def at_rest(page):
    """Waits until nothing changes its colour any more: what one element inherits begins when another has ended."""
    quiet = 0
    for _ in range(1200):
        quiet = quiet + 1 if page.evaluate(RESTS) else 0
        if quiet == 5:
            return
        page.wait_for_timeout(25)
    raise AssertionError("the page does not come to rest")


AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def axe_clean(page, *rules):
    """Nothing serious or critical, by these rules or all; the page must have been opened with ``bypass_csp``."""
    page.evaluate(f"() => {{ if (!window.axe) {{ {AXE.read_text()} }} }}")
    at_rest(page)  # colours are looked at where they end, not on their way
    found = page.evaluate(
        "(asked) => axe.run(document, { resultTypes: ['violations'], preload: false, ...asked })",
        {"runOnly": list(rules)} if rules else {},
    )
    grave = [
        (v["id"], node["target"], node["failureSummary"][:300])
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
        for node in v["nodes"]
    ]
    assert grave == []


def axe_clean_in_both(page):
    """In light, and in dark by what the colours alone can break."""
    page.emulate_media(color_scheme="light")
    axe_clean(page)
    page.emulate_media(color_scheme="dark")
    axe_clean(page, "color-contrast", "link-in-text-block")


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
    browser = launched(playwright_driver, SHORT)
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def empty_file(tmp_path_factory):
    with closing(connect(prepare(tmp_path_factory.mktemp("empty")))) as connection:
        yield connection


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory):
    """Made once: copying it is what a test has to wait for."""
    with closing(connect(prepare(tmp_path_factory.mktemp("demo")))) as connection:
        load_demo(connection)
        yield connection


@pytest.fixture
def store(served, empty_file):
    """An empty store behind the running server."""
    for key in SAMPLE:
        services(served[2]).shop.bench.detach(key)
    with closing(connect(served[0])) as connection:
        empty_file.backup(connection)
        services(served[2]).forget()
        yield connection


@pytest.fixture
def demo(served, store, demo_file):
    """The demo's jobs by their code."""
    demo_file.backup(store)
    services(served[2]).forget()
    return {job.code: job.id for job in jobs.lines(store)}


# The browser's own notes of an answer that refuses something, and of requests that a test cut off.
EXPECTED = re.compile(r"responded with a status of 4|net::ERR_FAILED")


def is_wrong(message):
    """An error on the console that no test brought about on purpose."""
    return message.type == "error" and not EXPECTED.search(message.text)


SIZE = {"width": 1280, "height": 800}


class Browsers:
    """Windows, each of a browser of its own, that are kept for the tests that follow: loading the program anew in one
    that has it costs half.

    What a person would leave behind is taken away: storage, cookies, routes, another size or colours.
    """

    def __init__(self, chromium, url):
        self.chromium, self.url, self.free = chromium, url, []

    def take(self, options):
        """A window with these options of the browser."""
        for kept in self.free:
            if kept[0] == options:
                self.free.remove(kept)
                return kept[1]
        context = self.chromium.new_context(viewport=SIZE, base_url=self.url, **options)
        return context.new_page()

    def give_back(self, page, options):
        if page.is_closed() or len(page.context.pages) > 1:
            page.context.close()
            return
        page.unroute_all(behavior="ignoreErrors")
        if page.url.startswith(self.url):
            page.evaluate("() => { localStorage.clear(); sessionStorage.clear(); }")
        page.goto("/api/health")  # of the same site, so that the process with the program in it stays
        page.context.clear_cookies()
        page.set_viewport_size(SIZE)
        page.emulate_media(color_scheme=options.get("color_scheme", "null"), reduced_motion="null")
        self.free.append((options, page))


@pytest.fixture(scope="session")
def browsers(served, chromium):
    kept = Browsers(chromium, served[1])
    yield kept
    for _, page in kept.free:
        page.context.close()


@pytest.fixture
def window(served, browsers):
    """Opens windows, each of a browser of its own; they must end without an error on their consoles and without asking
    any other host."""
    opened, wrong = [], []

    def on_console(message):
        if is_wrong(message):
            wrong.append(message.text)

    def on_error(error):
        wrong.append(str(error))

    def on_request(request):
        if not request.url.startswith((served[1], "data:")):
            wrong.append(request.url)

    heard = {"console": on_console, "pageerror": on_error, "request": on_request}

    def open_window(path="/", **options):
        page = browsers.take(options)
        opened.append((page, options))
        page.set_default_timeout(30_000)
        for event, hear in heard.items():
            page.on(event, hear)
        page.goto(path)
        page.wait_for_selector("#app *", state="attached")  # keys are heard from now on
        return page

    yield open_window
    for page, options in opened:
        for event, hear in heard.items():
            page.remove_listener(event, hear)
        browsers.give_back(page, options)
    assert wrong == []
