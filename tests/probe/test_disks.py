"""Tables, against sfdisk, and the traps: lost copies, cut disks, loops, wrong sector sizes."""

import json
import random
import shutil
import struct
import subprocess
import zlib

import pytest

from tests.lacking import here_alone
from tests.make import read_survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.probe.disks import survey_path

from .conftest import EXPECTED

SFDISK = shutil.which("sfdisk", path="/usr/sbin:/sbin:/usr/bin")
AT_ONCE = ("--no-reread", "--no-tell-kernel")  # a file has no kernel to wait a quarter of a second for
MIB = 1 << 20


def sparse(path, size):
    with path.open("wb") as file:
        file.truncate(size)
    return path


def same_as_sfdisk(survey, table):
    """Start, size and type of each partition, as sfdisk gives them."""
    disk = survey.disk
    assert disk.table == {"gpt": "gpt", "dos": "mbr"}[table["label"]]
    typed = (lambda text: f"0x{int(text, 16):02X}") if disk.table == "mbr" else str
    rows = sorted((p.first_lba, p.sectors, p.type) for p in disk.partitions)
    assert rows == sorted((r["start"], r["size"], typed(r["type"])) for r in table.get("partitions", []))
    for row in table.get("partitions", []):
        found = next(p for p in disk.partitions if p.first_lba == row["start"])
        assert ("active" in found.flags) == row.get("bootable", False)
        assert found.name == row.get("name", "")
        assert ("no-auto" in found.flags) == ("GUID:63" in row.get("attrs", ""))
        assert found.uuid == row.get("uuid", found.uuid)


@pytest.mark.parametrize("name", ["disk-8-gib", "disk-mbr-logicals", "disk-4k"])
def test_a_disk_and_its_volumes(image, name):
    survey = survey_path(image(name))
    same_as_sfdisk(survey, EXPECTED[name])
    assert survey.disk.logical_sector_bytes == EXPECTED[name]["sectorsize"]
    assert survey.disk.table_id == EXPECTED[name].get("id", survey.disk.table_id)
    assert survey.disk.table_notes == ()
    assert read_survey(write_survey(survey)) == survey


def test_the_volumes_of_the_eight_gib_disk(image):
    kinds = [p.filesystem.kind for p in survey_path(image("disk-8-gib")).disk.partitions]
    assert kinds == ["fat32", "ntfs", "ext4", "exfat"]


