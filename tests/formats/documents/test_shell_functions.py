"""The script's functions one by one, in dash, busybox and bash alike; and what shellcheck says of the whole."""

import os
import random
import subprocess

import pytest

from tests.make import desk
from tests.real.volumes import ENVIRONMENT, present, run, sparse
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, MiB
from ylemorph.formats.documents.shell_script import functions, script_of

SHELLS = (("dash",), ("busybox", "sh"), ("bash", "--posix"))


@pytest.fixture(params=SHELLS, ids=lambda shell: shell[0])
def shell(request, tmp_path):
    """Runs lines after the functions, with what the head of a script would have set; its output and exit status."""
    if not present(request.param[0]):
        pytest.skip(f"{request.param[0]} is needed")
    settings = f"KEEP={tmp_path} WORK={tmp_path} LOG='' VERIFY=yes VIEWS=no SECTOR=512 STEPS=9 BUFFER={tmp_path}/buffer"

    def called(lines, *, ok=True):
        script = tmp_path / "call.sh"
        script.write_text(f"set -eu\nexport LC_ALL=C\n{functions()}\n{settings}\n{lines}\n")
        done = subprocess.run(
            [*request.param, str(script)], capture_output=True, text=True, env=ENVIRONMENT, check=False, cwd=tmp_path
        )
        assert (done.returncode == 0) == ok, done.stderr
        return done.stdout if ok else done.stderr

    return called


def test_rows_are_read_whatever_the_disk_is_called(shell, tmp_path):
    if not present("sfdisk"):
        pytest.skip("sfdisk is needed")
    name = tmp_path / "a disk, size=4096, start= 7.img"
    sparse(name, 40 * MiB)
    run(
        "sfdisk",
        "--quiet",
        name,
        send="label: dos\n\nstart=2048, size=4096\nstart=8192,type=5\nstart=10240,size=2048\n",
    )
    assert shell(f"rows '{name}'").split() == ["2048:4096", "10240:2048"]
    assert shell(f"identity '{name}'").startswith("0x")
    assert shell(f"holds '{name}'").strip() == "2 partitions"


@pytest.mark.skipif(os.geteuid() != 0 or not present("losetup"), reason="needs root and loop devices")
def test_loops_are_told_by_the_file_behind_them(shell, tmp_path):
    (tmp_path / "in").mkdir()
    for name in ("in/a.img", "b.img"):
        sparse(tmp_path / name, MiB)
    try:
        own = run("losetup", "--find", "--show", tmp_path / "in" / "a.img").strip()
    except AssertionError:
        pytest.skip("no loop device is to be had here")
    try:
        assert shell(f"loops_over '{tmp_path}/in/a.img'").split() == [own]
        assert shell(f"loops_over '{tmp_path}/b.img'") == ""
        assert shell(f"loops_under '{tmp_path}/in'").split() == [own]
        assert shell(f"loops_under '{tmp_path}/b.img'") == ""
        assert shell(f"same {own} '{tmp_path}/in/a.img' && echo yes").strip() == "yes"
        assert shell(f"same {own} '{tmp_path}/b.img' || echo no").strip() == "no"
    finally:
        run("losetup", "--detach", own)


@pytest.mark.parametrize(
    ("runs", "length", "joined"),
    [
        # Ends always; neighbours and overlaps are one; a gap of less than a MiB is carried along.
        ([], 10 << 20, [(0, 1 << 20), (9 << 20, 1 << 20)]),
        ([(3 << 20, 4096), ((3 << 20) + 4096, 4096)], 10 << 20, [(0, 1 << 20), (3 << 20, 8192), (9 << 20, 1 << 20)]),
        ([(3 << 20, 4096), (3 << 20, 65536)], 10 << 20, [(0, 1 << 20), (3 << 20, 65536), (9 << 20, 1 << 20)]),
        ([(3 << 20, 4096), ((3 << 20) + 500_000, 4096)], 10 << 20,
         [(0, 1 << 20), (3 << 20, 504_096), (9 << 20, 1 << 20)]),
        ([((10 << 20) - 4096, 1 << 20)], 10 << 20, [(0, 1 << 20), (9 << 20, 1 << 20)]),  # not past the end
        ([(0, 10 << 20)], 10 << 20, [(0, 10 << 20)]),
        ([], 300_000, [(0, 300_000)]),
    ],
)  # fmt: skip
def test_stretches_are_joined(runs, length, joined, shell, tmp_path):
    (tmp_path / "raw").write_text("".join(f"{start} {long}\n" for start, long in runs))
    told = [tuple(map(int, line.split())) for line in shell(f"joined {length} < raw").splitlines()]
    assert told == joined


def test_many_small_gaps_are_not_carried_along_where_that_would_be_much(shell, tmp_path):
    """Every second 4 KiB of 100 MiB: joined they would be twice what is used."""
    raw = [(at, 4096) for at in range(0, 100 << 20, 8192)]
    (tmp_path / "raw").write_text("".join(f"{start} {long}\n" for start, long in raw))
    carried = sum(int(line.split()[1]) for line in shell(f"joined {100 << 20} < raw").splitlines())
    assert carried <= 50 * MiB * 1.05 + 4 * MiB + 2 * MiB


def pieces(shell, tmp_path, runs, most, span, down):
    (tmp_path / "given").write_text("".join(f"{start} {long}\n" for start, long in runs))
    batches = [tuple(map(int, line.split())) for line in shell(f"pieces given {most} {span} {down}").splitlines()]
    lines = [tuple(map(int, line.split())) for line in (tmp_path / "ylemorph-pieces").read_text().splitlines()]
    return batches, lines


