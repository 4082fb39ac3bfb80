"""What touches a disk, tried: killed and gone on with, targets that fail, bytes that do not arrive, disks that are not
the ones that were meant. Each refusal leaves both disks as they were.
"""

import contextlib
import fcntl
import os
import random
import signal
import subprocess
import time
from pathlib import Path

import pytest

from ylemorph.core.fit.options import Options
from ylemorph.core.sizes import MiB

from .jobs import LINUX, Job, Row, digest, look_at_target, made_source, plan_and_script
from .test_script import NEEDED, TINY, TWO, sh
from .volumes import ENVIRONMENT, MIB, Failed, mapped, present, run, sparse

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")


class Bench:
    """A job's source, target and folder for work files, and the script between them."""

    def __init__(self, job, work, **more):
        work.mkdir(exist_ok=True)
        self.job, self.work, self.room = job, work, work / "room"
        self.made = made_source(job, work)
        self.plan, self.carrying, self.script = plan_and_script(job, self.made, work, **more)
        self.target = sparse(work / "target.img", job.target * MIB)
        self.room.mkdir()
        self.before = digest(self.made.image)

    def go(self, *options, source=None, target=None, path=None, room=True):
        environment = {**ENVIRONMENT, "PATH": f"{path}:{ENVIRONMENT['PATH']}"} if path else ENVIRONMENT
        words = [*options, source or self.made.image, target or self.target, *([self.room] if room else [])]
        return subprocess.run(
            ["sh", str(self.script), "--go", *map(str, words)], capture_output=True, text=True, env=environment,
            check=False,
        )  # fmt: skip

    def finished(self, done):
        assert done.returncode == 0, done.stdout + done.stderr
        assert digest(self.made.image) == self.before
        look_at_target(self.job, self.made, self.plan, self.target, self.work)


@contextlib.contextmanager
def looped(*images, options=()):
    """Images as devices, where this machine lets a test have them."""
    devices = []
    try:
        for image in images:
            try:
                devices.append(run("losetup", "--find", "--show", *options, image).strip())
            except (Failed, FileNotFoundError):
                pytest.skip("this machine gives a test no loop devices")
        yield devices
    finally:
        for device in devices:
            run("losetup", "--detach", device)


# --- killed at any moment, and gone on with ---------------------------------------------------------------------------

MOVED = Job("moved", "restore", (*TWO, Row("ext4", 48, "data", LINUX)), 220, Options(fit="rest-to-one", grow=1))
TURNED = Job("turned", "restore", TWO, 220, Options(order=(2, 1)))
SHORT_WAY = Job("a short way", "restore", (Row("ext4", 48, "data", LINUX, 3), *TWO), 200, Options(fit="same"))


def killed_after(bench, seconds, *options, source=None):
    process = subprocess.Popen(
        ["sh", bench.script, "--go", *options, source or bench.made.image, bench.target, bench.room],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=ENVIRONMENT, start_new_session=True,
    )  # fmt: skip
    with contextlib.suppress(subprocess.TimeoutExpired):
        process.wait(seconds)
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


