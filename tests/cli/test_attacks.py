"""What was once found broken on the command line: no traceback, status 2, one line; a file is whole or as it was."""

import itertools
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.counting import counted
from tests.make import desk, fs, row_of
from ylemorph.cli import main
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.fit.options import OPTIONS
from ylemorph.core.sizes import GiB
from ylemorph.formats.own.survey_data import write_survey

COMMAND = [sys.executable, "-m", "ylemorph"]
HUGE, DIGITS = "1e999990", "9" * 5000


@pytest.fixture
def source(tmp_path):
    path = tmp_path / "desk.json"
    path.write_text(write_survey(Survey(desk(model="Brindle K4 – größer"))))
    return str(path)


def run(*args, stdin=None, encoding="utf-8", stdout=subprocess.PIPE, **more):
    environment = {**os.environ, "PYTHONIOENCODING": encoding, "PYTHONUTF8": "0"}
    streams = {"input": stdin, "stdout": stdout, "stderr": subprocess.PIPE}
    done = subprocess.run([*COMMAND, *args], check=False, env=environment, timeout=60, **streams, **more)
    assert b"Traceback" not in done.stderr, done.stderr
    return done


@pytest.mark.parametrize("encoding", ["cp1252", "cp437", "latin-1", "ascii"])
@pytest.mark.parametrize("target", ["480GB", "120GB"])
def test_any_terminal_can_show_a_plan(source, encoding, target):
    done = run("plan", source, "--target", target, encoding=encoding)
    assert done.returncode in (0, 1)
    assert b"Brindle K4" in done.stdout


def test_output_that_cannot_be_written(source):
    with Path("/dev/full").open("wb") as full:
        assert run("plan", source, "--target", "480GB", stdout=full).returncode == 2
    for line, status in (
        ("plan {} --target 480GB >&-", 2),
        ("plan - --target 480GB <&-", 2),
        ("schema disk | true", 0),
        ("plan {} --target 480GB | head -1", 0),
    ):
        command = f"{' '.join(COMMAND)} {line.format(source)}"
        done = subprocess.run(["sh", "-c", command], check=False, capture_output=True, timeout=60)
        assert (done.returncode, b"Traceback" in done.stderr) == (status, False), line


