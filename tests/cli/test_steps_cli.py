"""``ylemorph steps`` and ``ylemorph rehearse``, to the letter of their contract."""

import io
import json
import sys
from dataclasses import replace

import pytest

from tests.cli.test_cli import run
from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.roles import LINUX_DATA
from ylemorph.formats.own.survey_data import write_survey


@pytest.fixture
def source(tmp_path):
    path = tmp_path / "desk.json"
    path.write_text(write_survey(Survey(desk())))
    return str(path)


@pytest.fixture
def steps(capsys, source, tmp_path):
    path = tmp_path / "steps.json"
    assert run(capsys, "steps", source, "--target", "480GB", "--format", "json", "--out", str(path))[0] == 0
    return path


def test_steps_are_rehearsed_through_a_file_or_standard_input(capsys, steps, monkeypatch):
    assert run(capsys, "rehearse", str(steps)) == (0, "Rehearsed: 8 steps, nothing lost.\n", "")
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(steps.read_bytes())))
    status, out, err = run(capsys, "rehearse", "-", "--format", "json")
    assert (status, err) == (0, "")
    assert json.loads(out) == {"safe": True, "step": None, "row": None, "reason": ""}


def test_steps_that_are_not_safe_exit_with_1_and_name_the_place(capsys, steps):
    data = json.loads(steps.read_text())
    data["steps"] = [step for step in data["steps"] if (step["kind"], step["row"]) != ("copy", 4)]
    steps.write_text(json.dumps(data))
    status, out, err = run(capsys, "rehearse", str(steps), "--format", "json")
    assert (status, err) == (1, "")
    assert json.loads(out) == {
        "safe": False, "step": 7, "row": 4, "reason": "row 4 does not stand at its place on the target",
    }  # fmt: skip
    assert run(capsys, "rehearse", str(steps))[1] == (
        "Not safe: step 7, row 4: row 4 does not stand at its place on the target.\n"
    )


@pytest.mark.parametrize("text", ["", "{}", "not json", '{"format": "ylemorph.steps/1", "steps": 5}', "\0\0\0\0" * 300])
def test_what_cannot_be_rehearsed_is_one_line(capsys, tmp_path, text):
    path = tmp_path / "x.json"
    path.write_text(text)
    status, out, err = run(capsys, "rehearse", str(path))
    assert (status, out) == (2, "")
    assert err.startswith("ylemorph: ")
    assert str(path) in err
    assert err.count("\n") == 1


def test_a_file_that_is_not_there(capsys, tmp_path):
    status, _, err = run(capsys, "rehearse", str(tmp_path / "nowhere.json"))
    assert (status, err.count("\n")) == (2, 1)
    assert "check the path" in err
    assert run(capsys, "rehearse", str(tmp_path))[0] == 2


@pytest.mark.parametrize("form", ["table", "json", "sh", "pdf"])
def test_every_format_goes_whole_into_a_file(capsys, source, tmp_path, form):
    path = tmp_path / "out"
    path.write_text("old")
    assert run(capsys, "steps", source, "--target", "480GB", "--format", form, "--out", str(path)) == (0, "", "")
    starts = {"table": b"Straight across", "json": b"{", "sh": b"#!/bin/sh", "pdf": b"%PDF-"}
    assert path.read_bytes().startswith(starts[form])
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith(".")] == []


def test_the_ways_and_their_facts(capsys, source):
    def asked(*more):
        status, out, err = run(capsys, "steps", source, "--target", "480GB", "--format", "json", *more)
        return status, json.loads(out) if out else None, err

    status, data, _ = asked("--way", "through-image", "--fact", "workspace=300GiB", "--fact", "both-attached=yes")
    assert (status, data["way"], data["facts"]) == (
        0,
        "through-image",
        {"both_attached": "yes", "workspace": 300 * 2**30},
    )
    status, _, err = asked("--way", "through-image", "--fact", "workspace=96GiB")
    assert status == 2
    assert "needs 228 GiB of workspace, 96 GiB free" in err
    for wrong in ("workspace", "weather=fine", "backup=perhaps", "workspace=-3", "=x"):
        status, _, err = asked("--fact", wrong)
        assert (status, err.count("\n")) == (2, 1)
    assert asked("--fact", "backup=yes", "--fact", "backup=no")[0] == 2
    assert asked("--way", "teleport")[0] == 2
    assert asked("--fit", "snug", "--pin", "3=240GiB")[1]["plan"]["fit"] == "snug"


def test_a_plan_that_does_not_fit_has_no_steps(capsys, source):
    status, out, _ = run(capsys, "steps", source, "--target", "240GB", "--format", "json")
    assert (status, json.loads(out)["steps"], json.loads(out)["way"]) == (1, [], None)
    assert run(capsys, "steps", source, "--target", "240GB")[0] == 1
    status, _, err = run(capsys, "steps", source, "--target", "240GB", "--format", "sh")
    assert (status, err.count("\n")) == (2, 1)


def test_schema_of_steps(capsys):
    status, out, _ = run(capsys, "schema", "steps")
    assert status == 0
    assert json.loads(out)["title"] == "ylemorph.steps/1"


def test_from_what_is_found_and_on_one_disk(capsys, source, tmp_path):
    """The steps go on from the finished disk's own survey; on one disk nothing is copied."""
    status, out, err = run(capsys, "steps", source, "--target", "same", "--fit", "rest-to-one", "--grow", "3")
    assert (status, err) == (0, "")
    assert "In place" in out
    plan = tmp_path / "one.json"
    assert (
        run(capsys, "steps", source, "--target", "same", "--fit", "snug", "--format", "json", "--out", str(plan))[0]
        == 0
    )
    told = json.loads(plan.read_text())
    assert told["way"] == "finish"
    assert [row["whole"] for row in told["disks"]["target"]["found"]] == [True] * 4
    assert not [step for step in told["steps"] if step["kind"] in ("copy", "read")]
    assert run(capsys, "rehearse", str(plan))[0] == 0
    status, out, err = run(capsys, "steps", source, "--target", "480GB", "--found", source)
    assert (status, out) == (2, "")
    assert err.startswith("ylemorph: --found: nothing of this plan stands on it")
    assert err.count("\n") == 1


def test_to_finish_answers_for_what_the_target_holds_where_it_is_all_of_this_plan(capsys, source, tmp_path):
    """Any other way overwrites it, and ends with 1 until that is confirmed (rule 16.3)."""
    clone = tmp_path / "clone.json"
    disk = replace(desk(), serial="QS2-4410", model="Quillon S2", table_id="5B0A1C44-7F0E-4C5D-9A3B-2E61D0F7A9C1")
    clone.write_text(write_survey(Survey(disk)))
    args = ("steps", source, "--target", str(clone), "--fact", "both_attached=yes")
    assert [run(capsys, *args, "--way", way)[0] for way in ("finish", "straight")] == [0, 1]
    assert run(capsys, *args, "--way", "straight", "--overwrite", "4410")[0] == 0
    strange = replace(
        disk, partitions=(*disk.partitions[:3], replace(disk.partitions[3], uuid="", type=LINUX_DATA, filesystem=None))
    )
    clone.write_text(write_survey(Survey(strange)))
    assert run(capsys, *args, "--way", "finish")[0] == 1
