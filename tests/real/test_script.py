"""The script on real file systems, from survey to finished disk, run by ``sh``; what it refuses, and killed in between.

Four jobs run with every test, all in ``make test-deep``.
"""

import contextlib
import os
import shutil
import signal
import subprocess
from pathlib import Path

import pytest

from ylemorph.core.carry.facts import Facts
from ylemorph.core.fit.options import Options
from ylemorph.core.script.by_script import gaps_of

from .jobs import BASIC, EFI, LINUX, RECOVERY, SWAP, Job, Row, digest, look_at_target, made_source, plan_and_script
from .volumes import ENVIRONMENT, MIB, Failed, present, run, sparse

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
NEEDED = ("sfdisk", "ntfsresize", "resize2fs", "mkfs.fat", "mcopy", "debugfs", "sh")
WINDOWS = (
    Row("fat32", 70, "start", EFI), Row("ntfs", 480, "system", BASIC), Row("ntfs", 180, "data", BASIC),
    Row("ntfs", 80, "recovery", RECOVERY),
)  # fmt: skip
LINUX_ROWS = (
    Row("fat32", 70, "start", EFI), Row("ext4", 360, "system", LINUX), Row("swap", 50, "swap", SWAP),
    Row("ext4", 230, "data", LINUX, 25),
)  # fmt: skip
OLD = (
    Row("ntfs", 60, "start", "7"), Row("ntfs", 300, "system", "7"), Row("fat16", 40, "tools", "e"),
    Row("ntfs", 150, "data", "7"), Row("ext4", 130, "data", "83"),
)  # fmt: skip
DATA = (Row("ext4", 380, "data", LINUX), Row("ntfs", 360, "data", BASIC))
ROOM = Facts(workspace=2**50)
APART = ROOM.but(both_attached="no")
JOBS = (
    Job("windows smaller straight", "straight", WINDOWS, 540, Options()),
    Job("windows larger rest to one", "straight", WINDOWS, 1540, Options(fit="rest-to-one", grow=2)),
    Job("linux smaller through an image", "through-image", LINUX_ROWS, 540, Options(), facts=ROOM),
    Job("old table smaller shrink first", "shrink-first", OLD, 545, Options(fit="even-fill"), True),
    Job("linux larger straight", "straight", LINUX_ROWS, 1800, Options()),
    Job("windows same sizes", "straight", WINDOWS, 1080, Options(fit="same")),
    Job("windows tight", "through-image", WINDOWS, 440, Options(), facts=ROOM),
    Job("windows worn source", "through-image", WINDOWS, 590, Options(), facts=ROOM.but(health="worn")),
    Job("windows recovery to the end, restored", "restore", WINDOWS, 1330, Options(fit="rest-to-one", grow=2)),
    Job("old table larger restored", "restore", OLD, 780, Options(), True),
    Job("old table, order changed, restored", "restore", OLD, 1190, Options(order=(2, 1, 3, 5, 6)), True),
    Job("old table becomes GPT", "straight", OLD, 885, Options(table="gpt"), True),
    Job("data only, files", "files", DATA, 385, Options()),
    Job("one left behind, apart", "through-image", WINDOWS, 510, Options(leave=frozenset({3})), facts=APART),
    Job("linux shrink first", "shrink-first", LINUX_ROWS, 540, Options(fit="snug")),
    Job("linux apart, through an image", "through-image", LINUX_ROWS, 560, Options(), facts=APART),
    Job("linux larger restored", "restore", LINUX_ROWS, 1100, Options(fit="rest-to-one", grow=2)),
    Job("windows larger through an image", "through-image", WINDOWS, 1540, Options(), facts=ROOM),
    Job("old table smaller straight", "straight", OLD, 560, Options(), True),
    Job("data turned round, restored", "restore", DATA, 1500, Options(order=(2, 1))),
)  # fmt: skip
ALWAYS = {
    "windows smaller straight", "linux smaller through an image", "old table smaller shrink first",
    "data only, files",
}  # fmt: skip
pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")


def sh(script, *args, **more):
    return subprocess.run(
        ["sh", str(script), *map(str, args)], capture_output=True, text=True, env=ENVIRONMENT, check=False, **more
    )


@pytest.mark.parametrize("job", [job for job in JOBS if DEEP or job.name in ALWAYS], ids=lambda job: job.name)
def test_a_job_from_survey_to_finished_disk(job, tmp_path):
    made = made_source(job, tmp_path)
    plan, carrying, script = plan_and_script(job, made, tmp_path)
    assert plan.layout.sizes is not None
    assert carrying.rehearsal.safe
    before, written = digest(made.image), made.image.stat().st_mtime_ns
    target = sparse(tmp_path / "target.img", job.target * MIB)
    (tmp_path / "work").mkdir()
    told = sh(script, made.image, target, tmp_path / "work")
    assert told.returncode == 0, told.stderr
    assert "Nothing was changed" in told.stdout
    assert made.image.stat().st_mtime_ns == written
    assert target.stat().st_blocks == 0
    done = sh(script, "--go", made.image, target, tmp_path / "work")
    left = bool(list(gaps_of(carrying.ground, carrying.way.key)))
    assert done.returncode == (3 if left else 0), done.stdout + done.stderr
    for number in range(1, len(carrying.sequence.steps) + 1):
        assert f"Step {number} of {len(carrying.sequence.steps)}: " in done.stdout
    assert (digest(made.image) == before) == (job.way != "shrink-first")
    assert list((tmp_path / "work").glob("row-*")) == []
    look_at_target(job, made, plan, target, tmp_path)