def test_a_file_is_whole_or_as_it_was(source, tmp_path, monkeypatch):
    out = tmp_path / "out.json"
    out.write_text("what was there")
    monkeypatch.setattr(os, "fsync", lambda _fd: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    assert main(["plan", source, "--target", "480GB", "--format", "json", "--out", str(out)]) == 2
    assert out.read_text() == "what was there"
    assert [path.name for path in tmp_path.iterdir() if "out" in path.name] == ["out.json"]
    monkeypatch.undo()
    out.chmod(0o640)
    assert main(["plan", source, "--target", "480GB", "--format", "json", "--out", str(out)]) == 0
    assert json.loads(out.read_text())["format"] == "ylemorph.plan/1"
    assert out.stat().st_mode & 0o777 == 0o640


LISTINGS = {
    "a cell of 200,000 characters": "size,used,label\n1GiB,1MiB," + "x" * 200_000,
    "a quoted cell of 200,000 characters": 'size,used,label\n1GiB,1MiB,"' + "x" * 200_000 + '"',
    "a number of 5,000 digits": f"number,size,used\n{DIGITS},1GiB,1MiB",
    "a size of 5,000 digits": f"size,used\n{DIGITS}GiB,1MiB",
    "a start of 5,000 digits": f"start,size,used\n{DIGITS},1GiB,1MiB",
    "a node of 5,000 digits": f"label: gpt\nunit: sectors\n\n/dev/sda{DIGITS} : start=2048, size=4096, type=L\n",
    "sectors of 5,000 digits": f"label: gpt\nunit: sectors\n\n/dev/sda1 : start={DIGITS}, size=4096, type=L\n",
    "JSON with such a number": f'{{"format": "ylemorph.disk/1", "disk": {{"sectors": {DIGITS}}}}}',
    "JSON nested deeply": "[" * 100_000,
    "a lone surrogate": '{"format": "ylemorph.disk/1", "disk": {"model": "\\ud800", "sectors": 0}}',
}


@pytest.mark.parametrize("name", LISTINGS)
def test_listings_that_no_reader_expects(tmp_path, capsys, name):
    path = tmp_path / "listing"
    path.write_text(LISTINGS[name])
    assert main(["plan", str(path), "--target", "480GB"]) in (0, 2)
    assert len(capsys.readouterr().err.splitlines()) <= 1


NASTY = (
    HUGE,
    f"{HUGE}%",
    DIGITS,
    "-1",
    "",
    "%",
    "NaN",
    "3=" + HUGE,
    f"{DIGITS}=1GiB",
    "3=\udcff",
    "r²",
    "٣",
    "3,3,3",
    "=",
)


@pytest.mark.parametrize("key", OPTIONS)
def test_no_option_breaks_on_nasty_values(source, capsys, key):
    with counted() as usual:
        main(["plan", source, "--target", "480GB"])
    for value in NASTY:
        with counted() as calls:
            assert main(["plan", source, "--target", "480GB", f"--{key.replace('_', '-')}={value}"]) in (0, 2)
        assert calls.count < 50 * usual.count
        assert len(capsys.readouterr().err.splitlines()) <= 1


@pytest.mark.parametrize("target", ["x" * 300, "9" * 300, HUGE + "GB", DIGITS + "s", "\0", "/", "-5GB", "٤GB"])
def test_targets_that_are_none(source, capsys, target):
    assert main(["plan", source, "--target", target]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 1


STEERING = "\x1b[31mred\x07\n\u202elive\ud800"


@pytest.mark.parametrize("form", ["table", "sfdisk", "svg", "csv", "json"])
def test_a_label_steers_neither_terminal_nor_script(tmp_path, form):
    disk = row_of(
        (40 * GiB, BASIC_DATA, fs(used=GiB, label=STEERING), {"name": STEERING, "role": "data"}), model=STEERING
    )
    path = tmp_path / "disk.json"
    path.write_bytes(write_survey(Survey(disk)).encode("utf-8", "surrogatepass").replace(b"\xed\xa0\x80", b"\\ud800"))
    done = run("plan", str(path), "--target", "480GB", "--format", form)
    assert done.returncode in (0, 2)
    shown = done.stdout.decode()
    if form in ("table", "sfdisk", "svg"):
        assert not any(sign in shown for sign in ("\x1b", "\x07", "\u202e"))
    if form == "svg" and done.returncode == 0:
        from xml.etree import ElementTree

        ElementTree.fromstring(shown)


def test_a_fresh_demo_beside_a_folder_that_may_not_be_written(tmp_path, monkeypatch, capsys):
    folder = tmp_path / "data"
    folder.mkdir()
    monkeypatch.setattr("shutil.move", lambda *_: (_ for _ in ()).throw(PermissionError(13, "Permission denied")))
    assert main(["demo", "--data", str(folder), "--fresh", "--no-browser"]) == 2
    assert "cannot be put aside" in capsys.readouterr().err


def test_a_plan_of_nothing_is_no_success(tmp_path, capsys):
    path = tmp_path / "blank"
    path.write_bytes(bytes(1 << 20))
    assert main(["plan", str(path), "--target", "480GB"]) == 1
    assert "Nothing goes over" in capsys.readouterr().out


def test_combinations_of_flags_end_well(source, capsys):
    flags = ("--leave=3", "--hold=3", "--pin=3=200GiB", "--grow=3", "--elastic=5", "--free-after=3", "--table=mbr")
    for pair in itertools.combinations(flags, 2):
        assert main(["plan", source, "--target", "480GB", *pair]) in (0, 1, 2)
        assert len(capsys.readouterr().err.splitlines()) <= 1
