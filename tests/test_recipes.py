"""The recipes of docs/architecture.md with everything left out but the first line: somebody names what was forgotten.

Part of ``make test-deep``, since the type checker takes its time.
"""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
pytestmark = pytest.mark.skipif(os.environ.get("HYPOTHESIS_PROFILE") != "deep", reason="takes minutes")


def copied(folder, place, old, new):
    """The project with one thing said otherwise."""
    passed_over = shutil.ignore_patterns("static", "__pycache__", "*.egg-info")
    for part in ("src", "tests"):
        shutil.copytree(ROOT / part, folder / part, ignore=passed_over)
    shutil.copy(ROOT / "pyproject.toml", folder)
    changed = folder / "src" / "ylemorph" / place
    text = changed.read_text()
    assert text.count(old) == 1
    changed.write_text(text.replace(old, new))


LEFT_OUT = {
    "a kind of step": (
        "core/carry/sequence.py", '"make", "check"]', '"make", "check", "polish"]',
        ("core/carry/row_steps.py", "formats/documents/script_kinds.py"),
    ),
    "a finding": (
        "core/fit/findings.py", 'Finding("nothing-to-carry", None)', 'Finding("a-new-one", None)',
        ("core/fit/findings.py",),
    ),
    "a field of a shape": (
        "web/models.py", "    can_undo: bool\n", "    can_undo: bool\n    can_polish: bool\n", ("web/jobs/shapes.py",)
    ),
    "a role": ("web/edge/rights.py", '"/api/people", "workshop"', '"/api/people", "owner"', ("web/edge/rights.py",)),
    "a kind of remedy": (
        "core/fit/remedies.py", '"shelf", "stay",', '"shelf", "polish", "stay",', ("core/job/mending.py",)
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LEFT_OUT)
def test_the_type_checker_names_what_was_forgotten(name, tmp_path):
    place, old, new, named = LEFT_OUT[name]
    shutil.copytree(
        ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("static", "__pycache__", "*.egg-info")
    )
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    changed = tmp_path / "src" / "ylemorph" / place
    text = changed.read_text()
    assert text.count(old) == 1
    changed.write_text(text.replace(old, new))
    ran = subprocess.run([sys.executable, "-m", "mypy"], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert ran.returncode == 1, ran.stdout
    for path in named:
        assert f"src/ylemorph/{path}" in ran.stdout, ran.stdout


REGISTERED = {
    "a finding": (
        "core/fit/finding_kinds.py", '"space-left-over", "data-only",', '"space-left-over", "data-only", "a-new-one",',
        "FINDINGS",
    ),
    "a fit": ("core/fit/options.py", '"even-fill", "snug"]', '"even-fill", "snug", "new"]', "FIT_KINDS"),
    "a kind of file system": ("core/disk/model.py", "\nKind = Literal[", '\nKind = Literal["zfs", ', "ABILITIES"),
    "a way": ("core/carry/sequence.py", '"restore", "files"]', '"restore", "files", "new"]', "WAY_KINDS"),
    "a reason": (
        "core/job/aftermath.py", '"program-error", "stopped"]', '"program-error", "stopped", "new"]', "REASON_WORDS",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", REGISTERED)
def test_a_registry_names_what_was_forgotten(name, tmp_path):
    place, old, new, table = REGISTERED[name]
    shutil.copytree(
        ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("static", "__pycache__", "*.egg-info")
    )
    shutil.copytree(ROOT / "tests", tmp_path / "tests", ignore=shutil.ignore_patterns("__pycache__"))
    changed = tmp_path / "src" / "ylemorph" / place
    text = changed.read_text()
    assert text.count(old) == 1
    changed.write_text(text.replace(old, new))
    ran = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "tests/test_registries.py"],
        cwd=tmp_path, env={**os.environ, "PYTHONPATH": f"{tmp_path / 'src'}:{tmp_path}"}, capture_output=True,
        text=True, check=False,
    )  # fmt: skip
    assert ran.returncode == 1, ran.stdout
    assert table in ran.stdout, ran.stdout