@pytest.mark.parametrize("job", [TINY, MOVED, *((TURNED, SHORT_WAY) if DEEP else ())], ids=lambda job: job.name)
def test_killed_at_any_moment_it_goes_on_to_the_same_end(job, tmp_path):
    """Three times in a row at random moments of what is left, then to its end: every hash equal, source untouched."""
    bench, rest = Bench(job, tmp_path / "bench"), random.Random(7)
    began = time.monotonic()
    bench.finished(bench.go())
    whole = time.monotonic() - began  # only for where to kill; nothing is asserted of it
    for _ in range(34 if DEEP else 2):
        sparse(bench.target, job.target * MIB)
        for file in bench.room.iterdir():
            file.unlink()
        for number in range(3):
            journal = bench.room / "ylemorph-journal"
            options = ("--resume",) if number and journal.exists() and "\nnew " in journal.read_text() else ()
            if not options:
                for file in bench.room.iterdir():
                    file.unlink()
            killed_after(bench, whole * rest.random(), *options)
            assert digest(bench.made.image) == bench.before
        journal = bench.room / "ylemorph-journal"
        if journal.exists() and "\nnew " in journal.read_text():
            bench.finished(bench.go("--resume"))
        elif journal.exists():  # cut off before anything was written
            bench.finished(bench.go())
        else:  # ended, perhaps killed while it cleared: what it kept disturbs no later run
            look_at_target(job, bench.made, bench.plan, bench.target, bench.work)
            sparse(bench.target, job.target * MIB)
            bench.finished(bench.go())
        assert [file.name for file in bench.room.iterdir()] == []
    assert str(bench.work) not in run("losetup", "--list", "--output", "BACK-FILE")


def test_a_move_that_was_cut_off_goes_on_at_the_block_that_is_not_yet_whole(tmp_path):
    """The copy of a row over itself: what was journaled is not moved again, since its old place holds other bytes."""
    bench = Bench(MOVED, tmp_path / "bench")
    stopping = tmp_path / "bin"
    stopping.mkdir()
    # A dd that ends the run where the third block of a move is journaled.
    (stopping / "dd").write_text(
        "#!/bin/sh\ncase $* in *ylemorph-moved-*oflag=append*)\n"
        f"  echo x >> {tmp_path}/count; [ $(wc -l < {tmp_path}/count) -ne 3 ] || kill -9 $PPID ;; esac\n"
        'exec /bin/dd "$@"\n'
    )
    (stopping / "dd").chmod(0o755)
    done = bench.go(path=stopping)
    assert done.returncode == -signal.SIGKILL
    assert list(bench.room.glob("ylemorph-move-*"))
    bench.finished(bench.go("--resume"))


def test_what_a_run_left_that_was_killed_while_it_cleared_disturbs_no_later_one(tmp_path):
    bench = Bench(MOVED, tmp_path / "bench")
    stopping = tmp_path / "bin"
    stopping.mkdir()
    # An rm that takes the journal and then ends the run, before what the steps kept is taken.
    (stopping / "rm").write_text(
        '#!/bin/sh\n/bin/rm "$@"\ncase $* in *ylemorph-journal*ylemorph-lock*) kill -9 $PPID ;; esac\n'
    )
    (stopping / "rm").chmod(0o755)
    assert bench.go(path=stopping).returncode == -signal.SIGKILL
    look_at_target(MOVED, bench.made, bench.plan, bench.target, bench.work)
    left = next(bench.room.glob("ylemorph-move-*"))
    other = left.rename(bench.room / "ylemorph-batch-99")  # of a longer plan
    sparse(bench.target, MOVED.target * MIB)
    killed_until(bench, "Step 1 of")
    assert not other.exists()
    (bench.room / "ylemorph-journal").unlink()
    sparse(bench.target, MOVED.target * MIB)
    bench.finished(bench.go())
    assert list(bench.room.iterdir()) == []


