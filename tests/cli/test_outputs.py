"""Nothing is written over a device, a folder, or what the command itself reads (rule 16.1); nothing waits for ever."""

import json
import os
import stat
import subprocess
import sys
from pathlib import Path

import click
import pytest

from tests.lacking import here_alone
from tests.make import desk
from ylemorph.cli import COMMANDS, cli, main
from ylemorph.commands.outputs import Guarded, Place
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.store.database import FILE_NAME
from ylemorph.store.preparing import prepare

SHELF = "name,size,price,currency\nBrindle K4,480GB,40,EUR\n"


@pytest.fixture
def place(tmp_path):
    """A folder with every kind of input."""
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "desk.json").write_text(write_survey(Survey(desk())))
    image = tmp_path / "disk.img"
    image.write_bytes(bytes(1 << 20))
    os.truncate(image, 480_103_981_056)
    (tmp_path / "shelf.csv").write_text(SHELF)
    prepare(tmp_path / "data")
    main(["plan", str(tmp_path / "in" / "desk.json"), "--target", "480GB", "--format", "json", "--out",
          str(tmp_path / "plan.json")])  # fmt: skip
    return tmp_path


# Each command that writes: its arguments, which of them are inputs, and the flag (or none: the last argument).
WRITERS = {
    "plan": (["plan", "{}/in/desk.json", "--target", "480GB"], ["in/desk.json"], "--out"),
    "plan of an image": (["plan", "{}/disk.img", "--target", "480GB"], ["disk.img"], "--out"),
    "plan to a found target": (["plan", "{}/in/desk.json", "--target", "{}/disk.img"], ["disk.img"], "--out"),
    "plan as a table image": (
        ["plan", "{}/in/desk.json", "--target", "{}/disk.img", "--format", "table-image"], ["disk.img"], "--out",
    ),
    "survey": (["survey", "{}/disk.img"], ["disk.img"], "--out"),
    "steps": (["steps", "{}/in/desk.json", "--target", "480GB", "--format", "sh"], ["in/desk.json"], "--out"),
    "check": (["check", "{}/plan.json", "{}/disk.img"], ["plan.json", "disk.img"], "--out"),
    "shelf": (["shelf", "{}/in/desk.json", "--shelf", "{}/shelf.csv"], ["in/desk.json", "shelf.csv"], "--out"),
    "fleet": (
        ["fleet", "{}/in", "--shelf", "{}/shelf.csv", "--processes", "1"], ["in/desk.json", "shelf.csv"], "--out",
    ),
    "backup": (["backup", "--data", "{}/data"], [f"data/{FILE_NAME}"], None),
    "doctor": (["doctor", "--data", "{}/data"], [f"data/{FILE_NAME}"], "--save"),
}  # fmt: skip


def call(place, name, out):
    given, _, flag = WRITERS[name]
    return main([*(part.format(place) for part in given), *([flag] if flag else []), str(out)])


def one_line(capsys):
    lines = capsys.readouterr().err.splitlines()
    assert len(lines) == 1
    return lines[0]


def test_the_matrix_knows_every_command_that_writes():
    writing = {
        name
        for name in COMMANDS
        for command in [cli.get_command(click.Context(cli), name)]
        if any(isinstance(param.type, Place) or param.name in ("out", "save") for param in command.params)
    }
    assert writing == {name.split()[0] for name in WRITERS}
    for name in writing:
        command = cli.get_command(click.Context(cli), name)
        assert isinstance(command, Guarded), name
        assert all(isinstance(p.type, Place) for p in command.params if p.name in ("out", "save")), name


@pytest.mark.parametrize("name", WRITERS)
def test_no_output_over_an_input(place, capsys, name):
    for number, text in enumerate(WRITERS[name][1]):
        path = place / text
        with path.open("rb") as file:
            before = file.read(65_536)
        size = path.stat().st_size
        link, hard = place / f"link{number}", place / f"hard{number}"
        link.symlink_to(path)
        os.link(path, hard)
        for out in (path, link, hard, place / "in" / ".." / text):
            assert call(place, name, out) == 2, out
            assert "what the command reads" in one_line(capsys)
            with path.open("rb") as file:
                assert file.read(len(before)) == before
            assert path.stat().st_size == size
        assert link.is_symlink()


@pytest.mark.parametrize("name", WRITERS)
def test_no_output_over_a_device_or_a_folder(place, capsys, name):
    for out, words in (
        ("/dev/full", "a device"), ("/dev/null", "a device"), (place / "in", "a folder"),
        ("/dev/nowhere/x", "No such file"), ("/proc/x", ""), ("/sys/x", ""),
    ):  # fmt: skip
        assert call(place, name, out) == 2, out
        assert words in one_line(capsys)
    assert stat.S_ISCHR(os.stat("/dev/full").st_mode)


