"""The command line, to the letter of its contract."""

import json
import subprocess
import sys
from pathlib import Path

import pytest

from tests.make import desk, read_survey
from ylemorph.cli import cli, main
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.stand_ins.extents import unpack
from ylemorph.usecases.disks import is_text


@pytest.fixture
def source(tmp_path):
    path = tmp_path / "desk.json"
    path.write_text(write_survey(Survey(desk())))
    return str(path)


def run(capsys, *args):
    status = main(list(args))
    out, err = capsys.readouterr()
    return status, out, err


def planned(capsys, source, *args):
    status, out, err = run(capsys, "plan", source, "--format", "json", *args)
    assert err == ""
    return status, json.loads(out)


@pytest.mark.parametrize(
    ("target", "status", "verdict"),
    [
        ("480GB", 0, "comfortable"),
        ("256GB", 0, "tight"),
        ("240GB", 1, "does-not-fit"),
        ("937703088s", 0, "comfortable"),
    ],
)
def test_exit_status(capsys, source, target, status, verdict):
    got, plan = planned(capsys, source, "--target", target)
    assert (got, plan["verdict"]) == (status, verdict)


def test_all_flags_at_once(capsys, source):
    flags = (
        "--fit rest-to-one --grow 3 --pin 4=120GiB --leave 5 --hold 1 --role 4=data --lighten 3=20GiB --cleared 3 "
        "--headroom 12.5 --tail 10GiB --free-after 3 --table keep --grain 2MiB --elastic 3 --order 1,2,4,3"
    )
    status, plan = planned(capsys, source, "--target", "480GB", *flags.split())
    rows = {row["number"]: row for row in plan["rows"]}
    assert status == 0
    assert [row["number"] for row in plan["rows"]][:4] == [1, 2, 4, 3]
    assert (plan["fit"], plan["grain_bytes"], plan["target"]["tail_bytes"]) == ("rest-to-one", 2 << 20, 10 << 30)
    assert (rows[4]["size_bytes"], rows[4]["pinned"], rows[5]["carried"]) == (120 << 30, True, False)
    # 131 - 20 GiB carried: 111 x 1.02 and 111 x 1.125 GiB in grains of 2 MiB, rounded up, by hand
    assert (rows[3]["hard_floor_bytes"], rows[3]["comfort_floor_bytes"]) == (57_969 * (2 << 20), 63_936 * (2 << 20))


