"""From what a target holds already to the plan, by the script, on real file systems (rule 15)."""

import random
import shutil

import pytest

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.shell_script import script_of
from ylemorph.probe.disks import survey_path

from .jobs import BASIC, EFI, LINUX, RECOVERY, Job, Row, digest, look_at_target, made_source, put
from .test_hands import DEEP, Bench, killed_after, killed_until, looped
from .test_script import NEEDED
from .volumes import MIB, mapped, present, run, sparse

pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")
NO_ROOM = Headroom(0, 0, 0)
ROWS = (
    Row("fat16", 24, "start", EFI), Row("ntfs", 80, "system", BASIC), Row("ext4", 64, "data", LINUX),
    Row("ntfs", 40, "recovery", RECOVERY),
)  # fmt: skip
LARGER = Job("larger", "straight", ROWS, 340, Options(fit="rest-to-one", grow=2, headroom=NO_ROOM))
SAME = Job("same sizes", "straight", ROWS, 340, Options(fit="same", headroom=NO_ROOM))
SMALLER = Job("smaller", "straight", ROWS, 190, Options(headroom=NO_ROOM))
LINUX_GROWS = Job("linux grows", "straight", ROWS, 340, Options(fit="rest-to-one", grow=3, headroom=NO_ROOM))


# --- what was found: each puts it on the target -----------------------------------------------------------------------


def old_sizes(bench):
    """A clone by a copier that changes nothing: all rows at the old places, the disk's end never taken into use."""
    put(bench.made.image, 0, bench.target, 0, min(bench.made.image.stat().st_size, bench.target.stat().st_size))


def finished(bench):
    done = bench.go()
    assert done.returncode in (0, 3), done.stderr
    for file in bench.room.iterdir():
        file.unlink()


def place_of(bench, row):
    return next(p for p in survey_path(bench.target).disk.rows if p.number == row)


def last_missing(bench):
    finished(bench)
    gone = place_of(bench, 4)
    run("sfdisk", "--quiet", "--delete", bench.target, "4")
    with bench.target.open("r+b") as disk:
        disk.seek(gone.first_lba * 512)
        disk.write(bytes(gone.sectors * 512))


def moved_by_hand(by, row=4):
    """One row stands elsewhere, by so many MiB; it may overlap its own place."""

    def make(bench):
        finished(bench)
        one = place_of(bench, row)
        start, size = one.first_lba * 512, one.sectors * 512
        content = bytes(mapped(bench.target)[start : start + size])
        with bench.target.open("r+b") as disk:
            disk.seek(start)
            disk.write(bytes(size))
            disk.seek(start + by * MIB)
            disk.write(content)
        run(
            "sfdisk",
            "--quiet",
            "-N",
            str(row),
            bench.target,
            send=f"start={(start + by * MIB) // 512}, size={size // 512}\n",
        )

    return make


def stopped(step):
    """The script was killed when so many steps were done, and its folder thrown away."""

    def make(bench):
        killed_until(bench, f"Step {step} of")
        for file in bench.room.iterdir():
            file.unlink()

    return make


CASES = {
    "old sizes, system extended": (LARGER, old_sizes, ()),
    "old sizes, linux extended": (LINUX_GROWS, old_sizes, ()),
    "old sizes, same": (SAME, old_sizes, ()),
    "last row missing": (LARGER, last_missing, ()),
    "last row missing, smaller": (SMALLER, last_missing, ()),
    "moved a little": (SAME, moved_by_hand(7), ()),
    "moved far": (SAME, moved_by_hand(60), ()),
    "stopped before the third row": (LARGER, stopped(7), (3, 4)),
}
USUAL = ("old sizes, system extended", "stopped before the third row")


class Finish(Bench):
    def __init__(self, case, work):
        job, find, again = CASES[case]
        super().__init__(job, work)
        find(self)
        self.start = work / "start.img"
        shutil.copyfile(self.target, self.start)
        there = survey_path(self.target).disk
        facts = Facts(both_attached="yes", found_right="yes", again=frozenset(again))
        self.carrying = carry_out(self.plan, facts, "finish", there=there)
        self.script.write_text(script_of(self.carrying))

    def again(self):
        shutil.copyfile(self.start, self.target)
        for file in self.room.iterdir():
            file.unlink()

    @property
    def kinds(self):
        return [(step.kind, step.row) for step in self.carrying.sequence.steps]


@pytest.mark.parametrize("case", CASES if DEEP else USUAL)
def test_from_what_is_found_to_the_plan(case, tmp_path):
    """Hashes equal, utilities clean, check silent; then killed at random moments and gone on with, to the same end."""
    bench, rest = Finish(case, tmp_path / "bench"), random.Random(case)
    done = bench.go()
    bench.finished(done)
    assert [file.name for file in bench.room.iterdir()] == []
    for number in range(3 if DEEP else 1):
        bench.again()
        killed_after(bench, 0.3 + rest.random() * 2)
        journal = bench.room / "ylemorph-journal"
        if journal.exists() and "\nnew " in journal.read_text():
            bench.finished(bench.go("--resume"))
        else:
            bench.again()
        assert digest(bench.made.image) == bench.before, number


def test_what_is_right_is_not_touched(tmp_path):
    """After an ordinary clone at the old sizes: the end row moved, the system extended, the others as they are."""
    bench = Finish("old sizes, system extended", tmp_path / "bench")
    kinds = bench.kinds
    assert not [kind for kind, _ in kinds if kind == "copy"]
    assert ("grow", 2) in kinds
    assert 1 not in {row for _, row in kinds}
    done = bench.go(source="-")  # nothing is copied: the source need not be there
    bench.finished(done)