@pytest.mark.parametrize("name", WRITERS)
def test_a_file_beside_is_written(place, name):
    assert call(place, name, place / "fresh") in (0, 1)
    assert (place / "fresh").stat().st_size > 0


@pytest.mark.skipif(os.geteuid() != 0, reason="only root makes a node of a block device")
@pytest.mark.parametrize("name", WRITERS)
def test_no_output_over_a_block_device(place, capsys, name):
    node = place / "node"
    try:
        os.mknod(node, 0o600 | stat.S_IFBLK, os.makedev(7, 250))  # a loop device that nobody has
    except OSError:
        pytest.skip("no nodes can be made here")
    assert call(place, name, node) == 2
    assert "a device" in one_line(capsys)
    assert stat.S_ISBLK(node.stat().st_mode)


def test_standard_output_by_its_names(place):
    for out in ("-", "/dev/stdout"):
        given = [sys.executable, "-m", "ylemorph", "plan", str(place / "in" / "desk.json"), "--target", "480GB",
                 "--format", "json", "--out", out]  # fmt: skip
        done = subprocess.run(given, check=True, capture_output=True, timeout=60)
        assert json.loads(done.stdout)["format"] == "ylemorph.plan/1"


@here_alone
@pytest.mark.parametrize(
    "given",
    [
        ["plan", "{}", "--target", "480GB"], ["plan", "{0.parent}/in/desk.json", "--target", "{}"], ["survey", "{}"],
        ["check", "{}", "{0.parent}/disk.img"], ["shelf", "{0.parent}/in/desk.json", "--shelf", "{}"],
        ["fleet", "{}", "--target", "480GB", "--processes", "1"], ["rehearse", "{}"],
        ["restore", "{}", "--data", "{0.parent}/data"], ["people", "add", "Mara", "--password-file", "{}", "--data",
                                                         "{0.parent}/data"],
        ["serve", "--network", "--data", "{0.parent}/data", "--certificate", "{}", "--key", "{}"],
    ],
    ids=lambda given: " ".join(given[:2]),
)  # fmt: skip
def test_a_pipe_where_a_file_is_meant_is_not_waited_for(place, given):
    pipe = place / "pipe"
    os.mkfifo(pipe)
    done = subprocess.run(
        [sys.executable, "-m", "ylemorph", *(part.format(pipe) for part in given)], check=False, capture_output=True,
        timeout=60, stdin=subprocess.DEVNULL,
    )  # fmt: skip
    assert (done.returncode, len(done.stderr.splitlines())) == (2, 1), done.stderr


@here_alone
def test_a_fleet_goes_on_beside_a_pipe(place, capsys):
    os.mkfifo(place / "in" / "pipe")
    assert main(["fleet", str(place / "in"), "--target", "480GB", "--processes", "1", "--format", "json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert ["pipe" in str(problem) for problem in told["problems"]] == [True]


def test_what_a_shell_hands_on_is_read(place):
    line = f"{sys.executable} -m ylemorph plan <(cat {place}/in/desk.json) --target 480GB --format json"
    done = subprocess.run(["bash", "-c", line], check=True, capture_output=True, timeout=60)
    assert json.loads(done.stdout)["format"] == "ylemorph.plan/1"


@here_alone
@pytest.mark.parametrize(
    "data", [b"", bytes(range(256)), "passphrase for two".encode("utf-16"), b"x" * 5000, b"a\0bcdefghijklm"]
)
def test_a_password_file_that_holds_none(place, capsys, data):
    file = place / "password"
    file.write_bytes(data)
    given = ["people", "add", "Mara", "--data", str(place / "data"), "--password-file"]
    assert main([*given, str(file)]) == 2
    one_line(capsys)
    assert main([*given, "/dev/zero"]) == 2
    assert "no file" in one_line(capsys)
    assert main([*given, str(place)]) == 2
    assert "a folder" in one_line(capsys)


def test_a_password_file_that_holds_one(place, capsys):
    file = place / "password"
    file.write_bytes("\ufeffcopper kettle on a ledge\r\nmore\n".encode())
    assert main(["people", "add", "Mara", "--data", str(place / "data"), "--password-file", str(file)]) == 0
    assert "Mara may sign in" in capsys.readouterr().out


@here_alone
def test_a_stream_of_the_system_is_not_waited_for(place):
    if not Path("/proc/kmsg").exists():
        pytest.skip("there is none here")
    for given in (["plan", "/proc/kmsg", "--target", "480GB"], ["survey", "/proc/kmsg"]):
        done = subprocess.run([sys.executable, "-m", "ylemorph", *given], check=False, capture_output=True, timeout=60)
        assert (done.returncode, len(done.stderr.splitlines())) == (2, 1), done.stderr
