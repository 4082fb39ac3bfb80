"""``ylemorph check``, to the letter of its contract."""

import json

import pytest

from tests.cli.test_cli import run
from tests.core.checkback.test_compare import GPT, finished, gpt_source, without
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.plan import plan_to_json
from ylemorph.formats.own.survey_data import write_survey


@pytest.fixture
def plan(tmp_path):
    path = tmp_path / "plan.json"
    path.write_text(plan_to_json(GPT))
    return str(path)


def survey(tmp_path, disk, name="found.json"):
    path = tmp_path / name
    path.write_text(write_survey(Survey(disk)))
    return str(path)


def test_as_planned_exits_with_0(capsys, plan, tmp_path):
    assert run(capsys, "check", plan, survey(tmp_path, finished(GPT))) == (0, "As planned\n", "")


def test_differences_exit_with_1(capsys, plan, tmp_path):
    found = survey(tmp_path, without(finished(GPT), 5))
    status, out, err = run(capsys, "check", plan, found, "--format", "json")
    assert (status, err) == (1, "")
    assert [finding["code"] for finding in json.loads(out)["findings"]] == ["row-missing"]
    into = tmp_path / "check.json"
    assert run(capsys, "check", plan, found, "--format", "json", "--out", str(into)) == (1, "", "")
    assert json.loads(into.read_text())["format"] == "ylemorph.check/1"
    assert run(capsys, "check", plan, survey(tmp_path, gpt_source(), "source.json"))[0] == 1


def test_what_cannot_be_read_exits_with_2(capsys, plan, tmp_path):
    found = survey(tmp_path, finished(GPT))
    broken = tmp_path / "broken.json"
    broken.write_text("{}")
    for args in ((str(broken), found), (plan, str(broken)), (found, found), (str(tmp_path / "no"), found), ("-", "-")):
        status, out, err = run(capsys, "check", *args)
        assert (status, out, err.count("\n")) == (2, "", 1)
    assert run(capsys, "schema", "check")[0] == 0