# --- what it refuses, before anything is written ----------------------------------------------------------------------

TWO = (Row("ntfs", 64, "data", BASIC), Row("ext4", 64, "data", LINUX))
TINY = Job("tiny", "straight", TWO, 110, Options())


@pytest.fixture
def tiny(tmp_path):
    work = tmp_path / "tiny"
    work.mkdir()
    made = made_source(TINY, work)
    plan, carrying, script = plan_and_script(TINY, made, work, serial="QS2-4410")
    (work / "work").mkdir()
    return made, plan, carrying, script, work


def blank(work, name="target.img", mib=TINY.target):
    return sparse(work / name, mib * MIB)


def refused(script, *args, path=None):
    environment = {**ENVIRONMENT, "PATH": path} if path else ENVIRONMENT
    done = subprocess.run(
        ["/bin/sh", str(script), "--go", *map(str, args)], capture_output=True, text=True, env=environment, check=False
    )
    assert done.returncode == 2, done.stdout + done.stderr
    assert "Step 1" not in done.stdout
    assert done.stderr.startswith("Refused: ")
    return done.stderr


def test_refuses_what_is_not_as_planned(tiny):
    made, _, _, script, work = tiny
    target, room = blank(work), work / "work"
    before = digest(made.image)
    assert "planned were" in refused(script, made.image, blank(work, "larger.img", 120), room)
    assert "neither a device nor a file" in refused(script, made.image, work / "nowhere", room)
    assert "same disk" in refused(script, target, target, room)
    assert "a folder for work files" in refused(script, made.image, target)
    assert "no folder" in refused(script, made.image, target, work / "nowhere")
    assert "surveyed were" in refused(script, blank(work, "short.img", 90), target, room)
    assert "give SOURCE, TARGET" in refused(script, made.image)
    other = sparse(work / "other.img", made.image.stat().st_size)
    run("sfdisk", "--quiet", other, send="label: gpt\n\nstart=2048, size=131072\n")
    assert "not the surveyed one" in refused(script, other, target, room)
    (room / "row-1.img").write_text("left from another time")
    assert "there already" in refused(script, made.image, target, room)
    (room / "row-1.img").unlink()
    assert target.stat().st_blocks == 0
    assert digest(made.image) == before


def test_refuses_without_a_tool(tiny, tmp_path):
    made, _, _, script, work = tiny
    for name in (
        "dd",
        "sfdisk",
        "resize2fs",
        "e2fsck",
        "awk",
        "od",
        "blkid",
        "losetup",
        "flock",
        "sort",
        "cksum",
        "rm",
        "dumpe2fs",
        "ntfscat",
        "ntfsinfo",
        "ntfs-3g.probe",
    ):
        found = shutil.which(name, path=ENVIRONMENT["PATH"])
        (tmp_path / name).symlink_to(found)
    said = refused(script, made.image, blank(work), work / "work", path=str(tmp_path))
    assert "ntfsresize is missing" in said


def test_refuses_where_there_is_too_little_room(tiny, tmp_path):
    made, _, _, script, work = tiny
    # A df that tells of a full disk: the script believes the utility.
    (tmp_path / "df").write_text("#!/bin/sh\necho head\necho /dev/x 100 90 1024 99% /\n")
    (tmp_path / "df").chmod(0o755)
    said = refused(script, made.image, blank(work), work / "work", path=f"{tmp_path}:{ENVIRONMENT['PATH']}")
    assert "has 1 MiB free" in said


@pytest.fixture
def loops(tiny):
    """Source and target as devices, where this machine lets a test have them."""
    made, _, _, _, work = tiny
    target, devices = blank(work, "device.img"), []
    try:
        for image in (made.image, target):
            devices.append(run("losetup", "--find", "--show", "--partscan", image).strip())
    except (Failed, FileNotFoundError):
        for device in devices:
            run("losetup", "--detach", device)
        pytest.skip("this machine gives a test no loop devices")
    yield devices
    for device in devices:
        run("losetup", "--detach", device)


def test_refuses_another_serial_and_a_mounted_disk(tiny, loops, tmp_path):
    _, _, _, script, work = tiny
    source, target = loops
    (tmp_path / "lsblk").write_text("#!/bin/sh\necho QS2-9999\n")
    (tmp_path / "lsblk").chmod(0o755)
    path = f"{tmp_path}:{ENVIRONMENT['PATH']}"
    assert "QS2-9999, planned was QS2-4410" in refused(script, source, target, work / "work", path=path)
    run("mke2fs", "-q", target)
    place = work / "mounted"
    place.mkdir(exist_ok=True)
    run("mount", target, place)
    try:
        assert "is in use" in refused(script, source, target, work / "work")
        # The file behind a loop that is mounted is in use too.
        assert "is in use" in refused(script, source, work / "device.img", work / "work")
    finally:
        run("umount", place)


