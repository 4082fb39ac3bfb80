"""Steps and rehearsal beside the plan itself, the sheet beside an interpreter's start, and a frame of the film."""

import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from statistics import median

import waitress
from playwright.sync_api import sync_playwright
from tests.chromium import launched

from benchmarks.plans import PAIRS, seconds, source
from ylemorph.core.carry.carrying import carry_out, sequence_of
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.ground import Ground
from ylemorph.core.carry.rehearse import Rehearsal, rehearse
from ylemorph.core.carry.sequence import WayKey
from ylemorph.core.carry.ways import steps_of
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import Plan, make_plan
from ylemorph.core.job.state import JobState, SizedTarget
from ylemorph.core.sizes import GB
from ylemorph.formats.documents.sheet import sheet_pdf
from ylemorph.formats.own.targets import target_from_text
from ylemorph.store import jobs
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app

FRAMES = 60
# From the key that steps the film to the next painted frame, which shows another step.
MEASURE = """async (frames) => {
    const slider = document.querySelector("[aria-label='Step of the rehearsal']");
    const took = [];
    for (let frame = 0; frame < frames; frame += 1) {
        await new Promise(requestAnimationFrame);
        const start = performance.now();
        const key = Number(slider.value) < Number(slider.max) ? "ArrowRight" : "Home";
        window.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
        await new Promise((done) => setTimeout(done));  // the page has worked out and written the frame
        document.body.getBoundingClientRect();
        took.push(performance.now() - start);
    }
    return took;
}"""


def _steps_and_rehearsal(plan: Plan, facts: Facts, way: WayKey) -> Rehearsal:
    ground = Ground(plan, facts)
    return rehearse(sequence_of(ground, way, steps_of(ground, way)))


def main() -> None:
    for way in ("straight", "through-image"):
        print(f"steps and rehearsal of 8 rows, {way}: {beside_plan(way):.1f} times the plan (goal: 5)")
    carrying = carry_out(make_plan(source(8), nominal_disk(2000 * GB), Options()), Facts(), "straight")
    start = median(seconds(lambda: subprocess.run([sys.executable, "-c", "pass"], check=True), 1) for _ in range(9))
    sheet_pdf(carrying)
    made = median(seconds(lambda: sheet_pdf(carrying), 1) for _ in range(9))
    print(f"work sheet: {made / start:.1f} times the start of an interpreter (goal: 20)")
    film()


def beside_plan(way: WayKey) -> float:
    """Steps and rehearsal alone, in plans."""
    disk, target, facts = source(8), nominal_disk(2000 * GB), Facts()
    return (
        median(
            seconds(lambda: _steps_and_rehearsal(make_plan(disk, target, Options()), facts, way), 100)
            / seconds(lambda: make_plan(disk, target, Options()), 100)
            for _ in range(PAIRS)
        )
        - 1
    )


def film() -> None:
    with tempfile.TemporaryDirectory() as folder:
        store = prepare(Path(folder))
        connection = connect(store)
        state = JobState(source=Survey(source(8)), target=SizedTarget("2000GB", target_from_text("2000GB")))
        job = jobs.create(connection, state.but(way="through-image")).id
        connection.close()
        server = waitress.create_server(create_app(store), host="127.0.0.1", port=0, threads=4)
        threading.Thread(target=server.run, daemon=True).start()
        with sync_playwright() as playwright:
            browser = launched(playwright)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"http://127.0.0.1:{server.effective_port}/jobs/{job}/carry")
            page.wait_for_selector("[aria-label='Step of the rehearsal']")
            time.sleep(1)
            took = sorted(page.evaluate(MEASURE, FRAMES))
            browser.close()
        server.close()
    p50, p95 = took[FRAMES // 2], took[FRAMES * 95 // 100]
    print(f"a frame of the film: p50 {p50:.1f} ms, p95 {p95:.1f} ms (goal: 16), p95 {p95 / 16:.2f} of the goal")


if __name__ == "__main__":
    main()
