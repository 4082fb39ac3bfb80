"""The lines to paste, done one after the other on real file systems: each picks its disk, and the plan is what stands
there afterwards."""

import os
import subprocess
import tempfile
from contextlib import contextmanager
from pathlib import Path

import pytest
import tree_sitter_powershell
from filelock import FileLock
from tree_sitter import Language, Parser

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.sequence import STEP_KINDS, Step
from ylemorph.core.disk.model import Disk, Health
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import Extent
from ylemorph.formats.documents.lines import lines_of
from ylemorph.probe.disks import survey_path

from .jobs import BASIC, EFI, LINUX, RECOVERY, SWAP, Job, Row, digest, look_at_target, made_source, put
from .test_hands import DEEP
from .test_script import NEEDED
from .volumes import ENVIRONMENT, MIB, mapped, present, run, sparse

TOOLS = (*NEEDED, "losetup", "lsblk")
pytestmark = pytest.mark.skipif(not present(*TOOLS) or os.geteuid() != 0, reason="root and the utilities are needed")
ROWS = (
    Row("fat16", 24, "start", EFI), Row("ntfs", 80, "system", BASIC), Row("ext4", 64, "data", LINUX),
    Row("swap", 16, "swap", SWAP), Row("ntfs", 40, "recovery", RECOVERY),
)  # fmt: skip
# Sizes that no other test has, since disks without a serial are picked by theirs.
SMALLER = Job("by hand, smaller", "shrink-first", ROWS, 197, Options(headroom=Headroom(0, 0, 0)))
LARGER = Job("by hand, larger", "shrink-first", ROWS, 357, Options(headroom=Headroom(0, 0, 0)))
FACTS = Facts(both_attached="yes", change_source="yes", backup="yes")


class Machine:
    """Disks as loop devices, with a node for each row as a kernel gives it for a real disk."""

    def __init__(self):
        self.disks, self.nodes = [], []

    def attach(self, image):
        device = run("losetup", "--find", "--show", image).strip()
        self.disks.append(device)
        return device

    def look_again(self):
        self.forget()
        for disk in self.disks:
            done = subprocess.run(["sfdisk", "--dump", disk], capture_output=True, text=True, check=False)
            for line in done.stdout.splitlines():
                if line.startswith(disk):
                    node, _, rest = line.partition(":")
                    start, size = (int(part.split("=")[1]) * 512 for part in rest.split(",")[:2])
                    loop = run("losetup", "--find", "--show", "--offset", start, "--sizelimit", size, disk).strip()
                    os.symlink(loop, node.strip())
                    self.nodes.append((loop, node.strip()))

    def forget(self):
        for loop, node in self.nodes:
            os.unlink(node)
            run("losetup", "--detach", loop)
        self.nodes = []

    def paste(self, text):
        """A block as a person pastes it, who answers what is asked; between its lines the kernel sees what changed."""
        settings, block = [], text.split("<<'END'")
        lines = [text] if len(block) > 1 else text.splitlines()
        for line in lines:
            if line[1:4] == "=$(" and len(block) == 1:
                settings.append(line)
                continue
            self.look_again()
            done = subprocess.run(
                ["bash", "-c", "yes | (set -e\n" + "\n".join([*settings, line.removesuffix(" &&")]) + "\n)"],
                capture_output=True, text=True, env=ENVIRONMENT, check=False,
            )  # fmt: skip
            assert done.returncode == 0, (line, done.stdout[-800:], done.stderr[-800:])
        self.forget()


@contextmanager
def machine():
    """One at a time on this computer: disks without a serial are picked by their size."""
    made = Machine()
    with FileLock(Path(tempfile.gettempdir()) / "ylemorph-lines.lock"):
        try:
            yield made
        finally:
            made.forget()
            for disk in made.disks:
                run("losetup", "--detach", disk)


