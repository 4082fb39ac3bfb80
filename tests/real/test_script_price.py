"""What the script reads, writes and takes, counted by ``strace`` on disks whose free space is full of old bytes, beside
what it said before (rule 13.2b); and that no program of it reads or writes what it should not.
"""

import os
import random
import re
import subprocess
import threading
from collections import Counter
from pathlib import Path

import pytest

from ylemorph.core.carry.facts import Facts
from ylemorph.core.fit.options import Options
from ylemorph.core.script.by_script import by_script
from ylemorph.core.script.price import price_of

from .jobs import BASIC, EFI, LINUX, Job, Row, digest, look_at_target, made_source, plan_and_script
from .test_script import NEEDED
from .volumes import ENVIRONMENT, MIB, present, run, sparse

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
pytestmark = pytest.mark.skipif(not present(*NEEDED, "strace"), reason="strace and the utilities are needed")

ROOM = Facts(workspace=2**50)
ROWS = (Row("fat32", 70, "start", EFI), Row("ntfs", 700, "data", BASIC), Row("ext4", 500, "data", LINUX))
SMALL = (Row("fat32", 70, "start", EFI), Row("ntfs", 300, "data", BASIC), Row("ext4", 200, "data", LINUX))
JOBS = (
    Job("straight", "straight", SMALL, 400, Options()),
    Job("straight smaller", "straight", ROWS, 700, Options()),
    Job("straight larger", "straight", ROWS, 1700, Options()),
    Job("through an image smaller", "through-image", ROWS, 700, Options(), facts=ROOM),
    Job("through an image larger", "through-image", ROWS, 1700, Options(), facts=ROOM),
    Job("shrink first", "shrink-first", ROWS, 700, Options()),
    Job("restore larger", "restore", ROWS, 1700, Options()),
)
ALWAYS = {"straight"}


def free_of_ntfs(volume):
    """Free stretches in bytes, by the volume's own bitmap as its utility gives it."""
    data = subprocess.run(
        ["ntfscat", "-i", "6", "-f", str(volume)], capture_output=True, env=ENVIRONMENT, check=True
    ).stdout
    with volume.open("rb") as file:
        boot = file.read(64)
    cluster = int.from_bytes(boot[11:13], "little") * boot[13]
    count = int.from_bytes(boot[40:48], "little") * int.from_bytes(boot[11:13], "little") // cluster
    used = "".join(f"{byte:08b}"[::-1] for byte in data)[:count]
    for free in re.finditer("0+", used):
        yield free.start() * cluster, len(free[0]) * cluster


def free_of_ext(volume):
    told = run("dumpe2fs", volume)
    block = int(re.search(r"^Block size: *(\d+)", told, re.MULTILINE)[1])
    for line in re.findall(r"^  Free blocks: (\d.*)$", told, re.MULTILINE):
        for part in line.split(", "):
            first, _, last = part.partition("-")
            yield int(first) * block, (int(last or first) - int(first) + 1) * block


FREE = {"ntfs": free_of_ntfs, "ext4": free_of_ext}


def fouled(made, plan):
    """Old bytes in all free space of the source."""
    noise = random.Random(3).randbytes(1 << 20)
    with made.image.open("r+b") as disk:
        for row in plan.rows:
            if row.kind not in FREE:
                continue
            start, length = row.row.partition.first_lba * 512, row.row.partition.sectors * 512
            volume = made.image.with_name("volume")
            with volume.open("wb") as file:
                disk.seek(start)
                file.write(disk.read(length))
            for at, count in FREE[row.kind](volume):
                for place in range(0, count, len(noise)):
                    disk.seek(start + at + place)
                    disk.write(noise[: min(len(noise), count - place)])
            volume.unlink()


CALL = re.compile(r"^(read|pread64|write|pwrite64)\(\d+<([^>]*)>.* = (\d+)$")
LOOP = re.compile(r'^execve\("[^"]*losetup", \[(.*?)\]')
NAMED = re.compile(r'^write\(1<[^>]*>, "(/dev/loop\d+)')


def counted(traces: Path, source: Path, target: Path) -> Counter:
    """Bytes read and written of both disks, by whatever name they were opened. ``traces``: a file for each process."""
    names, found = {str(source): "source", str(target): "target"}, Counter()
    files = sorted(traces.iterdir(), key=lambda file: int(file.suffix[1:]))
    for file in files:  # a loop device is made before it is used, and given another time to what comes after
        asked = ""
        for line in file.read_text(errors="replace").splitlines():
            if loop := LOOP.match(line):
                asked = loop[1].rsplit('"', 2)[-2]
            elif (named := NAMED.match(line)) and asked:
                names[named[1]] = names.get(asked, "")
            elif call := CALL.match(line):
                disk = names.get(call[2].split("<")[0], "")
                if disk:
                    found[disk, "read" if "read" in call[1] else "written"] += int(call[3])
    return found


class Room(threading.Thread):
    """The most that stood in a folder at once."""

    def __init__(self, folder):
        super().__init__()
        self.folder, self.most, self.over = folder, 0, threading.Event()

    def run(self):
        while not self.over.wait(0.02):
            self.most = max(self.most, sum(self._size(file) for file in self.folder.glob("*.[ip]*")))

    @staticmethod
    def _size(file):
        try:
            return file.stat().st_blocks * 512
        except FileNotFoundError:
            return 0


@pytest.mark.parametrize("job", [job for job in JOBS if DEEP or job.name in ALWAYS], ids=lambda job: job.name)
def test_what_it_said_is_what_it_does(job, tmp_path):
    made = made_source(job, tmp_path)
    plan, _, _ = plan_and_script(job, made, tmp_path)
    fouled(made, plan)
    plan, carrying, script = plan_and_script(job, made, tmp_path)
    price = price_of(by_script(carrying.ground, job.way, carrying.way.steps))
    before = digest(made.image)
    target, work = sparse(tmp_path / "target.img", job.target * MIB), tmp_path / "work"
    work.mkdir()
    room = Room(work)
    room.start()
    traces = tmp_path / "traces"
    traces.mkdir()
    calls = "trace=execve,read,pread64,write,pwrite64"
    done = subprocess.run(
        ["strace", "-ff", "--seccomp-bpf", "-y", "-s", "300", "-e", calls, "-o", str(traces / "p"),
         "sh", str(script), "--go", str(made.image), str(target), str(work)],
        capture_output=True, text=True, env=ENVIRONMENT, check=False,
    )  # fmt: skip
    room.over.set()
    room.join()
    assert done.returncode == 0, done.stdout + done.stderr
    found = counted(traces, made.image, target)
    used = sum(row.row.fs.used_bytes if row.kind in FREE else row.source_bytes for row in plan.rows if row.carried)
    said = {"read": price.read_bytes, "written": price.write_bytes, "room": price.workspace_bytes}
    really = {"read": found["source", "read"], "written": found["target", "written"], "room": room.most}
    for name, figure in said.items():
        assert really[name] <= figure * 1.1 + 64 * MIB, (name, said, really)
        assert figure <= really[name] * 1.1 + 64 * MIB, (name, said, really)
    assert really["read"] <= used * 1.25, (used, really)
    if job.way != "shrink-first":
        assert found["source", "written"] == 0
        assert digest(made.image) == before
    look_at_target(job, made, plan, target, tmp_path)
