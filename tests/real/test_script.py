"""The script on real file systems, from survey to finished disk, run by ``sh``; what it refuses, and killed in between.

Four jobs run with every test, all in ``make test-deep``.
"""

import os
import subprocess

import pytest

from ylemorph.core.carry.facts import Facts
from ylemorph.core.fit.options import Options

from .jobs import BASIC, EFI, LINUX, RECOVERY, SWAP, Job, Row, digest, look_at_target, made_source, plan_and_script
from .volumes import ENVIRONMENT, MIB, present, sparse

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
NEEDED = ("sfdisk", "ntfsresize", "resize2fs", "mkfs.fat", "mcopy", "debugfs", "sh")
WINDOWS = (
    Row("fat32", 260, "start", EFI), Row("ntfs", 2400, "system", BASIC), Row("ntfs", 900, "data", BASIC),
    Row("ntfs", 300, "recovery", RECOVERY),
)  # fmt: skip
LINUX_ROWS = (
    Row("fat32", 260, "start", EFI), Row("ext4", 1800, "system", LINUX), Row("swap", 200, "swap", SWAP),
    Row("ext4", 1200, "data", LINUX, 100),
)  # fmt: skip
OLD = (
    Row("ntfs", 200, "start", "7"), Row("ntfs", 1500, "system", "7"), Row("fat16", 120, "tools", "e"),
    Row("ntfs", 800, "data", "7"), Row("ext4", 700, "data", "83"),
)  # fmt: skip
ROOM = Facts(workspace=2**50)
SMALL = Options().headroom
JOBS = (
    Job("windows smaller straight", "straight", WINDOWS, 2300, Options()),
    Job("windows larger rest to one", "straight", WINDOWS, 6000, Options(fit="rest-to-one", grow=2)),
    Job("linux smaller through an image", "through-image", LINUX_ROWS, 2600, Options(), facts=ROOM),
    Job("old table smaller shrink first", "shrink-first", OLD, 2400, Options(fit="even-fill"), True),
    Job("linux larger straight", "straight", LINUX_ROWS, 7000, Options()),
    Job("windows same sizes", "straight", WINDOWS, 4200, Options(fit="same")),
    Job("windows tight", "through-image", WINDOWS, 1700, Options(), facts=ROOM),
    Job("windows worn source", "through-image", WINDOWS, 2300, Options(), facts=ROOM.but(health="worn")),
    Job("windows recovery to the end, restored", "restore", WINDOWS, 5200, Options(fit="rest-to-one", grow=2)),
    Job("old table larger restored", "restore", OLD, 3800, Options(), True),
    Job("old table, order changed, restored", "restore", OLD, 6000, Options(order=(2, 1, 3, 5, 6)), True),
    Job("old table becomes GPT", "straight", OLD, 4200, Options(table="gpt"), True),
    Job("data only, files", "files", (Row("ext4", 1500, "data", LINUX), Row("ntfs", 1400, "data", BASIC)), 1500, Options()),
    Job("one left behind, not both attached", "through-image", WINDOWS, 2000, Options(leave=frozenset({3})), facts=ROOM.but(both_attached="no")),
    Job("linux shrink first", "shrink-first", LINUX_ROWS, 2600, Options(fit="snug")),
)  # fmt: skip
ALWAYS = {
    "windows smaller straight", "linux smaller through an image", "old table smaller shrink first", "old table larger restored",
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
    before = digest(made.image)
    target = sparse(tmp_path / "target.img", job.target * MIB)
    (tmp_path / "work").mkdir()
    told = sh(script, made.image, target, tmp_path / "work")
    assert told.returncode == 0, told.stderr
    assert "Nothing was changed" in told.stdout
    assert digest(made.image) == before
    assert target.stat().st_blocks == 0
    done = sh(script, "--go", made.image, target, tmp_path / "work")
    assert done.returncode == 0, done.stdout + done.stderr
    for number in range(1, len(carrying.sequence.steps) + 1):
        assert f"Step {number} of {len(carrying.sequence.steps)}: " in done.stdout
    assert (digest(made.image) == before) == (job.way != "shrink-first")
    assert list((tmp_path / "work").glob("row-*")) == []
    look_at_target(job, made, plan, target, tmp_path)
