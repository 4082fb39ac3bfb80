"""Table images of random plans, read back by sfdisk and fdisk (util-linux) and by fields.

Fields, places and CRCs: UEFI specification 2.10, "GUID Partition Table (GPT) Disk Layout" and "Legacy Master Boot
Record".
"""

import json
import os
import struct
import subprocess
import uuid
import zlib

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.fit.test_mbr import mbr_disks
from tests.make import desk, disk, fs, part, sources, targets, wishes
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.entries import planned_entries
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.documents.table_bytes import table_pieces, write_pieces
from ylemorph.probe.disks import survey_path

ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin", "LC_ALL": "C"}


def run(*args):
    done = subprocess.run(args, capture_output=True, text=True, check=False, env=ENVIRONMENT)
    assert done.returncode == 0, done.stderr
    return done.stdout


def image_of(plan, path):
    with open(path, "wb") as file:
        write_pieces(plan, table_pieces(plan), file)
    return str(path)


@st.composite
def plans(draw):
    source = draw(sources())
    return make_plan(source, draw(targets()), draw(wishes(source)))


def read_by_utility(image, sector):
    """Number, first sector, sectors: sfdisk reads 512-byte sectors of a file only, fdisk any."""
    if sector == 512:
        assert "No errors detected" in run("sfdisk", "--verify", image)
        rows = json.loads(run("sfdisk", "--json", image))["partitiontable"].get("partitions", [])
        return [(int(row["node"].removeprefix(image)), row["start"], row["size"]) for row in rows]
    listing = run("fdisk", "-b", str(sector), "-l", "-o", "Device,Start,Sectors", image)
    rows = [line.split() for line in listing.splitlines() if line.startswith(image)]
    return [(int(name.removeprefix(image)), int(start), int(sectors)) for name, start, sectors in rows]


@settings(max_examples=60)
@given(plans())
def test_random_gpt_plans_read_back_equal(tmp_path_factory, plan):
    if plan.layout.sizes is None:
        return
    path = tmp_path_factory.mktemp("table") / "disk.img"
    image, frame = image_of(plan, path), plan.frame
    wanted = [(e.number, e.first_lba, e.sectors) for e in planned_entries(plan)]
    assert read_by_utility(image, frame.logical_sector_bytes) == wanted
    assert os.path.getsize(image) == frame.sectors * frame.logical_sector_bytes
    assert os.stat(image).st_blocks * 512 < 256 * 1024
    read = survey_path(image).disk
    assert (read.table, read.table_notes, read.logical_sector_bytes) == ("gpt", (), frame.logical_sector_bytes)


@settings(max_examples=60)
@given(mbr_disks(), st.sampled_from((60, 480)))
def test_random_mbr_plans_read_back_equal(tmp_path_factory, source, label):
    plan = make_plan(source, nominal_disk(label * GB), Options(table="mbr" if source.table == "mbr" else "keep"))
    if plan.layout.sizes is None:
        return
    image = image_of(plan, tmp_path_factory.mktemp("table") / "disk.img")
    assert sorted(read_by_utility(image, 512)) == [(e.number, e.first_lba, e.sectors) for e in planned_entries(plan)]


@settings(max_examples=40)
@given(plans())
def test_headers_and_arrays_are_as_the_specification_says(plan):
    if plan.layout.sizes is None:
        return
    sector, last = plan.frame.logical_sector_bytes, plan.frame.sectors - 1
    pieces = dict(table_pieces(plan))
    protective = pieces[0]
    assert protective[510:512] == b"\x55\xaa"
    assert protective[450] == 0xEE
    assert struct.unpack_from("<II", protective, 454) == (1, min(last, 0xFFFF_FFFF))
    disks = set()
    for own, other in ((1, last), (last, 1)):
        header = pieces[own * sector]
        fields = struct.unpack_from("<8sIIIIQQQQ16sQIII", header)
        mark, revision, length, crc, zero, at, elsewhere, first, final, disk_id, array_at, count, size, array_crc = (
            fields
        )
        assert (mark, revision, length, zero) == (b"EFI PART", 0x10000, 92, 0)
        assert crc == zlib.crc32(header[:16] + bytes(4) + header[20:92])
        assert not any(header[92:])
        assert (at, elsewhere) == (own, other)
        assert (first, final) == (plan.frame.first_usable_lba, plan.frame.last_usable_lba)
        array = pieces[array_at * sector]
        assert (count, size, len(array)) == (128, 128, 16384)
        assert array_crc == zlib.crc32(array)
        assert array_at == 2 if own == 1 else array_at * sector + len(array) == own * sector
        disks.add(disk_id)
    assert len(disks) == 1


@pytest.mark.parametrize("identity", ["keep", "new"])
def test_rows_keep_name_and_flags_and_with_the_disk_their_identity_or_get_a_new_one(tmp_path, identity):
    own = "5D1B6A3C-0F4E-4B7A-9C02-6E1D2F3A4B5C"
    kept = frozenset(("required", "no-auto", "hidden"))
    rows = [
        part(1, MiB, GiB, filesystem=fs(used=MiB), role="recovery", flags=kept, name="Rescue “Ä” 🙂", uuid=own),
        part(2, 2 * GiB, GiB, filesystem=fs(used=MiB), role="data", uuid=own),
    ]
    source = disk(10 * GiB // 512, *rows, table_id="0F3C1B6A-8D2E-4F7A-9B1C-2D3E4F5A6B7C")
    plan = make_plan(source, nominal_disk(60 * GB), Options(identity=identity))
    table = json.loads(run("sfdisk", "--json", image_of(plan, tmp_path / "a.img")))["partitiontable"]
    again = json.loads(run("sfdisk", "--json", image_of(plan, tmp_path / "b.img")))["partitiontable"]
    first, second = table["partitions"]
    assert first["name"] == "Rescue “Ä” 🙂"
    assert (first["uuid"] == own) == (identity == "keep")
    assert set(first["attrs"].split()) == {"RequiredPartition", "GUID:62,63"}
    assert second["uuid"] not in (own, str(uuid.UUID(int=0)))
    assert (table["id"] == again["id"] == source.table_id) == (identity == "keep")
    assert (table["id"] != again["id"]) == (identity == "new")


def test_an_mbr_keeps_its_signature(tmp_path):
    rows = [part(1, MiB, GiB, "0x07", fs(used=MiB), role="system")]
    plan = make_plan(disk(10 * GiB // 512, *rows, table="mbr", table_id="0x1a2b3c4d"), nominal_disk(60 * GB), Options())
    told = json.loads(run("sfdisk", "--json", image_of(plan, tmp_path / "a.img")))["partitiontable"]
    assert told["id"] == "0x1a2b3c4d"


def test_a_plan_that_does_not_fit_has_no_bytes():
    with pytest.raises(BadOption, match="does not fit"):
        table_pieces(make_plan(desk(), nominal_disk(240 * GB), Options()))
