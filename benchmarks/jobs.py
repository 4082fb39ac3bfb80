"""The list of ten thousand jobs beside that of fifty, in headless chromium: first lines painted, search answered."""

import tempfile
import threading
from pathlib import Path
from statistics import median

import waitress
from playwright.sync_api import Page, sync_playwright
from tests.chromium import launched

from benchmarks.plans import source
from ylemorph.core.disk.model import Survey
from ylemorph.core.job.state import JobState, SizedTarget
from ylemorph.formats.own.targets import target_from_text
from ylemorph.store import jobs
from ylemorph.store.database import connect, transaction
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app

COUNTS = (50, 10_000)
PAINTED = "() => document.querySelectorAll('tbody tr').length >= 8"
# From the first letter until the one line that is left was painted.
SEARCH = """async (text) => {
    const field = document.querySelector("input[aria-label='Search jobs']");
    const start = performance.now();
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
    set.call(field, text);
    field.dispatchEvent(new Event("input", { bubbles: true }));
    while (document.querySelectorAll("tbody tr").length !== 1 && performance.now() - start < 20000)
        await new Promise(requestAnimationFrame);
    await new Promise(requestAnimationFrame);
    return performance.now() - start;
}"""


def filled(folder: Path, count: int) -> Path:
    """A store with so many jobs, each with surveys and a plan of its own."""
    path = prepare(folder)
    connection = connect(path)
    with transaction(connection):
        for number in range(count):
            survey = Survey(source(8).but(serial=f"S-{number:05}"))
            target = SizedTarget(f"{960 + number % 500}GB", target_from_text(f"{960 + number % 500}GB"))
            jobs.create(connection, JobState(name=f"Branch {number:05}", source=survey, target=target))
    connection.close()
    return path


def painted(page: Page, address: str) -> float:
    """Milliseconds from the start of the navigation until the first lines stand there."""
    page.goto(address)
    page.wait_for_function(PAINTED)
    return float(page.evaluate("performance.now()"))


def measured(page: Page, folder: Path, count: int) -> tuple[float, float]:
    server = waitress.create_server(create_app(filled(folder, count)), host="127.0.0.1", port=0, threads=4)
    threading.Thread(target=server.run, daemon=True).start()
    address = f"http://127.0.0.1:{server.effective_port}/"
    painted(page, address)
    first = median(painted(page, address) for _ in range(7))
    searched = []
    for number in range(7):
        painted(page, address)
        searched.append(float(page.evaluate(SEARCH, f"branch {number * (count // 8):05}")))
    page.goto("about:blank")
    server.close()
    return first, median(searched)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        browser = launched(playwright)
        page = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
        few, many = (measured(page, Path(folder) / str(count), count) for count in COUNTS)
        browser.close()
    print(f"list of {COUNTS[1]} jobs beside {COUNTS[0]}: first lines {many[0] / few[0]:.2f} times (goal: 1.5)")
    print(f"  search answered {many[1] / few[1]:.2f} times (goal: 3); {few[1]:.0f} and {many[1]:.0f} ms")


if __name__ == "__main__":
    main()