@pytest.mark.parametrize("down", [0, 1])
def test_batches_are_no_longer_than_the_way_that_they_go(down, shell, tmp_path):
    """Each byte once, in the order that is safe; from a batch's first byte to its last never more than the span."""
    noise, at, runs = random.Random(down), 0, []
    for _ in range(60):
        at += noise.randrange(0, 300_000)
        runs.append((at, noise.randrange(1, 400_000)))
        at += runs[-1][1]
    most, span = 100_000, 150_000
    batches, lines = pieces(shell, tmp_path, runs, most, span, down)
    assert [first for first, _, _ in batches] == [1, *[last + 1 for _, last, _ in batches[:-1]]]
    assert batches[-1][1] == len(lines)
    for first, last, total in batches:
        own = lines[first - 1 : last]
        assert sum(long for _, long in own) == total <= most
        assert max(start + long for start, long in own) - min(start for start, _ in own) <= span
    assert lines == sorted(lines, reverse=bool(down))
    covered = sorted(lines)
    assert sum(long for _, long in covered) == sum(long for _, long in runs)
    held = {(start, start + long) for start, long in runs}
    assert all(any(low <= start and start + long <= high for low, high in held) for start, long in covered)


@pytest.mark.parametrize(("old", "new"), [(700_000, 300_000), (300_000, 700_000), (300_000, 300_512)])
def test_a_row_slides_over_itself(old, new, shell, tmp_path):
    data = random.Random(new).randbytes(2_000_000)
    disk = tmp_path / "disk"
    disk.write_bytes(bytes(4_000_000))
    with disk.open("r+b") as file:
        file.seek(old)
        file.write(data)
    shell(f"TARGET=disk now=x number=1 carried=0; slide whole {old} {new} {len(data)}")
    assert disk.read_bytes()[new : new + len(data)] == data


def test_bytes_arrive_and_what_does_not_is_said(shell, tmp_path):
    (tmp_path / "in").write_bytes(random.Random(1).randbytes(300_000))
    (tmp_path / "out").write_bytes(bytes(500_000))
    (tmp_path / "ylemorph-runs").write_text("100 5000\n200000 70000\n")
    shell("carried=0; carry in out 1000")
    data, out = (tmp_path / "in").read_bytes(), (tmp_path / "out").read_bytes()
    assert out[1100:6100] == data[100:5100]
    assert out[201_000:271_000] == data[200_000:270_000]
    assert out.count(0) > 400_000
    (tmp_path / "ylemorph-runs").write_text("200000 200000\n")
    assert "in ends early" in shell("carried=0; carry in out 0", ok=False)
    assert "cannot be read" in shell("carried=0; carry nowhere out 0", ok=False)
    (tmp_path / "ylemorph-runs").write_text("0 4096\n")
    assert "cannot be written" in shell("carried=0; carry in /dev/full 0", ok=False)


def test_numbers_are_little_endian_and_a_short_file_is_no_number(shell, tmp_path):
    (tmp_path / "file").write_bytes(bytes([1, 2, 3, 0xFF]))
    assert shell("number file 0 2").strip() == str(0x0201)
    assert shell("number file 3 1").strip() == "255"
    assert "byte 3 of file cannot be read" in shell("number file 3 2", ok=False)
    shell("put_number file 1 2 43605")
    assert (tmp_path / "file").read_bytes() == bytes([1, 0x55, 0xAA, 0xFF])


def test_words_of_the_log_are_json_whatever_is_said(shell, tmp_path):
    import json

    shell("""LOG=log number=3; note failed 1 2 5 'a "disk" \\ with	a tab, é' ', "more": 7'""")
    line = json.loads((tmp_path / "log").read_text())
    assert (line["step"], line["bytes"], line["of"], line["seconds"], line["more"]) == (3, 1, 2, 5, 7)
    assert line["say"] == 'a "disk" \\ witha tab, é'


def test_progress_is_a_line_each_ten_percent_and_each_percent_in_the_log(shell, tmp_path):
    lines = "".join(f"shown {at}\n" for at in range(0, 1001, 5))
    told = shell(f"LOG=log number=2; begin copied 1000\n{lines}").splitlines()
    assert [line.split()[1] for line in told] == [str(percent) for percent in range(10, 101, 10)]
    assert len((tmp_path / "log").read_text().splitlines()) == 100


def test_two_names_of_one_disk(shell, tmp_path):
    one = sparse(tmp_path / "one", MiB)
    (tmp_path / "link").symlink_to(one)
    (tmp_path / "hard").hardlink_to(one)
    sparse(tmp_path / "other", MiB)
    for name, same in (("link", True), ("hard", True), ("./one", True), ("other", False)):
        assert shell(f"if same one {name}; then echo yes; else echo no; fi").strip() == ("yes" if same else "no")


def test_signs_are_letters_and_digits_alone(shell):
    assert shell("signs 'ab-c d_9'").strip() == "ABCD9"


@pytest.mark.skipif(not present("shellcheck"), reason="shellcheck is needed")
@pytest.mark.parametrize("way", ["straight", "through-image", "shrink-first", "restore"])
def test_shellcheck_finds_nothing(way, tmp_path):
    facts = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=100 * GB)
    target = 2000 if way == "restore" else 480
    path = tmp_path / "clone.sh"
    path.write_text(script_of(carry_out(make_plan(desk(), nominal_disk(target * GB), Options()), facts, way)))
    # Called through a trap (SC2317), lists of and-or that mean what they say (SC2015).
    said = subprocess.run(
        ["shellcheck", "-s", "sh", "-e", "SC2317,SC2015", str(path)], capture_output=True, text=True, check=False
    )
    assert (said.returncode, said.stdout) == (0, "")
