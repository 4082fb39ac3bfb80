"""Tables that we write, read back through sfdisk (util-linux) on a sparse file (UEFI specification, GPT and MBR)."""

import json
import os
import subprocess

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.fit.test_mbr import mbr_disks
from tests.make import desk, disk, fs, part
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.documents.sfdisk import plan_to_script

ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin"}


def sfdisk(*args, text=None):
    done = subprocess.run(["sfdisk", *args], input=text, capture_output=True, text=True, check=False, env=ENVIRONMENT)
    assert done.returncode == 0, done.stderr
    return done.stdout


def written(plan, path):
    """The table that sfdisk made of the plan's script, as sfdisk reads it."""
    with open(path, "wb") as image:
        image.truncate(plan.frame.sectors * plan.frame.logical_sector_bytes)
    sfdisk("--no-reread", "--no-tell-kernel", "--quiet", str(path), text=plan_to_script(plan))
    assert "No errors detected" in sfdisk("--verify", str(path))
    return json.loads(sfdisk("--json", str(path)))["partitiontable"]


def entries(table):
    return {int(p["node"].rsplit("img", 1)[1]): (p["start"], p["size"]) for p in table.get("partitions", [])}


@pytest.mark.parametrize("fit", FITS[1:])
def test_the_desk_on_480_gb(tmp_path, fit):
    plan = make_plan(desk(), nominal_disk(480 * GB), Options(fit=fit))
    table = written(plan, tmp_path / "disk.img")
    assert (table["label"], table["lastlba"]) == ("gpt", 937_703_054)
    assert entries(table) == {row.number: (row.first_lba, row.sectors) for row in plan.rows}
    assert [p["type"] for p in table["partitions"]] == [p.type for p in plan.source.partitions]


@settings(max_examples=25)
@given(mbr_disks(), st.sampled_from(("keep", "gpt")))
def test_random_mbr_disks_read_back_equal(tmp_path_factory, source, wish):
    plan = make_plan(source, nominal_disk(480 * GB), Options(table=wish))
    if plan.verdict == "does-not-fit" or not any(row.carried for row in plan.rows):
        return
    table = written(plan, tmp_path_factory.mktemp("mbr") / "disk.img")
    carried = {row.number: (row.first_lba, row.sectors) for row in plan.rows if row.carried}
    found = entries(table)
    assert {number: found[number] for number in carried} == carried
    extended = set(found) - set(carried)
    assert len(extended) == any(row.logical for row in plan.rows)
    assert table["label"] == ("gpt" if plan.frame.table == "gpt" else "dos")


def test_from_gpt_to_mbr_numbers_are_counted_anew(tmp_path):
    rows = [part(n, n * 10 * GiB, GiB, filesystem=fs(used=MiB), role="data") for n in (7, 9)]
    plan = make_plan(disk(200 * GiB // 512, *rows), nominal_disk(60 * GB), Options(table="mbr", fit="snug"))
    table = written(plan, tmp_path / "disk.img")
    assert (table["label"], sorted(entries(table))) == ("dos", [1, 2])
    assert [p["type"] for p in table["partitions"]] == ["7", "7"]


def test_flags_and_names_go_over(tmp_path):
    flags = frozenset(("required", "no-auto"))
    one = part(1, MiB, GiB, filesystem=fs(used=MiB), role="recovery", flags=flags, name='Rescue "A"')
    plan = make_plan(disk(10 * GiB // 512, one), nominal_disk(60 * GB), Options())
    entry = written(plan, tmp_path / "disk.img")["partitions"][0]
    assert entry["name"] == "Rescue A"
    assert set(entry["attrs"].split()) == {"RequiredPartition", "GUID:63"}


def test_a_plan_that_does_not_fit_has_no_table():
    with pytest.raises(BadOption):
        plan_to_script(make_plan(desk(), nominal_disk(240 * GB), Options()))


def test_an_empty_plan_has_an_empty_table(tmp_path):
    assert entries(written(make_plan(Disk(10**7), nominal_disk(60 * GB), Options()), tmp_path / "disk.img")) == {}