@pytest.mark.parametrize("job", [SMALLER, *([LARGER] if DEEP else [])], ids=lambda job: job.name)
def test_every_step_by_hand_ends_as_planned(job, tmp_path):
    made, target = made_source(job, tmp_path), sparse(tmp_path / "target.img", job.target * MIB)
    plan = make_plan(survey_path(made.image).disk, survey_path(target).disk, job.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")
    with machine() as here:
        here.attach(made.image)
        here.attach(target)
        for step in carrying.way.steps:
            linux = lines_of(carrying, step)[0]
            assert linux.text or linux.words
            if linux.text:
                here.paste(linux.text)
    look_at_target(job, made, carrying.ground.plan, target, tmp_path)


def test_a_disk_is_refitted_in_place_by_hand(tmp_path):
    """The recovery partition is moved to the end, by less than its length, and the system made larger."""
    job = Job("in place by hand", "finish", ROWS, 271, Options(headroom=Headroom(0, 0, 0)), source=271)
    made = made_source(job, tmp_path)
    disk = survey_path(made.image).disk
    options = job.options.but(roles=made.roles, in_place="yes", fit="rest-to-one", grow=2)
    carrying = carry_out(make_plan(disk, disk, options), FACTS, "finish")
    kinds = [step.kind for step in carrying.way.steps]
    assert {"move", "grow"} <= set(kinds)
    with machine() as here:
        here.attach(made.image)
        for step in carrying.way.steps:
            here.paste(lines_of(carrying, step)[0].text)
    look_at_target(job, made, carrying.ground.plan, made.image, tmp_path)


def test_a_disk_that_is_not_exactly_one_stops_every_line(tmp_path):
    made, target = made_source(SMALLER, tmp_path), sparse(tmp_path / "target.img", SMALLER.target * MIB)
    plan = make_plan(survey_path(made.image).disk, survey_path(target).disk, SMALLER.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")
    blank = digest(target)
    texts = [lines_of(carrying, step)[0].text for step in carrying.way.steps if step.disk == "target"]
    with machine() as here:
        here.attach(made.image)
        here.attach(target)
        here.attach(target)  # two that look the same
        for text in texts:
            done = subprocess.run(
                ["bash", "-c", f"yes | ({text}\n)"], capture_output=True, text=True, env=ENVIRONMENT, check=False
            )
            assert done.returncode != 0, text
    assert digest(target) == blank


def every_line(tmp_path):
    """Of plans by all ways, with each kind of step among them."""
    made = made_source(SMALLER, tmp_path)
    source = survey_path(made.image).disk.but(serial="BK4 'one'\"two")
    seen = []
    for sectors, health in ((197, "good"), (357, "failing")):
        disk = source.but(health=Health(health))
        options = SMALLER.options.but(roles=made.roles, identity="new")
        plan = make_plan(disk, Disk(sectors * 2048, serial="QS2-4411"), options)
        for way in carry_out(plan, FACTS).ways:
            for step in (way.steps or ()) if way.possible else ():
                carrying = carry_out(plan, FACTS, way.key)
                seen.append((step, lines_of(carrying, step)))
    return seen


def test_lines_are_what_a_shell_reads_and_say_so_where_there_are_none(tmp_path):
    parser = Parser(Language(tree_sitter_powershell.language()))
    kinds = set()
    for step, (linux, windows, macos) in every_line(tmp_path):
        kinds.add(step.kind)
        for one in (linux, windows, macos):
            assert one.text or one.words
        read = subprocess.run(["bash", "-n"], input=linux.text, capture_output=True, text=True, check=False)
        assert read.stderr == "", linux.text
        if windows.text:
            assert not parser.parse(windows.text.encode()).root_node.has_error, windows.text
    assert kinds >= set(STEP_KINDS) - {"cut", "start-code"}


def test_what_is_about_a_whole_disk(tmp_path, monkeypatch):
    """Read into an image, its backup table brought to the new end, another identity."""
    monkeypatch.chdir(tmp_path)
    made, target = made_source(LARGER, tmp_path), sparse(tmp_path / "target.img", LARGER.target * MIB)
    plan = make_plan(survey_path(made.image).disk, survey_path(target).disk, LARGER.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")

    def text(kind, disk, **more):
        return lines_of(carrying, Step(kind, disk, **more))[0].text

    with machine() as here:
        here.attach(made.image)
        here.attach(target)
        here.paste(text("read", "image", from_disk="source"))
        assert digest(tmp_path / "image.img") == digest(made.image)
        here.paste(text("cut", "image", to=Extent(0, 3 * 2048)))
        assert (tmp_path / "image.img").stat().st_size == 3 * MIB
        put(made.image, 0, target, 0, made.image.stat().st_size)
        assert "backup-misplaced" in survey_path(target).disk.table_notes
        here.paste(text("mend-table", "target"))
        here.paste(text("identity", "target"))
    found = survey_path(target).disk
    assert found.table_notes == ()
    assert found.table_id not in ("", plan.source.table_id)
    assert [p.extent for p in found.partitions] == [p.extent for p in plan.source.partitions]


def test_what_starts_the_machine(tmp_path):
    """Code before the first row goes over, and boot sectors name where they stand now."""
    rows = (Row("ext4", 64, "data", "83"), Row("ntfs", 80, "system", "7"))
    job = LARGER._replace(mbr=True, rows=rows, target=383, options=LARGER.options.but(fit="proportional"))
    made, target = made_source(job, tmp_path), sparse(tmp_path / "target.img", job.target * MIB)
    with made.image.open("r+b") as disk:
        disk.write(bytes(range(1, 221)) * 2)
        disk.seek(512)
        disk.write(b"a core in the gap" * 700)
    plan = make_plan(survey_path(made.image).disk, survey_path(target).disk, job.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")
    assert carrying.way.steps[-1].kind == "start-code"
    with machine() as here:
        here.attach(made.image)
        here.attach(target)
        for step in carrying.way.steps:
            here.paste(lines_of(carrying, step)[0].text)
    look_at_target(job, made, plan, target, tmp_path)
    assert mapped(target)[:440] == mapped(made.image)[:440]


def test_another_signature(tmp_path):
    job = LARGER._replace(mbr=True, rows=(Row("ext4", 64, "data", "83"),), options=Options(identity="new"))
    made = made_source(job, tmp_path)
    source = survey_path(made.image).disk
    carrying = carry_out(make_plan(source, source, job.options.but(in_place="yes")), FACTS)
    with machine() as here:
        here.attach(made.image)
        here.paste(lines_of(carrying, Step("identity", "target"))[0].text)
    assert survey_path(made.image).disk.table_id not in ("", "0x00000000", source.table_id)


def test_a_row_whose_content_was_not_made_smaller_is_not_cut(tmp_path):
    """Pasted lines go on after an error; the table stays as it was."""
    made = made_source(SMALLER, tmp_path)
    plan = make_plan(survey_path(made.image).disk, Disk(SMALLER.target * 2048), SMALLER.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")
    for name in ("ntfsresize", "resize2fs"):
        (tmp_path / name).write_text("#!/bin/sh\nexit 1\n")
        (tmp_path / name).chmod(0o700)
    environment = {**ENVIRONMENT, "PATH": f"{tmp_path}:{ENVIRONMENT['PATH']}"}
    before = run("sfdisk", "--dump", made.image)
    texts = [lines_of(carrying, step)[0].text for step in carrying.way.steps if step.kind == "shrink"]
    assert texts
    with machine() as here:
        here.attach(made.image)
        here.look_again()
        for text in texts:
            subprocess.run(["bash", "-c", text], capture_output=True, env=environment, check=False)
    assert run("sfdisk", "--dump", made.image) == before


def test_a_target_that_is_not_as_it_was_planned_is_not_written(tmp_path):
    """One that was empty and holds something now; one of the source's size without a serial."""
    made, target = made_source(LARGER, tmp_path), sparse(tmp_path / "target.img", LARGER.target * MIB)
    source = survey_path(made.image).disk
    plan = make_plan(source, survey_path(target).disk, LARGER.options.but(roles=made.roles))
    carrying = carry_out(plan, FACTS, "shrink-first")
    run("sfdisk", "--quiet", target, send="label: gpt\nstart=2048, size=2048\n")
    before = digest(target)
    (table,) = [lines_of(carrying, step)[0].text for step in carrying.way.steps if step.kind == "table"]
    with machine() as here:
        here.attach(target)
        subprocess.run(["bash", "-c", table], capture_output=True, env=ENVIRONMENT, check=False)
    assert digest(target) == before
    alike = carry_out(make_plan(source, Disk(source.sectors), LARGER.options.but(roles=made.roles)), FACTS)
    written = [step for step in alike.way.steps if step.disk == "target"]
    assert all(lines_of(alike, step)[0].words.startswith("Source and target are of one size") for step in written)