def test_target_from_a_file_and_source_from_standard_input(source, tmp_path):
    command = [sys.executable, "-m", "ylemorph", "plan", "-", "--target", source, "--fit", "same", "--format", "csv"]
    with open(source) as file:
        done = subprocess.run(command, stdin=file, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("number,label,role")


def test_out_writes_a_file(capsys, source, tmp_path):
    path = tmp_path / "plan.json"
    assert run(capsys, "plan", source, "--target", "480GB", "--format", "json", "--out", str(path)) == (0, "", "")
    assert json.loads(path.read_text())["format"] == "ylemorph.plan/1"


def test_the_table_is_plain_here(capsys, source):
    status, out, _ = run(capsys, "plan", source, "--target", "480GB")
    assert status == 0
    assert "3 Desk" in out
    assert "\x1b" not in out


@pytest.mark.parametrize("what", ["disk", "plan"])
def test_schemas(capsys, what):
    status, out, _ = run(capsys, "schema", what)
    assert status == 0
    assert json.loads(out)["title"] == f"ylemorph.{what}/1"


@pytest.mark.parametrize(
    ("args", "words"),
    [
        ([], ["SOURCE"]),
        (["nowhere.json", "--target", "480GB"], ["nowhere.json", "cannot be read"]),
        (["{tmp}", "--target", "480GB"], ["cannot be read"]),
        (["{bad}", "--target", "480GB"], ["bad.json", "the file breaks off"]),
        (["{wrong}", "--target", "480GB"], ["wrong.json", "disk.sectors"]),
        (["{source}"], ["--target"]),
        (["{source}", "--target", "480"], ["480", "unit"]),
        (["{source}", "--target", "tomorrow"], ["tomorrow"]),
        (["{source}", "--target", "-5GB"], ["-5GB"]),
        (["{source}", "--target", "0s"], ["0s"]),
        (["{source}", "--target", "480GB", "--fit", "wide"], ["wide"]),
        (["{source}", "--target", "480GB", "--pin", "3"], ["options.pin[0]", "N"]),
        (["{source}", "--target", "480GB", "--pin", "3=1GiB"], ["options.pin[3]", "134 GiB"]),
        (["{source}", "--target", "480GB", "--pin", "9=1GiB"], ["options.pin", "9"]),
        (["{source}", "--target", "480GB", "--pin", "3=1GiB", "--pin", "3=2GiB"], ["twice"]),
        (["{source}", "--target", "480GB", "--leave", "x"], ["x"]),
        (["{source}", "--target", "480GB", "--role", "3=king"], ["options.role[3]"]),
        (["{source}", "--target", "480GB", "--headroom", "-3"], ["options.headroom"]),
        (["{source}", "--target", "480GB", "--headroom", "nan"], ["options.headroom"]),
        (["{source}", "--target", "480GB", "--tail", "1TiB"], ["options.tail"]),
        (["{source}", "--target", "480GB", "--grain", "3000"], ["options.grain"]),
        (["{source}", "--target", "480GB", "--out", "/nowhere/at/all"], ["/nowhere/at/all"]),
        (["-", "--target", "-"], ["standard input"]),
    ],
)
def test_wrong_use_is_one_line(capsys, source, tmp_path, args, words):
    (tmp_path / "bad.json").write_text("{")
    (tmp_path / "wrong.json").write_text('{"format": "ylemorph.disk/1", "disk": {"logical_sector_bytes": 512}}')
    places = {"tmp": tmp_path, "source": source, "bad": tmp_path / "bad.json", "wrong": tmp_path / "wrong.json"}
    status, out, err = run(capsys, "plan", *(arg.format(**places) for arg in args))
    assert (status, out) == (2, "")
    assert err.count("\n") == 1
    for word in words:
        assert word in err


def test_every_option_has_its_help():
    for command in cli.commands.values():
        for param in command.params:
            if param.param_type_name == "option" and param.name not in ("help", "host", "port", "form", "target"):
                assert param.help, (command.name, param.name)


def test_help_names_the_commands(capsys):
    status, out, _ = run(capsys, "--help")
    assert status == 0
    for name in ("demo", "serve", "plan", "schema"):
        assert name in out


def test_the_port_that_is_taken_is_said(capsys, tmp_path):
    import socket

    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        status, _, err = run(capsys, "serve", "--port", port, "--data", str(tmp_path / "data"))
    assert status == 2
    assert port in err


def test_survey_of_an_image(tmp_path, capsys):
    """A blank image; what stands in a real one is tested beside the readers."""
    path = tmp_path / "disk"
    path.write_bytes(bytes(1 << 20))
    assert main(["survey", str(path)]) == 0
    assert read_survey(capsys.readouterr().out).disk.sectors == 2048
    assert main(["survey", str(path), "--out", str(tmp_path / "out.json")]) == 0
    assert read_survey((tmp_path / "out.json").read_bytes()).disk.sectors == 2048


def test_survey_of_a_folder_is_one_line(tmp_path, capsys):
    assert main(["survey", str(tmp_path)]) == 2
    assert capsys.readouterr().err == (
        f"ylemorph: {tmp_path}: this is a folder; give an image file or a block device\n"
    )


def test_a_listing_of_several_disks_asks_which(tmp_path, capsys):
    part = {"type": "part", "start": 2048, "size": 40 << 30, "parttype": "0x7", "fstype": "ntfs", "fsused": 8 << 30}
    disks = [
        {"name": n, "path": f"/dev/{n}", "type": "disk", "size": 64 << 30, "pttype": "dos",
         "children": [{"name": f"{n}1", **part}]}
        for n in ("sda", "sdb")
    ]  # fmt: skip
    path = tmp_path / "disks.json"
    path.write_text(json.dumps({"blockdevices": disks}), encoding="utf-16")
    assert main(["plan", str(path), "--target", "32GB"]) == 2
    assert "choose with --disk one of “/dev/sda”, “/dev/sdb”" in capsys.readouterr().err
    assert main(["plan", str(path), "--disk", "/dev/sdb", "--target", "32GB"]) == 0


def test_a_plan_straight_from_an_image(tmp_path, capsys):
    """The 8 GiB disk of the probe's tests, to a disk of half its size."""
    with (Path(__file__).parents[1] / "probe" / "images" / "disk-8-gib.xz").open("rb") as packed:
        unpack(packed, tmp_path / "disk")
    assert main(["plan", str(tmp_path / "disk"), "--target", "4GB", "--role", "2=system", "--format", "json"]) == 0
    assert json.loads(capsys.readouterr().out)["rows"][1]["change"] == "shrinks"


@pytest.mark.parametrize(
    ("flags", "code", "there"),
    [
        ([], "target-holds-data", True),
        (["--overwrite", "4410"], "target-holds-data", False),
        (["--overwrite", "4411"], "target-holds-data", True),
        (["--firmware", "legacy"], "start-firmware", True),
        (["--firmware", "uefi"], "start-firmware", False),
    ],
)
def test_confirming_the_target_and_the_firmware(source, tmp_path, capsys, flags, code, there):
    target = tmp_path / "target.json"
    target.write_text(write_survey(Survey(desk(model="Quillon S2", serial="QS2-4410"))))
    assert main(["plan", str(source), "--target", str(target), "--format", "json", *flags]) == 0
    assert (code in {f["code"] for f in json.loads(capsys.readouterr().out)["findings"]}) == there


def test_a_folder_to_read_from_must_be_there(tmp_path, capsys):
    data = str(tmp_path / "data")
    assert main(["serve", "--data", data, "--port", "1", "--read-from", str(tmp_path / "none")]) == 2
    assert "is no folder" in capsys.readouterr().err


def test_a_long_reading_says_how_far_it_is(monkeypatch, capsys):
    """Nothing within the first second, then a figure; the clock is the test's."""
    from ylemorph.commands import survey

    clock = [100.0]
    monkeypatch.setattr(survey.time, "monotonic", lambda: clock[0])
    meter = survey._Meter()
    meter(0, 1000)
    meter(100, 0)
    assert capsys.readouterr().err == ""
    clock[0] += 1.1
    meter(500, 0)
    assert "50 %" in capsys.readouterr().err
    meter(600, 0)
    assert capsys.readouterr().err == ""
    clock[0] += 0.3
    meter(5000, 0)
    assert "99 %" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("block", "text"),
    [
        (b"size used\n1 2\n", True),
        ("Größe;belegt\n".encode("cp1252"), True),
        ("size\n".encode("utf-16"), True),
        ("size\n".encode("utf-16-le"), True),
        (b"XFSB" + bytes(508), False),
        (b"\xeb\x52\x90NTFS    \x00\x02", False),
        (bytes(512), False),
        (bytes(range(256)) * 2, False),
    ],
)
def test_text_is_told_from_an_image_by_its_content(block, text):
    assert is_text(block) == text