def test_disks_that_are_no_longer_those_are_not_gone_on_with(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    nothing = bench.go("--resume")
    assert (nothing.returncode, "no run in" in nothing.stderr) == (2, True)
    killed_until(bench, "Step 4 of")
    other = sparse(tmp_path / "other.img", TINY.target * MIB)
    run("sfdisk", "--quiet", other, send="label: gpt\n\nstart=2048, size=4096\n")
    mark = digest(other)
    refused = bench.go("--resume", target=other)
    assert (refused.returncode, "not the disk of that run" in refused.stderr) == (2, True)
    assert digest(other) == mark
    text = bench.script.read_text()
    bench.script.write_text(text.replace(" PLAN=", " PLAN=another"))
    refused = bench.go("--resume")
    assert (refused.returncode, "another plan" in refused.stderr) == (2, True)
    bench.script.write_text(text)
    bench.finished(bench.go("--resume"))


def test_before_its_table_is_written_only_the_disk_of_that_run_will_do(tmp_path):
    """Blank or as it was; never one that carries something else, be it the source's own identity."""
    bench = Bench(TINY, tmp_path / "bench")
    killed_until(bench, "Step 1 of")
    for identity in ("11111111-2222-3333-4444-55555555ABCD", bench.plan.source.table_id):
        other = gpt(sparse(tmp_path / "other.img", TINY.target * MIB), more=f"label-id: {identity}\n")
        mark = digest(other)
        refused = bench.go("--resume", target=other)
        assert (refused.returncode, "not the disk of that run" in refused.stderr) == (2, True)
        assert digest(other) == mark
    bench.finished(bench.go("--resume"))


def test_a_source_that_was_being_made_smaller_is_gone_on_with(tmp_path):
    """What was resized there wants a check by its system; that is this run's own doing, and no reason to refuse."""
    bench = Bench(TINY._replace(way="shrink-first"), tmp_path / "bench")
    last = max(n for n, step in enumerate(bench.carrying.sequence.steps, 1) if step.kind == "shrink")
    killed_until(bench, f"Step {last + 1} of")
    done = bench.go("--resume")
    assert done.returncode == 0, done.stdout + done.stderr
    look_at_target(bench.job, bench.made, bench.plan, bench.target, bench.work)


def killed_until(bench, line):
    process = subprocess.Popen(
        ["sh", str(bench.script), "--go", str(bench.made.image), str(bench.target), str(bench.room)],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=ENVIRONMENT, start_new_session=True,
    )  # fmt: skip
    for said in process.stdout:
        if said.startswith(line):
            break
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()


# --- targets that fail ------------------------------------------------------------------------------------------------


def ended_badly(done):
    assert done.returncode == 1, done.stdout + done.stderr
    assert "Done" not in done.stdout
    assert "Stopped: step " in done.stdout
    assert "Failed: " in done.stderr


def test_a_target_that_is_full_underneath_is_never_done(tmp_path):
    """A loop device over a sparse file on a file system with less room than the file promises: the writes go into
    memory and fail when they are flushed."""
    bench = Bench(TINY, tmp_path / "bench")
    place = tmp_path / "small"
    place.mkdir()
    try:
        run("mount", "-t", "tmpfs", "-o", "size=20m", "tmpfs", place)
    except (Failed, FileNotFoundError):
        pytest.skip("this machine lets a test mount nothing")
    try:
        with looped(sparse(place / "target.img", TINY.target * MIB)) as (target,):
            ended_badly(bench.go(target=target))
    finally:
        run("umount", place)
    assert digest(bench.made.image) == bench.before


def test_a_target_that_is_read_only_ends_at_the_first_write(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    with looped(bench.target, options=("--read-only",)) as (target,):
        done = bench.go(target=target)
    ended_badly(done)
    assert bench.target.stat().st_blocks == 0


def wrapped(work, name, text):
    """A utility of that name before the real one, which it calls as ``real``."""
    work.mkdir(exist_ok=True)
    real = next(place for place in ENVIRONMENT["PATH"].split(":") if (Path(place) / name).exists())
    (work / name).write_text(f'#!/bin/sh\nreal() {{ {real}/{name} "$@"; }}\n{text}')
    (work / name).chmod(0o755)
    return work


def test_a_source_that_ends_early_ends_the_step(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    cut = f'case $* in *if={bench.made.image}*skip=[1-9]*) real "$@" | head -c 4096; exit 0 ;; esac\nreal "$@"\n'
    done = bench.go(path=wrapped(tmp_path / "bin", "dd", cut))
    ended_badly(done)
    assert "ends early" in done.stderr


@pytest.mark.parametrize("verify", [True, False])
def test_one_bit_that_turns_over_is_found_by_reading_back(verify, tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    place = bench.plan.rows[0].first_lba * 512 + 0x80  # words in the boot code
    turn = (
        f'real "$@" || exit $?\ncase $* in *of={bench.target}*seek=*) [ ! -e {tmp_path}/wait ] || exit 0\n'
        f"  [ $(wc -c < {bench.target}) -gt {place} ] || exit 0\n"
        f"  byte=$(real if={bench.target} bs=1 skip={place} count=1 status=none | od -An -tu1)\n"
        '  [ "$byte" -ne 0 ] || exit 0\n'
        f'  printf "\\\\$(printf %03o $((byte ^ 1)))" |'
        f" real of={bench.target} bs=1 seek={place} conv=notrunc status=none\n"
        f"  : > {tmp_path}/wait ;; esac\n"
    )
    done = bench.go(*([] if verify else ["--no-verify"]), path=wrapped(tmp_path / "bin", "dd", turn))
    assert (tmp_path / "wait").exists()
    if verify:
        ended_badly(done)
        assert "reads back as something else" in done.stderr
    else:
        assert done.returncode == 0, done.stderr


def test_a_folder_that_fills_up_can_be_gone_on_with(tmp_path):
    """The room was there when it began and is gone in the middle; with room again it goes on."""
    job = Job("room", "through-image", TWO, 110, Options(), facts=TINY.facts.but(workspace=2**40))
    bench = Bench(job, tmp_path / "bench")
    full = (
        f"case $* in *of={bench.room}/row-*seek=*) [ -e {tmp_path}/full ] && "
        '{ echo "No space left on device" >&2; exit 1; } ;; esac\nreal "$@"\n'
    )
    (tmp_path / "full").touch()
    ended_badly(bench.go(path=wrapped(tmp_path / "bin", "dd", full)))
    assert digest(bench.made.image) == bench.before
    (tmp_path / "full").unlink()
    bench.finished(bench.go("--resume"))


# --- what is refused --------------------------------------------------------------------------------------------------


def is_refused(bench, done, words):
    assert done.returncode == 2, done.stdout + done.stderr
    assert words in done.stderr
    assert done.stderr.startswith("Refused: ")
    assert done.stderr.count("\n") == 1
    assert "Step 1" not in done.stdout
    assert digest(bench.made.image) == bench.before


def gpt(path, rows="start=2048, size=4096", more=""):
    run("sfdisk", "--quiet", path, send=f"label: gpt\n{more}\n{rows}\n")
    return path


def test_a_target_that_holds_anything_is_refused_until_it_is_confirmed(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    gpt(bench.target, more="label-id: 11111111-2222-3333-4444-55555555ABCD\n")
    mark = digest(bench.target)
    is_refused(bench, bench.go(), "holds 1 partitions; look at it, and if it may all go give --overwrite ABCD")
    is_refused(bench, bench.go("--overwrite", "ABCE"), "does not confirm it")
    assert digest(bench.target) == mark
    bench.finished(bench.go("--overwrite", "ab-cd"))


def test_a_file_system_without_a_table_is_something_too(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    run("mke2fs", "-q", "-F", "-U", "11111111-2222-3333-4444-55555555fe01", bench.target)
    is_refused(bench, bench.go(), "holds ext2; look at it, and if it may all go give --overwrite FE01")


def test_what_was_confirmed_in_the_plan_must_still_be_that(tmp_path):
    from ylemorph.core.carry.carrying import carry_out
    from ylemorph.core.disk.compare import confirmation
    from ylemorph.core.fit.plan import make_plan
    from ylemorph.formats.documents.shell_script import script_of
    from ylemorph.probe.disks import survey_path

    bench = Bench(TINY, tmp_path / "bench")
    gpt(bench.target, more="label-id: 11111111-2222-3333-4444-55555555ABCD\n")
    source, target = survey_path(bench.made.image).disk, survey_path(bench.target).disk
    options = TINY.options.but(roles=bench.made.roles, overwrite=confirmation(target, source))
    bench.plan = make_plan(source, target, options)
    bench.script.write_text(script_of(carry_out(bench.plan, TINY.facts, TINY.way)))
    other = gpt(sparse(tmp_path / "other.img", TINY.target * MIB))
    mark = digest(other)
    is_refused(bench, bench.go(target=other), "not what was confirmed")
    assert digest(other) == mark
    bench.finished(bench.go())


def test_an_earlier_clone_and_exchanged_disks_are_refused(tmp_path):
    """After a clone at equal sizes both carry one identity and one table: the second time either is the target."""
    same = Job("same", "straight", TWO, 137, Options(fit="same", identity="keep"))
    bench = Bench(same, tmp_path / "bench")
    bench.finished(bench.go())
    is_refused(bench, bench.go(), "with the identity of the source: an earlier clone, or the two are exchanged")
    mark = digest(bench.target)
    exchanged = bench.go(source=bench.target, target=bench.made.image)
    is_refused(bench, exchanged, "with the identity of the source")
    assert digest(bench.target) == mark


def test_another_source_with_the_same_table_is_refused(tmp_path):
    """A source made by the same image, whose file system or identity is another."""
    bench = Bench(TINY, tmp_path / "bench")
    other = tmp_path / "other.img"
    run("cp", "--sparse=always", bench.made.image, other)
    run("sfdisk", "--quiet", "--disk-id", other, "11111111-2222-3333-4444-55555555ABCD")
    is_refused(bench, bench.go(source=other), "has the identity 11111111-2222-3333-4444-55555555abcd, surveyed was")
    run("cp", "--sparse=always", bench.made.image, other)
    place = next(row for row in bench.plan.rows if row.kind == "ext4").row.partition.first_lba * 512
    run("tune2fs", "-U", "11111111-2222-3333-4444-55555555fe01", f"{other}?offset={place}")
    is_refused(bench, bench.go(source=other), "is another file system than the surveyed one")
    assert bench.target.stat().st_blocks == 0


def test_another_serial_than_the_surveyed_one_is_another_source(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    text = bench.script.read_text()
    bench.script.write_text(text.replace("SOURCE_SERIAL=''", "SOURCE_SERIAL='BK4-00731'"))
    tells = wrapped(tmp_path / "bin", "lsblk", "echo BK4-9999\n")
    with looped(bench.made.image) as (source,):
        is_refused(bench, bench.go(source=source, path=tells), "has the serial BK4-9999, surveyed was BK4-00731")


def test_a_part_of_a_disk_is_no_disk(tmp_path):
    """Where the kernel has a partition at hand; it is only looked at."""
    parts = [Path("/dev") / place.parent.name for place in Path("/sys/class/block").glob("*/partition")]
    if not parts:
        pytest.skip("this machine has no partition")
    bench = Bench(TINY, tmp_path / "bench")
    is_refused(bench, bench.go(source=parts[0]), "is a partition; give its whole disk")


def test_what_is_not_closed_on_the_day_is_refused(tmp_path):
    """Planted after the survey: a hibernation, an ext that wants its journal, one with errors."""
    bench = Bench(TINY, tmp_path / "bench")
    ntfs, ext = (
        next(row for row in bench.plan.rows if row.kind == kind).row.partition.first_lba * 512
        for kind in ("ntfs", "ext4")
    )
    (tmp_path / "hiber").write_bytes(b"hibr" + bytes(8188))
    with looped(bench.made.image, options=("--offset", ntfs, "--sizelimit", 64 * MIB)) as (volume,):
        run("ntfscp", "--quiet", volume, tmp_path / "hiber", "hiberfil.sys")
    bench.before = digest(bench.made.image)
    is_refused(bench, bench.go(), "sleeps (hibernation or fast start)")
    assert bench.target.stat().st_blocks == 0
    for field, value, words in (
        ("state", "0", "was not closed"), ("feature", "needs_recovery", "wants its journal"),
    ):  # fmt: skip
        bench = Bench(TINY, tmp_path / field)
        with looped(bench.made.image, options=("--offset", ext, "--sizelimit", 64 * MIB)) as (volume,):
            command = "feature" if field == "feature" else f"ssv {field}"
            run("debugfs", "-w", "-R", f"{command} {value}", volume)
        bench.before = digest(bench.made.image)
        is_refused(bench, bench.go(), words)


def test_names_that_look_like_something_else_are_paths_all_the_same(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    for name in ("a disk, size=4096, start= 7.img", "-disk.img"):
        (bench.work / name).symlink_to(bench.made.image)
        sparse(bench.target, TINY.target * MIB)
        done = subprocess.run(
            ["sh", str(bench.script), "--go", name, str(bench.target), str(bench.room)], capture_output=True, text=True,
            env=ENVIRONMENT, check=False, cwd=bench.work,
        )  # fmt: skip
        bench.finished(done)


def test_a_log_lands_on_no_disk_and_in_nobody_elses_file(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    kept = tmp_path / "kept.txt"
    kept.write_text("somebody's own words, and a good many of them too\n")
    is_refused(bench, bench.go("--log", kept), "is no log of such a script")
    assert kept.read_text().count("\n") == 1
    is_refused(bench, bench.go("--log", bench.made.image), "is one of the disks")
    is_refused(bench, bench.go("--log", bench.target), "is one of the disks")
    with looped(sparse(tmp_path / "other.img", MIB)) as (device,):
        is_refused(bench, bench.go("--log", device), "is no file that a log could be written to")
    assert (tmp_path / "other.img").stat().st_blocks == bench.target.stat().st_blocks == 0


def test_files_of_others_in_the_folder_stay_as_they_are(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    for name in ("runs", "pieces", "move-1", "batch-0", "journal", "lock"):
        (bench.room / name).write_text("somebody's own\n")
    (bench.work / "target.img.blank").write_text("somebody's own\n")
    bench.finished(bench.go())
    assert {file.read_text() for file in bench.room.iterdir()} == {"somebody's own\n"}
    assert (bench.work / "target.img.blank").read_text() == "somebody's own\n"


def test_two_runs_at_once_are_refused_by_folder_and_by_target(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    for locked, words in ((bench.target, "works on"), (bench.room / "ylemorph-lock", "another run is at work")):
        locked.touch()
        with locked.open() as held:
            fcntl.flock(held, fcntl.LOCK_EX)
            is_refused(bench, bench.go(), words)


@pytest.mark.parametrize("way", ["straight", "through-image", "shrink-first"] if DEEP else ["through-image"])
def test_without_loop_devices_rows_go_over_whole(way, tmp_path):
    facts = TINY.facts.but(workspace=2**40)
    bench = Bench(TINY._replace(way=way, facts=facts), tmp_path / "bench")
    done = bench.go(path=wrapped(tmp_path / "bin", "losetup", "exit 1\n"))
    assert done.returncode == 0, done.stdout + done.stderr
    look_at_target(bench.job, bench.made, bench.plan, bench.target, bench.work)


def test_wrong_words_are_refused(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    is_refused(bench, bench.go("--fast"), "--fast is no option of this script")
    is_refused(bench, sh(bench.script, "--go", "--overwrite"), "--overwrite wants a word behind it")
    is_refused(bench, bench.go("--log", tmp_path / "nowhere" / "log"), "cannot be written; give --log FILE")
    is_refused(bench, sh(bench.script, "--go", bench.made.image), "give SOURCE, TARGET")


def test_two_names_of_one_disk_and_parts_of_one_are_refused(tmp_path):
    bench = Bench(Job("one", "straight", TWO, 137, Options(fit="same")), tmp_path / "bench")
    link = bench.work / "link.img"
    link.symlink_to(bench.made.image)
    is_refused(bench, bench.go(target=link), "are the same disk")
    os.link(bench.made.image, bench.work / "hard.img")
    is_refused(bench, bench.go(target=bench.work / "hard.img"), "are the same disk")
    with looped(bench.made.image, bench.made.image) as (one, two):
        is_refused(bench, bench.go(source=one, target=two), "are the same disk")
        is_refused(bench, bench.go(target=two), "are the same disk")


def test_a_target_in_use_is_refused(tmp_path):
    bench = Bench(TINY, tmp_path / "bench")
    with looped(bench.target) as (target,):
        run("mkswap", target)
        try:
            run("swapon", target)
        except (Failed, FileNotFoundError):
            pytest.skip("this machine lets a test have no swap")
        try:
            is_refused(bench, bench.go(target=target), "is in use")
            is_refused(bench, bench.go(), "is in use")  # the file behind it
        finally:
            run("swapoff", target)


def test_a_second_disk_of_a_mounted_file_system_is_in_use(tmp_path):
    bench = Bench(Job("btrfs", "straight", TWO, 160, Options()), tmp_path / "bench")
    first, place = sparse(tmp_path / "first.img", 160 * MIB), tmp_path / "mounted"
    place.mkdir()
    with looped(first, bench.target) as (one, two):
        try:
            run("mkfs.btrfs", "-q", "-d", "single", "-m", "single", one, two)
            run("btrfs", "device", "scan")
            run("mount", one, place)
        except (Failed, FileNotFoundError):
            pytest.skip("this machine mounts no btrfs")
        try:
            is_refused(bench, bench.go(target=two), "is in use")
        finally:
            run("umount", place)


def test_an_unanswered_stop_ends_the_steps_too(tmp_path):
    from ylemorph.cli import main

    bench = Bench(TINY, tmp_path / "bench")
    gpt(bench.target)
    out = tmp_path / "steps.sh"
    words = ["steps", str(bench.made.image), "--target", str(bench.target), "--format", "sh", "--out", str(out)]
    assert main(words) == 1
    assert "holds 1 partitions" in bench.go().stderr
    assert main([*words, "--overwrite", confirmation_of(bench)]) == 0


# --- what stood there before ------------------------------------------------------------------------------------------


def test_old_marks_do_not_come_back(tmp_path):
    """md's superblocks of both ends, an old table's backup, and a file system where nothing is copied to."""
    from ylemorph.probe.disks import survey_path

    bench = Bench(TINY, tmp_path / "bench")
    size = TINY.target * MIB
    with bench.target.open("r+b") as file:
        for row in bench.plan.rows:
            start, length = row.first_lba * 512, row.sectors * 512
            for place in (start + length - 65_536, start + length - 8192, start + 65_536 + 64):
                file.seek(place)
                file.write(b"\xfc\x4e\x2b\xa9" + bytes([place % 65_536 != 0, 0, 0, 0]) + b"old mark" * 16)
        for place in (512, size - 512, size - 65_536, size - 8192):
            file.seek(place)
            file.write(b"EFI PART" + b"old mark" * 16)
    gpt(bench.target)
    done = bench.go("--overwrite", confirmation_of(bench))
    bench.finished(done)
    data = mapped(bench.target)
    ends = [(0, MiB), (size - MiB, size)]
    for row in bench.plan.rows:
        start, stop = row.first_lba * 512, (row.first_lba + row.sectors) * 512
        ends += [(start, start + MiB), (stop - MiB, stop)]
    assert [place for place in ends if b"old mark" in bytes(data[slice(*place)])] == []
    assert survey_path(bench.target).disk.old_marks == ()


def confirmation_of(bench):
    told = bench.go().stderr
    return told.split("--overwrite ")[1].split()[0]
