"""A command imports only what it needs: which modules are loaded, never how long it takes."""

import json
import subprocess
import sys

import pytest

HEAVY = ("flask", "pydantic", "rich", "sqlite3", "waitress", "werkzeug", "scipy")


def loaded(*args):
    """The heavy modules that a command has loaded when it ends."""
    code = f"""
import json, sys
from ylemorph.cli import main
sys.stdout = open("/dev/null", "w")
try:
    main({list(args)!r})
finally:
    print(json.dumps([name for name in {HEAVY!r} if name in sys.modules]), file=sys.stderr)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    return json.loads(done.stderr.strip().splitlines()[-1])


@pytest.fixture
def image(tmp_path):
    path = tmp_path / "disk"
    path.write_bytes(bytes(1 << 20))
    return str(path)


def test_the_version_needs_nothing():
    assert loaded("--version") == []


def test_a_survey_needs_no_framework(image):
    assert loaded("survey", image) == []


def test_a_plan_as_a_picture_needs_no_server(image):
    assert set(loaded("plan", image, "--target", "480GB", "--format", "svg")) <= {"pydantic"}