@pytest.mark.parametrize("way", ["straight", "shrink-first"])
def test_a_job_between_devices_without_devices_of_their_partitions(way, tiny, loops):
    made, _, _, _, work = tiny
    source, target = loops
    plan, _, script = plan_and_script(TINY._replace(way=way), made, work)
    before = digest(made.image)
    done = sh(script, "--go", source, target, work / "work")
    assert done.returncode == 0, done.stdout + done.stderr
    assert (digest(made.image) == before) == (way == "straight")
    look_at_target(TINY, made, plan, work / "device.img", work)


@contextlib.contextmanager
def named_partitions(device, places):
    """What a system that makes devices for partitions would show: a loop over each stretch, under its usual name."""
    made = []
    try:
        for number, first, sectors in places:
            stretch = ("--offset", first * 512, "--sizelimit", sectors * 512)
            made.append((run("losetup", "--find", "--show", *stretch, device).strip(), Path(f"{device}p{number}")))
            made[-1][1].symlink_to(made[-1][0])
        yield
    finally:
        for loop, name in made:
            name.unlink(missing_ok=True)
            run("losetup", "--detach", loop)


GROWS = Job("grows", "straight", (*TWO, Row("swap", 8, "swap", SWAP)), 300, Options())


def test_a_job_between_devices_with_devices_of_their_partitions(tmp_path):
    made = made_source(GROWS, tmp_path)
    plan, _, script = plan_and_script(GROWS, made, tmp_path)
    target, devices = blank(tmp_path, mib=GROWS.target), []
    with contextlib.ExitStack() as stack:
        try:
            for image in (made.image, target):
                devices.append(run("losetup", "--find", "--show", image).strip())
                stack.callback(run, "losetup", "--detach", devices[-1])
            stack.enter_context(
                named_partitions(devices[0], [(p.number, p.first_lba, p.sectors) for p in plan.source.rows])
            )
            stack.enter_context(named_partitions(devices[1], [(r.number, r.first_lba, r.sectors) for r in plan.rows]))
        except (Failed, OSError):
            pytest.skip("this machine gives a test no loop devices")
        done = sh(script, "--go", *devices)
        assert done.returncode == 0, done.stdout + done.stderr
    look_at_target(GROWS, made, plan, target, tmp_path)


# --- killed in between ------------------------------------------------------------------------------------------------


def killed_at(script, step, *args):
    """Run until the script says that the step begins, then kill it with its children."""
    process = subprocess.Popen(
        ["sh", str(script), "--go", *map(str, args)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        env=ENVIRONMENT, start_new_session=True,
    )  # fmt: skip
    for line in process.stdout:
        if line.startswith(f"Step {step} of"):
            break
    with contextlib.suppress(ProcessLookupError):  # it may have ended by itself
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()


def test_killed_between_any_two_steps_the_source_is_untouched_and_it_goes_on(tiny):
    made, plan, carrying, script, work = tiny
    before = digest(made.image)
    target = blank(work)
    for step in range(1, len(carrying.sequence.steps) + 1):
        again = ("--resume",) if step > 1 else ()
        killed_at(script, step, *again, made.image, target, work / "work")
        assert digest(made.image) == before
    assert "--resume goes on there" in refused(script, made.image, target, work / "work")
    done = sh(script, "--go", "--resume", made.image, target, work / "work")
    assert done.returncode == 0, done.stdout + done.stderr
    assert list((work / "work").iterdir()) == []
    look_at_target(TINY, made, plan, target, work)


def test_shrink_first_says_first_that_it_changes_the_source(tiny):
    made, _, _, _, work = tiny
    _, _, script = plan_and_script(TINY._replace(way="shrink-first"), made, work)
    told = sh(script)
    assert "makes rows on the SOURCE smaller" in told.stdout.splitlines()[0]


def test_what_it_cannot_do_is_said_before_and_left(tmp_path):
    job = Job(
        "gap", "straight",
        (Row("ext4", 64, "data", LINUX), Row("fat16", 64, "data", BASIC), Row("fat16", 64, "data", BASIC)), 300,
        Options(pins=((1, 64 * MIB), (2, 32 * MIB), (3, 90 * MIB))),
    )  # fmt: skip
    made = made_source(job, tmp_path)
    plan, _, script = plan_and_script(job, made, tmp_path)
    told = sh(script)
    assert told.stdout.index("cannot be made smaller here") < told.stdout.index("1. ")
    target = sparse(tmp_path / "target.img", job.target * MIB)
    (tmp_path / "work").mkdir()
    done = sh(script, "--go", made.image, target, tmp_path / "work")
    assert done.returncode == 3, done.stderr
    assert done.stdout.count("left for you") == 4  # two checks, a copy, a row made larger
    assert "Left for you:" in done.stdout.splitlines()[-1]
    look_at_target(job, made, plan, target, tmp_path, left=(2, 3))
