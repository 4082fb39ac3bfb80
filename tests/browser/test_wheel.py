"""One file, installed where there is neither Node nor the source: the demo runs and the whole loop is walked."""

import http.client
import os
import shutil
import subprocess
import sys
from importlib import metadata

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name
from playwright.sync_api import expect

from tests.browser.conftest import ROOT
from tests.browser.test_loop import pytestmark, whole_loop  # noqa: F401  # the loop needs the same utilities
from tests.web.test_serving import free_port

QUIET = ("--disable-pip-version-check", "--no-input")


def run(*command, **more):
    ran = subprocess.run(command, capture_output=True, text=True, check=False, **more)
    assert ran.returncode == 0, ran.stderr[-2000:]
    return ran.stdout


@pytest.fixture
def installed(tmp_path):
    """The program of a fresh environment that holds nothing but the wheel and what it asks for."""
    copy = tmp_path / "copy"  # what a build leaves behind stays out of the project
    shutil.copytree(ROOT / "src", copy / "src", ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    for name in ("pyproject.toml", "README.md"):
        shutil.copy(ROOT / name, copy / name)
    build = ("pip", "wheel", "--quiet", *QUIET, "--no-deps", "--no-build-isolation", "--wheel-dir", str(tmp_path))
    run(sys.executable, "-m", *build, str(copy), cwd=tmp_path)
    wheel = next(tmp_path.glob("ylemorph-*.whl"))
    environment = tmp_path / "fresh"
    run(sys.executable, "-m", "venv", "--without-pip", str(environment))
    python = environment / "bin" / "python"
    install = ("pip", "--python", str(python), "install", "--quiet", *QUIET, "--no-compile", "--no-deps", str(wheel))
    run(sys.executable, "-m", *install)
    packages = next((environment / "lib").glob("python*/site-packages"))
    for name in needed("ylemorph"):
        linked(name, packages)
    run(sys.executable, "-m", "pip", "--python", str(python), *QUIET[:1], "check")
    return environment / "bin" / "ylemorph"


def needed(name):
    """The packages that one asks for, and those that they ask for."""
    seen = {canonicalize_name(name)}
    waiting = [name]
    while waiting:
        for text in metadata.requires(waiting.pop()) or ():
            asked = Requirement(text)
            key = canonicalize_name(asked.name)
            if key not in seen and (asked.marker is None or asked.marker.evaluate({"extra": ""})):
                seen.add(key)
                waiting.append(key)
                yield key


def linked(name, packages):
    """A package's files in another environment: those that stand here, since every other test runs with just these."""
    here = metadata.distribution(name)
    for top in {file.parts[0] for file in here.files if ".." not in file.parts} - {"__pycache__"}:
        (packages / top).symlink_to(here.locate_file(top))


def test_the_whole_loop_from_a_wheel(installed, tmp_path, chromium):
    bare = {"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "HOME": str(tmp_path), "LANG": os.environ.get("LANG", "C.UTF-8")}
    assert run(installed, "--version", env=bare, cwd=tmp_path).startswith("ylemorph, version")
    assert "ylemorph.disk/1" in run(installed, "schema", "disk", env=bare, cwd=tmp_path)
    port = free_port()
    command = [installed, "demo", "--no-browser", "--port", str(port), "--data", str(tmp_path / "data")]
    program = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, env=bare, cwd=tmp_path)
    try:
        while "Ylemorph is at" not in program.stderr.readline():
            assert program.poll() is None
        for key in ("desk", "blank"):
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
            connection.request("POST", f"/api/bench/{key}/attach")
            assert connection.getresponse().status == 200
            connection.close()
        wrong = []
        page = chromium.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
        page.set_default_timeout(30_000)
        page.on("pageerror", lambda error: wrong.append(str(error)))
        page.on("response", lambda answer: wrong.append(answer.url) if answer.status >= 400 else None)
        page.goto("/")
        whole_loop(page)
        assert page.evaluate("document.fonts.check('16px \"IBM Plex Sans\"')")
        page.goto("/fleets")
        expect(page.get_by_role("link", name="Branches, autumn")).to_be_visible()
        page.close()
        assert wrong == []
    finally:
        program.terminate()
        program.wait(20)
        program.stderr.close()