def test_an_image_that_begins_like_a_text_is_read_as_an_image(tmp_path, capsys):
    path = tmp_path / "disk"
    path.write_bytes(b"size,used\n".ljust(8192, b" ") + bytes(1 << 20))
    assert main(["survey", str(path)]) == 0
    assert main(["plan", str(path), "--target", "240GB"]) in (0, 1)
    assert "text is damaged" not in capsys.readouterr().err


def test_a_table_image_is_a_sparse_file_of_the_targets_size(capsys, source, tmp_path):
    out = tmp_path / "table.img"
    assert run(capsys, "plan", source, "--target", "480GB", "--format", "table-image", "--out", str(out)) == (0, "", "")
    assert out.stat().st_size == 937_703_088 * 512
    assert out.stat().st_blocks * 512 < 256 * 1024
    status, read, _ = run(capsys, "survey", str(out))
    rows = planned(capsys, source, "--target", "480GB")[1]["rows"]
    found = json.loads(read)["disk"]["partitions"]
    assert status == 0
    assert [(p["number"], p["first_lba"], p["sectors"]) for p in found] == [
        (row["number"], row["first_lba"], row["sectors"]) for row in rows if row["carried"]
    ]


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ((), "name it with --out"),
        (("--out", "/dev/null"), "a device"),
        (("--target", "240GB", "--out", "kept.img"), "does not fit"),
        (("--target", "480GB", "--out", "no/such/folder.img"), "cannot be written"),
    ],
)
def test_a_table_image_that_cannot_be_is_one_sentence(capsys, source, tmp_path, monkeypatch, more, words):
    monkeypatch.chdir(tmp_path)
    Path("kept.img").write_text("kept")
    status, out, err = run(capsys, "plan", source, "--target", "480GB", "--format", "table-image", *more)
    assert (status, out, len(err.splitlines())) == (2, "", 1)
    assert words in err
    assert Path("kept.img").read_text() == "kept"
    assert {path.name for path in tmp_path.iterdir()} == {"kept.img", "desk.json"}
