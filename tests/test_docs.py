"""Documents that fail when they lie."""

import re
from pathlib import Path

from ylemorph.cli import COMMANDS
from ylemorph.core.carry.facts import FACTS
from ylemorph.core.carry.ways import WAY_KINDS
from ylemorph.core.checkback.differences import DIFFERENCES
from ylemorph.core.fit.finding_kinds import FINDINGS
from ylemorph.serving import CONNECTIONS
from ylemorph.store.collecting import MINUTES, MOST_DISKS
from ylemorph.store.people import MOST_PEOPLE, ROLES
from ylemorph.web.edge.encryption import MOST_OF_ONE
from ylemorph.web.edge.limits import AT_ONCE, BODY_LIMITS, MB, MOST_HOLDERS, MOST_OPEN, MOST_VALUES, WAIT_SECONDS
from ylemorph.web.edge.live import MOST_PLACES_OF_ONE, MOST_STREAMS, MOST_STREAMS_OF_ONE
from ylemorph.web.edge.patience import BODY_SECONDS, HEAD_SECONDS

ROOT = Path(__file__).parents[1]


def test_every_finding_stands_in_the_rules_with_its_level():
    page = (ROOT / "docs" / "rules.md").read_text()
    told = {}
    for codes, level in re.findall(r"^\| ((?:`[a-z-]+`(?:, )?)+) \| (stop|mind|note) \|", page, re.MULTILINE):
        told.update(dict.fromkeys(re.findall(r"`([a-z-]+)`", codes), level))
    assert told == {code: kind.level for code, kind in FINDINGS.items()}


def test_every_way_and_fact_stands_in_its_page():
    page = (ROOT / "docs" / "carry-out.md").read_text()
    for name in (*WAY_KINDS, *FACTS):
        assert f"`{name}`" in page, name


def test_every_code_of_a_check_stands_in_its_page():
    page = (ROOT / "docs" / "carry-out.md").read_text()
    for kind in DIFFERENCES.values():
        assert f"`{kind.code}`" in page, kind.code


def test_every_module_of_the_core_stands_in_the_architecture():
    page = (ROOT / "docs" / "architecture.md").read_text()
    for module in (ROOT / "src" / "ylemorph" / "core").rglob("*.py"):
        if module.stem not in ("__init__", "errors", "sizes"):
            assert f"`{module.stem}`" in page, module.stem


def test_commands_and_pictures_of_the_readme_exist():
    page = (ROOT / "README.md").read_text()
    for command in re.findall(r"ylemorph (\w+)", page):
        assert command in COMMANDS
    pictures = set(re.findall(r"docs/screenshots/[\w-]+\.png", page))
    assert pictures == {f"docs/screenshots/{path.name}" for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text(), re.MULTILINE))
    for target in re.findall(r"make ([a-z-]+)", page):
        assert target in targets


def test_files_stay_short():
    for path in [*(ROOT / "src").rglob("*.py"), *(ROOT / "frontend" / "src").rglob("*.vue")]:
        assert len(path.read_text().splitlines()) < 400, path


def test_the_limits_are_those_that_are_kept():
    page = (ROOT / "docs" / "network.md").read_text()
    told = re.findall(r"^\| body of a request to `([^`]+)`[^|]* \| (\d+) (kB|MB) \|", page, re.MULTILINE)
    assert {path: int(number) * {"kB": 1000, "MB": MB}[unit] for path, number, unit in told} == dict(BODY_LIMITS)
    for text in (
        f"| {AT_ONCE}; others wait their turn, {WAIT_SECONDS} s", f"| {HEAD_SECONDS} s, {BODY_SECONDS} s",
        f"| {MOST_STREAMS}; {MOST_STREAMS_OF_ONE} of", f"| {MOST_OF_ONE};", f"are told of | {MOST_PLACES_OF_ONE} |",
        f"| {MOST_VALUES:,}, of them {MOST_HOLDERS:,} lists and objects, {MOST_OPEN} inside",
        f"most {MOST_DISKS} disks", f"| {CONNECTIONS} |", f"| {MOST_PEOPLE} |", f"within {MINUTES} minutes",
    ):  # fmt: skip
        assert text in page, text
    for role in ROLES:
        assert f"| `{role}` |" in page