def test_a_target_that_is_no_longer_as_it_was_found_is_refused(tmp_path):
    bench = Finish("old sizes, system extended", tmp_path / "bench")
    run("sfdisk", "--quiet", "--delete", bench.target, "4")
    before = digest(bench.target)
    for words in ((), ("--overwrite", "anything")):
        refused = bench.go(*words)
        assert (refused.returncode, "no longer as it was found" in refused.stderr) == (2, True), refused.stderr
    sparse(bench.target, bench.job.target * MIB)
    blank = digest(bench.target)
    assert (bench.go().returncode, digest(bench.target)) == (2, blank)
    assert before != blank


def test_the_source_is_asked_for_where_something_is_missing(tmp_path):
    bench = Finish("last row missing", tmp_path / "bench")
    assert ("copy", 4) in bench.kinds
    before = digest(bench.target)
    refused = bench.go(source="-")
    assert (refused.returncode, "the source is needed" in refused.stderr) == (2, True)
    assert digest(bench.target) == before


def test_where_all_is_right_nothing_is_left_to_do(tmp_path):
    bench = Bench(SAME, tmp_path / "bench")
    finished(bench)
    look_at_target(bench.job, bench.made, bench.plan, bench.target, bench.work)
    with pytest.raises(BadOption, match="everything stands as planned"):
        carry_out(bench.plan, Facts(), "finish", there=survey_path(bench.target).disk)


# --- source and target are one disk -----------------------------------------------------------------------------------

ROOMY = Job("one disk", "finish", ROWS, 340, Options(), source=340)
REFITS = {
    "system past the end row": Options(fit="rest-to-one", grow=2, headroom=NO_ROOM),
    "smaller and larger": Options(pins=((3, 40 * MIB),), fit="rest-to-one", grow=2, headroom=NO_ROOM),
    "free space at the end": Options(fit="snug", headroom=NO_ROOM),
    "another order": Options(fit="same", order=(1, 2, 4, 3), headroom=NO_ROOM),
}


class OneDisk(Bench):
    """The disk that is refitted is the target; the source's image is kept to compare with."""

    def __init__(self, options, work):
        work.mkdir()
        self.job, self.work, self.room = ROOMY, work, work / "room"
        self.room.mkdir()
        self.made = made_source(ROOMY, work)
        self.before, self.target = digest(self.made.image), work / "disk.img"
        disk = survey_path(self.made.image).disk
        self.plan = make_plan(disk, disk, options.but(in_place="yes", roles=self.made.roles))
        self.carrying = carry_out(self.plan, Facts(backup="yes"))
        self.script = work / "refit.sh"
        self.script.write_text(script_of(self.carrying))
        self.again()

    def again(self):
        shutil.copyfile(self.made.image, self.target)
        for file in self.room.iterdir():
            file.unlink()

    def go(self, *options, **more):
        return super().go(*options, **{"source": "-", **more})


@pytest.mark.parametrize("refit", REFITS if DEEP else ("another order",))
def test_one_disk_is_refitted_in_place(refit, tmp_path):
    bench, rest = OneDisk(REFITS[refit], tmp_path / "bench"), random.Random(refit)
    assert bench.carrying.way.key == "finish"
    assert not [step for step in bench.carrying.sequence.steps if step.kind in ("copy", "read")]
    bench.finished(bench.go())
    for _ in range(3 if DEEP else 1):
        bench.again()
        killed_after(bench, 0.3 + rest.random() * 2, source="-")
        journal = bench.room / "ylemorph-journal"
        if journal.exists() and "\nnew " in journal.read_text():
            bench.finished(bench.go("--resume"))


def test_a_disk_that_changed_since_is_not_refitted(tmp_path):
    bench = OneDisk(REFITS["system past the end row"], tmp_path / "bench")
    run("sfdisk", "--quiet", "--delete", bench.target, "4")
    before = digest(bench.target)
    refused = bench.go()
    assert (refused.returncode, "no longer as it was found" in refused.stderr) == (2, True)
    assert digest(bench.target) == before


def test_what_is_no_row_of_the_plan_is_not_overwritten_unconfirmed(tmp_path):
    """Somebody's partition behind an earlier clone: all stands as it was found, and still nobody gave it away."""

    def with_another(bench):
        old_sizes(bench)
        run("sfdisk", "--quiet", "--append", bench.target, send="start=510000, size=40960\n")

    CASES["with another"] = (LARGER, with_another, ())
    bench = Finish("with another", tmp_path / "bench")
    del CASES["with another"]
    before = digest(bench.target)
    refused = bench.go()
    assert (refused.returncode, "if it may all go give --overwrite" in refused.stderr) == (2, True), refused.stderr
    assert digest(bench.target) == before


def test_a_row_that_sleeps_on_the_day_is_not_worked_on(tmp_path):
    """A hibernation planted in the system row of the disk that is to be refitted."""
    bench = OneDisk(REFITS["system past the end row"], tmp_path / "bench")
    row = place_of(bench, 2)
    (tmp_path / "hiber").write_bytes(b"hibr" + bytes(8188))
    with looped(bench.target, options=("--offset", row.first_lba * 512, "--sizelimit", row.sectors * 512)) as (volume,):
        run("ntfscp", "--quiet", volume, tmp_path / "hiber", "hiberfil.sys")
    before = digest(bench.target)
    refused = bench.go()
    assert (refused.returncode, "sleeps (hibernation or fast start)" in refused.stderr) == (2, True), refused.stderr
    assert digest(bench.target) == before
