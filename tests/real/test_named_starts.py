"""Every field that the script sets anew, at the byte where its published layout has it."""

import json
import random
import struct
import uuid

import pytest

from ylemorph.cli import main
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.roles import BASIC_DATA, BIOS_BOOT, LINUX_DATA
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.shell_script import functions, script_of
from ylemorph.probe.disks import survey_path

from .starts import SECTOR, Part, core_at, exfat_sum, made_disk, put
from .volumes import MIB, mapped, present, run, sparse

pytestmark = pytest.mark.skipif(
    not present("sfdisk", "mkfs.fat", "mkfs.ntfs", "mkfs.exfat", "ntfsresize", "fsck.exfat"), reason="utilities needed"
)
KINDS = {1: "fat16", 2: "fat32", 3: "ntfs", 5: "exfat"}
TYPES = {"fat16": "e", "fat32": "c", "ntfs": "7", "exfat": "7"}


def parts(label):
    """Rows of data alone: a system of an MBR stays where it is."""
    at, made = 8192, []
    for number, kind in KINDS.items():
        at += 2048 if number > 4 else 0
        type_ = TYPES[kind] if label == "dos" else BASIC_DATA
        made.append(Part(number, at, {"fat16": 20, "fat32": 40}.get(kind, 24), type_, kind, "data"))
        at += made[-1].sectors
    return tuple(made)


def carried_out(work, image, options, mib=300, shell=("sh",)):
    plan = make_plan(survey_path(image).disk, Disk(mib * 2048), options)
    (work / "clone.sh").write_text(script_of(carry_out(plan, Facts(), "straight")))
    target, room = sparse(work / "target.img", mib * MIB), work / "room"
    room.mkdir(exist_ok=True)
    run(*shell, work / "clone.sh", "--go", image, target, room, ok=(0, 3))
    return plan, mapped(target)


def number(data, at, length):
    return int.from_bytes(data[at : at + length], "little")


