"""The script and the window together: a real run that tells how far it is, and a log that is dropped afterwards."""

import re
import subprocess

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import unfold
from tests.real.jobs import made_source
from tests.real.test_script import NEEDED, TINY
from tests.real.volumes import ENVIRONMENT, MIB, present, sparse
from ylemorph.core.disk.model import Disk, Survey
from ylemorph.core.job.state import JobState
from ylemorph.probe.disks import survey_path
from ylemorph.store import jobs

pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")


@pytest.fixture
def bench(window, store, tmp_path):
    """A job over a real small disk, its window at Carry out, and the script that it hands over."""
    made = made_source(TINY, tmp_path)
    options = TINY.options.but(roles=made.roles)
    target = Survey(Disk(TINY.target * 2048))
    job = jobs.create(store, JobState(name="Small", source=survey_path(made.image), target=target, options=options))
    page = window(f"/jobs/{job.id}/carry")
    script = tmp_path / "clone.sh"
    with page.expect_download() as download:
        unfold(page, "The script").get_by_role("link", name="Take it").click()
    download.value.save_as(script)
    (tmp_path / "room").mkdir()
    return page, made.image, script, sparse(tmp_path / "target.img", TINY.target * MIB), tmp_path


def slow(work):
    """A dd that takes its time, so that there is something to watch."""
    (work / "bin").mkdir()
    (work / "bin" / "dd").write_text('#!/bin/sh\ncase $* in *count=*) sleep 0.15 ;; esac\nexec /bin/dd "$@"\n')
    (work / "bin" / "dd").chmod(0o755)
    return {**ENVIRONMENT, "PATH": f"{work / 'bin'}:{ENVIRONMENT['PATH']}"}


def run(script, source, target, work, *options, environment=ENVIRONMENT):
    words = ["sh", str(script), "--go", *options, str(source), str(target), str(work / "room")]
    return subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment)


def test_a_script_that_tells_moves_the_window(bench):
    page, source, script, target, work = bench
    panel = unfold(page, "The script")
    panel.get_by_role("button", name="Let it tell here").click()
    line = panel.locator("code")
    expect(line).to_contain_text("--tell http")
    address = re.search(r"--tell (\S+)", line.inner_text())[1]
    process = run(script, source, target, work, "--tell", address, environment=slow(work))
    expect(page.get_by_text("Under way by files only")).to_be_visible()
    step = page.get_by_role("region", name="Present step")
    expect(step.get_by_role("status")).to_contain_text("% copied")
    expect(step.get_by_role("status")).to_contain_text("% read back")
    assert process.wait() == 0, process.stdout.read()
    process.stdout.close()
    expect(page.get_by_role("region", name="Every step is done")).to_contain_text("3 steps in")
    page.get_by_role("button", name="Check back").click()
    expect(page.get_by_role("heading", name=re.compile("as planned", re.IGNORECASE)).first).to_be_visible()


def test_where_nobody_listens_the_script_ends_well(bench):
    _, source, script, target, work = bench
    process = run(script, source, target, work, "--tell", "http://127.0.0.1:9/collect/NOBODY/log")
    out, _ = process.communicate()
    assert process.returncode == 0, out
    assert "Done." in out


def test_a_log_is_dropped_and_fills_the_record(bench):
    page, source, script, target, work = bench
    process = run(script, source, target, work)
    assert process.wait() == 0, process.stdout.read()
    process.stdout.close()
    panel = unfold(page, "The script")
    panel.locator("input[type=file]").set_input_files(f"{script}.log")
    expect(panel.get_by_text("3 of 3 steps are done by the log")).to_be_visible()
    expect(page.get_by_role("region", name="Every step is done")).to_be_visible()
    other = work / "other.log"
    other.write_text('{"format": "ylemorph.log/1"}\n')
    panel.locator("input[type=file]").set_input_files(other)
    expect(panel.get_by_role("alert")).to_contain_text("This is no log of a script: line 1 cannot be read")
