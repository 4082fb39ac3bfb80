"""A job carried out on a stand-in, read by the probe: as planned, and with each fault just what it plants."""

import re
import subprocess

import pytest

from tests.real.volumes import ENVIRONMENT, present, run
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import MiB
from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium
from ylemorph.stand_ins import shipped
from ylemorph.stand_ins.attached import Bench, NotAttached
from ylemorph.stand_ins.practice import FAULT_WORDS, FAULTS, Practice
from ylemorph.stand_ins.volumes import NoUtility, make_volume

pytestmark = pytest.mark.skipif(not present("mkfs.ntfs", "mkfs.fat"), reason="mkfs.ntfs and mkfs.fat are needed")

PLANTED = {
    "none": set(), "stopped": {"kind-off"}, "last-row": {"row-missing"}, "not-extended": {"not-extended"},
    "backup-missing": {"table-backup"}, "identity-off": {"identity-lost"}, "off-grain": {"off-grain"},
    "flag-lost": {"flag-off"}, "code-lost": {"start-code"}, "code-off": {"start-code"},
    "start-named-off": {"start-named-off"},
}  # fmt: skip


@pytest.fixture(scope="module")
def bench(tmp_path_factory):
    made = Bench(tmp_path_factory.mktemp("bench"))
    for key in ("desk", "blank", "bindery", "loan"):
        made.attach(key)
    return made


def practised(bench, source, target, fault, way="straight"):
    plan = make_plan(bench.read(source).disk, bench.read(target).disk, Options())
    carrying = carry_out(plan, Facts(health="good", workspace=2**50), way)
    steps = []
    images = [bench.image_of(bench.read(key).disk.serial) for key in (target, source)]
    practice = Practice(plan, carrying.sequence, images[0], fault, images[1])
    practice.run(lambda number, _step: steps.append(number), lambda number, _step: steps.append(-number))
    return plan, carrying, steps


def found(bench, plan, target):
    return {difference.kind.code for difference in check_back(planned_of(plan), bench.read(target).disk).differences}


LEGACY_ALONE = ("code-lost", "code-off", "start-named-off")  # the desk starts in UEFI mode and has none of these
CASES = [
    pytest.param(source, target, fault, id=f"{fault}-{table}")
    for source, target, table in (("desk", "blank", "gpt"), ("bindery", "loan", "mbr"))
    for fault in FAULTS
    if fault not in ("stopped", "backup-missing") and (table == "mbr" or fault not in LEGACY_ALONE)
]


@pytest.mark.parametrize(("source", "target", "fault"), CASES)
def test_a_fault_plants_its_difference_and_nothing_else(bench, source, target, fault):
    plan, carrying, steps = practised(bench, source, target, fault)
    assert found(bench, plan, target) == PLANTED[fault]
    assert steps == [n for number in range(1, len(carrying.sequence.steps) + 1) for n in (number, -number)]


def finished(bench, plan, source, target, fault="none"):
    """From what is found to the plan, on the bench."""
    facts = Facts(both_attached="yes", found_right="yes", health="good")
    carrying = carry_out(plan, facts, "finish", there=bench.read(target).disk)
    images = [bench.image_of(bench.read(key).disk.serial) for key in (target, source)]
    Practice(plan, carrying.sequence, images[0], fault, images[1]).run(lambda *_: None, lambda *_: None)
    return [(step.kind, step.row) for step in carrying.sequence.steps]


@pytest.mark.parametrize(
    ("source", "target", "fault", "steps"),
    [
        ("desk", "blank", "last-row", [("table", None), ("copy", 5)]),
        ("desk", "blank", "not-extended", [("check", 4), ("grow", 4)]),
        ("desk", "blank", "identity-off", [("table", None)]),
        ("desk", "blank", "flag-lost", [("table", None)]),
        ("desk", "blank", "off-grain", [("table", None), ("copy", 5)]),
        ("desk", "blank", "backup-missing", [("mend-table", None)]),
        ("bindery", "loan", "code-lost", [("start-code", None)]),
        ("bindery", "loan", "code-off", [("start-code", None)]),
        ("bindery", "loan", "start-named-off", [("start-code", None)]),
    ],
)
def test_from_a_fault_the_shortest_way_leads_to_the_plan(bench, source, target, fault, steps):
    """Nothing but what the fault planted is touched, and afterwards all is as planned."""
    plan, _, _ = practised(bench, source, target, fault)
    assert found(bench, plan, target) == PLANTED[fault]
    assert finished(bench, plan, source, target) == steps
    assert found(bench, plan, target) == set()