@pytest.mark.parametrize("shell", [("dash",), ("bash",)], ids=["dash", "bash"])
def test_boot_sectors_and_their_copies_name_the_new_start(tmp_path, shell):
    """FAT: BPB_HiddSec at 28, BPB_BkBootSec at 50 (Microsoft FAT specification, "BPB"). exFAT: PartitionOffset
    at 64, the copy of the region at sector 12, its sum in sector 11 (Microsoft exFAT specification, "Main and Backup
    Boot Sector Sub-regions"). NTFS: hidden sectors at 28, the copy in the volume's last sector (from memory)."""
    image = made_disk(tmp_path, "dos", parts("dos"), 400)
    options = Options(fit="same", roles=tuple((part.number, part.role) for part in parts("dos")))
    plan, data = carried_out(tmp_path, image, options, shell=shell)
    before = mapped(image)
    for part in parts("dos"):
        start = plan.row(part.number).first_lba
        own, was = data[start * SECTOR :], before[part.start * SECTOR :]
        assert start != part.start, "every row moves, or nothing is tried"
        if part.kind == "exfat":
            for region in (0, 12 * SECTOR):
                assert (number(was, region + 64, 8), number(own, region + 64, 8)) == (part.start, start)
                total = struct.pack("<I", exfat_sum(own[region : region + 11 * SECTOR]))
                assert own[region + 11 * SECTOR : region + 12 * SECTOR] == total * (SECTOR // 4)
            volume = tmp_path / "exfat"
            volume.write_bytes(own[: plan.row(part.number).sectors * SECTOR])
            run("fsck.exfat", "-n", volume)
            continue
        copies = {"fat16": [0], "fat32": [0, number(own, 50, 2) * SECTOR], "ntfs": [0, number(own, 40, 8) * SECTOR]}
        for copy in copies[part.kind]:
            assert own[copy + 510 : copy + 512] == b"\x55\xaa"
            assert number(own, copy + 28, 4) == start, (part.kind, copy)
        assert number(was, 28, 4) == part.start


def test_a_boot_sector_that_names_another_place_is_left_alone(tmp_path):
    made = made_disk(tmp_path, "dos", parts("dos"), 400)
    with made.open("r+b") as file:
        for part in parts("dos")[:3]:
            file.seek(part.start * SECTOR + 28)
            file.write(struct.pack("<I", 63))
    options = Options(fit="same", roles=tuple((part.number, part.role) for part in parts("dos")))
    plan, data = carried_out(tmp_path, made, options)
    for part in parts("dos")[:3]:
        assert number(data, plan.row(part.number).first_lba * SECTOR + 28, 4) == 63


def test_guids_of_disk_and_partitions_are_kept_or_new(tmp_path):
    """DiskGUID at 56 of the header, UniquePartitionGUID at 16 of an entry of 128 bytes from sector 2 on (UEFI
    specification, "GPT Header" and "GPT Partition Entry"); the signature of an MBR at 440 ("Legacy Master Boot
    Record")."""
    for label in ("gpt", "dos"):
        work = tmp_path / label
        work.mkdir()
        image = made_disk(work, label, parts(label), 400)
        told = json.loads(run("sfdisk", "--json", image))["partitiontable"]
        roles = tuple((part.number, part.role) for part in parts(label))
        for identity in ("keep", "new"):
            _, data = carried_out(work, image, Options(roles=roles, identity=identity))
            if label == "dos":
                assert (f"0x{number(data, 440, 4):08x}" == told["id"]) == (identity == "keep")
                continue
            ids = [str(uuid.UUID(bytes_le=bytes(data[SECTOR + 56 : SECTOR + 72]))).upper()]
            for part in parts(label):
                entry = 2 * SECTOR + (part.number - 1) * 128
                ids.append(str(uuid.UUID(bytes_le=bytes(data[entry + 16 : entry + 32]))).upper())
            old = [told["id"], *(row["uuid"] for row in told["partitions"])]
            assert [one == two for one, two in zip(ids, old, strict=True)] == [identity == "keep"] * len(old)


def test_code_and_what_stands_behind_it(tmp_path):
    """Bytes 0 to 439 of the first sector, then everything up to the first row; table and signature are the plan's."""
    image = made_disk(tmp_path, "dos", parts("dos"), 400)
    code, behind = bytes(range(1, 200)) * 3, b"core" * 4000
    with image.open("r+b") as file:
        file.write(code[:440])
        file.seek(SECTOR)
        file.write(behind)
    options = Options(roles=tuple((part.number, part.role) for part in parts("dos")), identity="new")
    plan, data = carried_out(tmp_path, image, options)
    assert data[:440] == code[:440]
    assert data[SECTOR : SECTOR + len(behind)] == behind
    assert not any(data[SECTOR + len(behind) : plan.row(1).first_lba * SECTOR])
    assert data[446:510] != mapped(image)[446:510]


@pytest.mark.skipif(not present("grub-mkimage"), reason="grub-mkimage is needed")
def test_a_loader_in_a_row_of_its_own_is_found_at_its_new_place(tmp_path):
    own = Part(1, 2048 * 50, 1, BIOS_BOOT, "", "start")
    rows = (
        Part(2, 2048, 40, LINUX_DATA, "ext4", "data"), own, Part(3, own.start + 2048, 60, LINUX_DATA, "ext4", "system"),
    )  # fmt: skip
    image = made_disk(tmp_path, "gpt", rows, 200)
    count = core_at(image, tmp_path, rows[2].uuid, own.start)
    options = Options(roles=((1, "start"), (2, "data"), (3, "system")), order=(3, 1, 2), fit="same")
    plan, data = carried_out(tmp_path, image, options, 140)
    start = plan.row(1).first_lba
    assert start != own.start
    assert number(data, 0x5C, 8) == start
    assert struct.unpack_from("<QH", data, start * SECTOR + 0x1F4) == (start + 1, count - 1)
    before = mapped(image)
    assert data[:0x5C] == before[:0x5C]
    assert data[0x64:440] == before[0x64:440]


def test_a_table_image_carries_the_code_of_a_disk_that_was_read(tmp_path):
    image = made_disk(tmp_path, "dos", parts("dos"), 400)
    code, behind = b"\xeb\x3c" + b"c" * 400, b"core" * 500
    put(image, 0, code)
    put(image, SECTOR, behind)
    made = tmp_path / "table.img"
    arguments = ["plan", str(image), "--target", "614400s", "--fit", "same", "--role", "3=system"]
    assert main([*arguments, "--format", "table-image", "--out", str(made)]) == 0
    data = made.read_bytes()
    assert data[: len(code)] == code
    assert data[SECTOR : SECTOR + len(behind)] == behind
    assert json.loads(run("sfdisk", "--json", made))["partitiontable"]["id"] == f"0x{number(data, 440, 4):08x}"
    survey = tmp_path / "survey.json"
    assert main(["survey", str(image), "--out", str(survey)]) == 0
    arguments[1] = str(survey)  # a survey knows that there is code, and holds none
    assert main([*arguments, "--format", "table-image", "--out", str(made)]) == 0
    assert not any(made.read_bytes()[:440])


def test_what_stays_empty_is_not_written_into(tmp_path):
    """FAT and exFAT that cannot be made smaller stay out: whatever is there looks like no boot sector of theirs."""
    image = made_disk(tmp_path, "dos", parts("dos"), 400)
    options = Options(roles=tuple((part.number, part.role) for part in parts("dos")), elastic=frozenset((1, 2)))
    plan, data = carried_out(tmp_path, image, options, 100)
    script = (tmp_path / "clone.sh").read_text()
    gone = [number for number in (1, 2) if plan.row(number).change == "shrinks"]
    assert gone
    for number_ in gone:
        row = plan.row(number_)
        assert f"rename_start {row.kind} " not in script.split("# --- go ")[1]
        assert not any(data[row.first_lba * SECTOR : (row.first_lba + row.sectors) * SECTOR])


def test_the_functions_leave_what_is_another_alone(tmp_path):
    """Called on bytes that are no boot sector and no loader, for each kind: nothing changes."""
    text = functions()
    noise = random.Random(5).randbytes(2 << 20)
    disk = tmp_path / "disk"
    for call in ('rename_start fat32 "$D" 65536 2048 4096', 'rename_start ntfs "$D" 65536 2048 4096',
                 'rename_start exfat "$D" 65536 2048 4096', 'rename_start fat16 "$D" 65536 2048 4096',
                 'rename_loader "$D" 65536 2048 4096'):  # fmt: skip
        disk.write_bytes(noise)
        (tmp_path / "call.sh").write_text(f"set -eu\nD={disk}\n{text}\nKEEP={tmp_path} LOG=\n{call}\nfinished=yes\n")
        run("sh", tmp_path / "call.sh")
        assert disk.read_bytes() == noise, call


@pytest.mark.skipif(not present("grub-mkimage"), reason="grub-mkimage is needed")
def test_a_table_image_names_the_new_place_of_a_loader(tmp_path):
    own = Part(1, 2048 * 50, 1, BIOS_BOOT, "", "start")
    system = Part(2, 2048, 40, LINUX_DATA, "ext4", "system")
    image = made_disk(tmp_path, "gpt", (system, own), 100)
    core_at(image, tmp_path, system.uuid, own.start)
    made = tmp_path / "table.img"
    command = ["plan", str(image), "--target", "98304s", "--fit", "same", "--role", "2=system"]
    assert main([*command, "--format", "table-image", "--out", str(made)]) == 0
    table = json.loads(run("sfdisk", "--json", made))["partitiontable"]["partitions"]
    start = next(row["start"] for row in table if row["type"] == BIOS_BOOT)
    assert number(made.read_bytes(), 0x5C, 8) == start != own.start