def random_script(rng, sectors):
    """An sfdisk script with a few partitions, primaries and logicals, starts on whole MiB."""
    gpt = rng.random() < 0.5
    at, rows = 2048, []
    count = rng.randint(1, 9)
    logicals_from = rng.randint(1, 3) if not gpt and count > 3 else None
    types = ["7", "83", "c", "ef", "27"] if not gpt else ["EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "L", "U"]
    for number in range(count):
        size = rng.randint(1, 30) * 2048 + rng.choice((0, 0, 8, 1))
        if number == logicals_from:
            rows.append(f"start={at}, size={sectors - at - 4096}, type=f")
        if not gpt and logicals_from is None and number == 4:
            break
        at += 2048 if logicals_from is not None and number >= logicals_from else 0
        rows.append(f"start={at}, size={size}, type={rng.choice(types)}")
        at = (at + size + 2047) // 2048 * 2048 + rng.choice((0, 2048))
    return f"label: {'gpt' if gpt else 'dos'}\n" + "\n".join(rows) + "\n"


@pytest.mark.skipif(SFDISK is None, reason="sfdisk is not on this machine")
@pytest.mark.parametrize("seed", range(60))
def test_random_tables_are_read_as_sfdisk_reads_them(tmp_path, seed):
    rng = random.Random(seed)
    path = sparse(tmp_path / "disk", 640 * MIB)
    script = random_script(rng, 640 * 2048)
    subprocess.run([SFDISK, "-q", *AT_ONCE, str(path)], input=script, text=True, check=True, capture_output=True)
    read = subprocess.run([SFDISK, "--json", str(path)], text=True, check=True, capture_output=True)
    same_as_sfdisk(survey_path(path), json.loads(read.stdout)["partitiontable"])


@pytest.fixture
def gpt_disk(fresh):
    return fresh("disk-8-gib")


def change(path, offset, data):
    with path.open("r+b") as file:
        file.seek(offset)
        file.write(data)


@pytest.mark.parametrize(
    ("offset", "note"),
    [
        (512 + 60, "primary-damaged"),  # inside the primary's header
        (1024 + 40, "primary-damaged"),  # inside its entries, the header itself good
        ((8 << 30) - 512 + 60, "backup-missing"),
        ((8 << 30) - 33 * 512 + 40, "backup-missing"),
    ],
)
def test_one_damaged_copy_is_no_loss(gpt_disk, offset, note):
    whole = survey_path(gpt_disk).disk
    change(gpt_disk, offset, b"\xff\xff")
    found = survey_path(gpt_disk).disk
    assert found.partitions == whole.partitions
    assert found.table_notes == (note,)


def test_a_cut_disk_has_no_backup_and_a_cut_partition(gpt_disk):
    with gpt_disk.open("r+b") as file:
        file.truncate(13_000_000 * 512)
    found = survey_path(gpt_disk).disk
    assert found.table_notes == ("backup-missing", "partition-cut-off")
    assert found.partitions[-1].extent.stop == found.sectors == 13_000_000
    assert found.partitions[-1].filesystem.state == "damaged"


def test_a_copy_onto_a_larger_disk_has_its_backup_in_the_middle(gpt_disk):
    with gpt_disk.open("r+b") as file:
        file.truncate(10 << 30)
    assert survey_path(gpt_disk).disk.table_notes == ("backup-misplaced",)


def test_both_copies_lost_is_said(gpt_disk):
    change(gpt_disk, 512 + 60, b"\xff\xff")
    change(gpt_disk, (8 << 30) - 512 + 60, b"\xff\xff")
    found = survey_path(gpt_disk).disk
    assert (found.table, found.table_notes) == ("none", ("gpt-lost",))


def test_a_wiped_table_behind_its_guard_record_is_said(gpt_disk):
    """Some tools blank both copies and leave the record; the backup stands where that record ends."""
    whole = survey_path(gpt_disk).disk
    with gpt_disk.open("r+b") as file:
        file.truncate(10 << 30)  # on a larger disk the backup is not at the end
    change(gpt_disk, 512, bytes(33 * 512))
    found = survey_path(gpt_disk).disk
    assert (found.partitions, found.table_notes) == (whole.partitions, ("primary-damaged",))
    change(gpt_disk, (8 << 30) - 33 * 512, bytes(33 * 512))
    lost = survey_path(gpt_disk).disk
    assert (lost.table, lost.partitions, lost.table_notes) == ("none", (), ("gpt-lost",))
    assert lost.holds_something
    assert "table-lost-whole" in [f.code for f in make_plan(lost, nominal_disk(480 * GB), Options()).findings]


def test_no_protective_record_and_hybrid(gpt_disk):
    change(gpt_disk, 446 + 16, struct.pack("<B3xB3xII", 0, 7, 2048, 204800))
    assert survey_path(gpt_disk).disk.table_notes == ("hybrid",)
    change(gpt_disk, 446, bytes(64))
    assert survey_path(gpt_disk).disk.table_notes == ("no-protective-record",)


def test_the_copies_disagree(gpt_disk):
    """The backup is a whole table of its own, with another disk GUID."""
    with gpt_disk.open("rb") as file:
        file.seek(-512, 2)
        header = bytearray(file.read(92))
    header[56] ^= 1
    header[16:20] = bytes(4)
    header[16:20] = struct.pack("<I", zlib.crc32(bytes(header)))
    change(gpt_disk, (8 << 30) - 512, bytes(header))
    assert survey_path(gpt_disk).disk.table_notes == ("copies-differ",)


def test_a_chain_of_logicals_that_loops_ends(fresh):
    path = fresh("disk-mbr-logicals")
    whole = survey_path(path).disk
    second = 198656 + struct.unpack("<I", path.read_bytes()[198656 * 512 + 446 + 16 + 8 :][:4])[0]
    change(path, second * 512 + 446 + 16, struct.pack("<B3xB3xII", 0, 5, 0, 1000))
    found = survey_path(path).disk
    assert found.table_notes == ("chain-broken",)
    assert found.partitions == whole.partitions


def test_a_file_system_without_a_table(image):
    """A volume over the whole disk: its boot sector carries the mark of a table, but is none."""
    for name, kind in (("ntfs-4096", "ntfs"), ("fat32", "fat32"), ("exfat", "exfat"), ("ext4", "ext4")):
        found = survey_path(image(name)).disk
        assert (found.table, found.partitions, found.filesystem.kind) == ("none", (), kind)


def test_a_blank_disk(tmp_path):
    found = survey_path(sparse(tmp_path / "blank", 64 * MIB)).disk
    assert (found.table, found.partitions, found.filesystem, found.sectors) == ("none", (), None, 131072)


@here_alone
@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda folder: folder, "this is a folder"),
        (lambda folder: folder / "missing", "cannot be read (No such file or directory)"),
        (lambda folder: folder / "short", "100 bytes are less than one sector"),
        (lambda folder: "/dev/null", "this is neither a file nor a block device"),
        (lambda folder: "a\0b", "cannot be read (not a path)"),
    ],
)
def test_what_is_no_disk_gets_one_sentence(tmp_path, make, sentence):
    (tmp_path / "short").write_bytes(bytes(100))
    with pytest.raises(YlemorphError) as caught:
        survey_path(make(tmp_path))
    assert caught.value.problem == sentence
    assert caught.value.mend


@here_alone
def test_a_device_without_permission_names_the_mend(monkeypatch):
    def refuse(*_args, **_kwargs):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr("os.open", refuse)
    with pytest.raises(YlemorphError, match="Permission denied") as caught:
        survey_path("/dev/sdb")
    assert "administrator" in caught.value.mend


@here_alone
def test_a_disk_that_stops_giving_its_bytes_is_said(image, monkeypatch):
    def fail(*_args):
        raise OSError(5, "Input/output error")

    monkeypatch.setattr("os.pread", fail)
    with pytest.raises(YlemorphError, match="Input/output error") as caught:
        survey_path(image("fat12"))
    assert "image" in caught.value.mend


def test_nothing_is_written(fresh):
    path = fresh("disk-mbr-logicals")
    path.chmod(0o400)
    before = path.stat().st_mtime_ns, path.read_bytes()
    survey_path(path)
    assert (path.stat().st_mtime_ns, path.read_bytes()) == before
