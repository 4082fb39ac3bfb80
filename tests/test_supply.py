"""What is installed is locked: every package that is asked for, at a version that is asked for, by its digests."""

import re
import tomllib
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parents[1]
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
PINNED = re.compile(r"^(\S+)==(\S+)(?: ; [^\\]+)? \\$")


def locked(name):
    """Versions by package; one may have several, for several versions of Python."""
    found = {}
    package = None
    for line in (ROOT / name).read_text("utf-8").splitlines():
        pinned = PINNED.match(line)
        if pinned:
            package = canonicalize_name(pinned[1])
            found.setdefault(package, {})[pinned[2]] = []
            version = pinned[2]
        else:
            assert re.fullmatch(r"    --hash=sha256:[0-9a-f]{64}(?: \\)?", line), line
            found[package][version].append(line)
    return found


@pytest.mark.parametrize(
    ("name", "asked"),
    [
        ("requirements.lock", PROJECT["dependencies"]),
        ("requirements-dev.lock", PROJECT["dependencies"] + PROJECT["optional-dependencies"]["dev"]),
    ],
)
def test_the_lock_holds_what_is_asked_for(name, asked):
    found = locked(name)
    assert all(digests for versions in found.values() for digests in versions.values())
    for text in asked:
        wanted = Requirement(text)
        versions = found.get(canonicalize_name(wanted.name))
        assert versions, f"{text} is not in {name}: make lock"
        assert all(wanted.specifier.contains(version) for version in versions), f"{text}, {versions}: make lock"


def test_what_runs_is_what_it_was_tried_with():
    running, developing = locked("requirements.lock"), locked("requirements-dev.lock")
    assert {name: sorted(versions) for name, versions in running.items()} == {
        name: sorted(developing[name]) for name in running
    }


def test_no_lock_names_where_its_packages_were_fetched():
    for name in ("requirements.lock", "requirements-dev.lock"):
        text = (ROOT / name).read_text("utf-8")
        assert "://" not in text
        assert "index" not in text.replace("--hash", "")