def test_faults_on_the_way_to_finish_and_what_no_step_comes_to(bench):
    plan, _, _ = practised(bench, "desk", "blank", "last-row")
    finished(bench, plan, "desk", "blank", "backup-missing")
    assert found(bench, plan, "blank") == {"table-backup"}
    with pytest.raises(YlemorphError, match="no step of this way comes to that"):
        finished(bench, plan, "desk", "blank", "flag-lost")


def test_a_backup_that_is_missing_and_a_stop_half_way(bench):
    plan, _, _ = practised(bench, "desk", "blank", "backup-missing")
    assert found(bench, plan, "blank") == {"table-backup"}
    with pytest.raises(YlemorphError, match="it stopped at step 5"):
        practised(bench, "desk", "blank", "stopped")
    assert found(bench, plan, "blank") == {"kind-off"}


def test_by_another_way_it_ends_alike(bench):
    plan, _, _ = practised(bench, "desk", "blank", "none", "through-image")
    assert found(bench, plan, "blank") == set()
    table = subprocess.run(
        ["sfdisk", "--verify", str(bench.image_of("QS2-4411"))],
        capture_output=True,
        text=True,
        env=ENVIRONMENT,
        check=True,
    )
    assert "No errors detected" in table.stdout
    assert bench.image_of("QS2-4411").stat().st_blocks * 512 < 200 * MiB


def test_what_cannot_be_practised_is_said(bench, tmp_path, monkeypatch):
    for source, target, fault, said in (
        ("bindery", "loan", "backup-missing", "an MBR has no backup copy"),
        ("desk", "blank", "code-lost", "no code goes over"),
        ("desk", "blank", "start-named-off", "no row of this plan names its place"),
    ):
        with pytest.raises(YlemorphError, match=said):
            practised(bench, source, target, fault)
    with pytest.raises(NotAttached):
        bench.image_of("nobody's")
    with pytest.raises(NotAttached):
        bench.image_of("")
    monkeypatch.setattr("ylemorph.stand_ins.volumes.PATH", "/nowhere")
    with pytest.raises(NoUtility, match="mke2fs is not installed"):
        make_volume("ext4", tmp_path / "x", 64 * MiB, "X", None)
    assert set(FAULT_WORDS) == set(FAULTS) == set(PLANTED)


@pytest.mark.parametrize("size", [64 * MiB, 980 * MiB, 201 * 2**30 + 3 * 512, 1000 * 2**30])
def test_an_ntfs_grown_from_the_shipped_one_is_consistent(tmp_path, size):
    """The file system's own utilities account for every cluster; ntfs-3g."""
    image = tmp_path / "x"
    image.touch()
    shipped.grown_ntfs(image, size)
    told = run("ntfsresize", "--info", "--force", "--no-progress-bar", str(image))
    assert int(re.search(r"Current device size: (\d+)", told)[1]) == size
    assert "Checking the alternate boot sector... OK" in run("ntfsfix", "--no-action", str(image))
    with open_medium(image) as medium:
        found = read_filesystem(medium)
    assert (found.kind, found.state, found.used_bytes < 64 * MiB) == ("ntfs", "clean", True)


@pytest.mark.parametrize("size", [40 * MiB, 260 * MiB, 8 * 2**30, 90 * 2**30])
def test_a_fat32_without_the_utility_is_consistent(tmp_path, size):
    image = tmp_path / "x"
    image.touch()
    shipped.fat32(image, size, "START")
    assert "1 files, 1/" in run("fsck.fat", "-n", str(image))
    with open_medium(image) as medium:
        assert read_filesystem(medium).kind == "fat32"


@pytest.mark.parametrize(
    ("make", "size"), [(shipped.grown_ntfs, 8 * MiB), (lambda place, size: shipped.fat32(place, size, ""), 20 * MiB)]
)
def test_rows_that_are_too_small_are_said(tmp_path, make, size):
    (tmp_path / "x").touch()
    with pytest.raises(YlemorphError, match="too few"):
        make(tmp_path / "x", size)


def test_a_job_is_practised_where_no_utility_is_installed(bench, monkeypatch):
    monkeypatch.setattr("ylemorph.stand_ins.volumes.PATH", "/nowhere")
    assert found(bench, practised(bench, "desk", "blank", "none")[0], "blank") == set()
