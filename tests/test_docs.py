"""Documents that fail when they lie."""

import re
from pathlib import Path

from ylemorph.cli import COMMANDS
from ylemorph.core.carry.facts import FACTS
from ylemorph.core.carry.ways import WAY_KINDS
from ylemorph.core.checkback.differences import DIFFERENCES
from ylemorph.core.fit.finding_kinds import FINDINGS

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
