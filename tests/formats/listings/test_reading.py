"""Every text form on samples of the shape that the utilities write, and what is refused."""

import json
import os
import shutil
import subprocess

import pytest

from ylemorph.core.disk.listing import merge
from ylemorph.core.disk.roles import (
    BASIC_DATA,
    BIOS_BOOT,
    EFI_SYSTEM,
    LINUX_DATA,
    LINUX_SWAP,
    MICROSOFT_RESERVED,
    RECOVERY,
)
from ylemorph.core.errors import YlemorphError
from ylemorph.core.sizes import GB, GiB, MiB, nominal_sectors
from ylemorph.formats.listings.reading import read_any

ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin"}
ESP, MSR, BASIC = (
    "c12a7328-f81f-11d2-ba4b-00a0c93ec93b",
    "e3c9e316-0b5c-4db8-817d-f92df00215ae",
    "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7",
)


def facts(disk):
    return [(p.number, p.first_lba, p.sectors, p.type, p.logical) for p in disk.partitions]


# --- sfdisk: written by the utility itself ----------------------------------------------------------------------------

GPT_SCRIPT = f"""label: gpt
start=2048, size=532480, type={ESP}
start=534528, size=32768, type={MSR}, attrs="GUID:62 GUID:63"
start=567296, size=8388608, type={BASIC}, name="Desk, front"
"""
DOS_SCRIPT = """label: dos
start=2048, size=716800, type=7, bootable
start=718848, size=8000000, type=f
start=720896, size=4194304, type=7
start=4917248, size=2097152, type=b
"""


def sfdisk(path, *args, text=None):
    return subprocess.run(
        ["sfdisk", *args, str(path)], input=text, capture_output=True, text=True, check=True, env=ENVIRONMENT
    ).stdout


@pytest.mark.parametrize("script", [GPT_SCRIPT, DOS_SCRIPT])
def test_sfdisk_dump_and_json_read_alike(tmp_path, script):
    path = tmp_path / "disk7"
    path.touch()
    os.truncate(path, 8 * GiB)
    sfdisk(path, "--quiet", text=script)
    dump, as_json = read_any(sfdisk(path, "--dump")), read_any(sfdisk(path, "--json"))
    assert (dump.form, as_json.form) == ("sfdisk dump", "sfdisk table")
    disk = dump.found[0].survey.disk
    assert facts(disk) == facts(as_json.found[0].survey.disk)
    gpt = script is GPT_SCRIPT
    assert disk.sectors == (8 * GiB // 512 if gpt else nominal_sectors(120 * GB, 512))
    assert [p.number for p in disk.partitions] == ([1, 2, 3] if gpt else [1, 2, 5, 6])
    assert [p.logical for p in disk.partitions] == ([False] * 3 if gpt else [False, False, True, True])
    if gpt:
        assert disk.partitions[1].flags == {"hidden", "no-auto"}
        assert disk.partitions[2].name == "Desk, front"
    else:
        assert disk.partitions[0].flags == {"active"}
        assert "taken as 120 GB" in dump.found[0].missing[0]  # an MBR does not say how large its disk is


def test_labels_beyond_ascii_arrive_whole_from_a_dump(tmp_path):
    """A dump writes each byte that is not plain as ``\\xc3``, and so does it with what a shell knows."""
    path, name = tmp_path / "disk7", "Bücher, $Lager é"
    path.touch()
    os.truncate(path, 8 * GiB)
    sfdisk(path, "--quiet", text=f'label: gpt\nstart=2048, size=532480, name="{name}"\n')
    for form in ("--dump", "--json"):
        assert read_any(sfdisk(path, form)).found[0].survey.disk.partitions[0].name == name
    broken = (
        b"label: gpt\nunit: sectors\n\ndisk7p1 : start=2048, size=4096, type=" + BASIC.encode() + b', name="\\xc3\\x28"'
    )
    assert read_any(broken).found[0].survey.disk.partitions[0].name == "\N{REPLACEMENT CHARACTER}("


# --- lsblk: the fields of util-linux 2.38, filled by hand; 2.33 writes numbers as text ------------------------------


def block(name, size, **more):
    return {"name": name, "path": f"/dev/{name}", "type": "disk", "size": size, "log-sec": 512, "phy-sec": 4096, **more}


def child(name, start, size, **more):
    return {"name": name, "type": "part", "start": start, "size": size, "partflags": None, **more}


NVME = block(
    "nvme0n1", 500_107_862_016, model="Quillon S2 ", serial="QS2-4410", tran="nvme", rota=False, pttype="gpt",
    ptuuid="0f3c2a10-4b7a-4e16-9c1b-0a4d6e2f8c31",
    children=[
        child("nvme0n1p1", 2048, 272_629_760, parttype=ESP, fstype="vfat", fsver="FAT32", fssize=268_435_456,
              fsused=34_603_008, mountpoints=["/boot/efi"]),
        child("nvme0n1p2", 534_528, 400 * GiB, parttype="0fc63daf-8483-4772-8e79-3d69d8477de4", fstype="ext4",
              fsused=88_046_829_568, label="root", mountpoints=["/"]),
        child("nvme0n1p3", 840_000_000, 50 * GiB, parttype=BASIC, fstype="BitLocker", partflags="0x8000000000000000"),
    ],
)  # fmt: skip
OLD = block(
    "sda", "320072933376", model="Brindle K2", tran="sata", rota="1", pttype="dos", ptuuid="5d1e40b7",
    children=[
        child("sda1", "2048", "367001600", parttype="0x7", fstype="ntfs", partflags="0x80"),
        child("sda2", "718848", "1024", parttype="0xf"),
        child("sda5", "720896", "161061273600", parttype="0x7", fstype="ntfs", label="Scans", fsused="94489280512"),
    ],
)  # fmt: skip


def test_lsblk():
    found = read_any(json.dumps({"blockdevices": [NVME, block("zram0", 0), OLD]})).found
    first, second = (item.survey.disk for item in found)
    assert [item.name for item in found] == ["/dev/nvme0n1", "/dev/sda"]
    assert (first.model, first.serial, first.link, first.rotational) == ("Quillon S2", "QS2-4410", "nvme", False)
    assert [(p.filesystem.kind, p.role) for p in first.partitions] == [
        ("fat32", None), ("ext4", "system"), ("bitlocker", None),
    ]  # fmt: skip
    assert first.partitions[1].filesystem.used_bytes == 88_046_829_568
    assert first.partitions[2].flags == {"no-auto"}
    assert (second.table, second.table_id, second.rotational) == ("mbr", "0x5d1e40b7", True)
    assert [p.logical for p in second.partitions] == [False, False, True]
    assert second.partitions[1].extent.stop == second.partitions[2].extent.stop
    assert "partition 1 is not in the listing" in found[1].missing[0]


BLKID = """DEVNAME=/dev/sda1
UUID=4f1c2a7e-1b1c-4a2b-8f6d-2f7d7b1f2a11
TYPE=ext4
LABEL=Harrow\\ Lane
PARTUUID=9e2b4c10-02

DEVNAME=/dev/sdb1
TYPE=ntfs

DEVNAME=/dev/sda
PTUUID=9e2b4c10
PTTYPE=dos
"""


def test_blkid_beside_lsblk_fills_in_what_it_lacks():
    """As where the device manager does not run: it asks the disks themselves."""
    bare = block("sda", 8 * GiB, children=[child("sda1", 2048, GiB), child("sda2", 4_000_000, GiB, fstype="xfs")])
    alone = json.dumps({"blockdevices": [bare]})
    with pytest.raises(YlemorphError, match="the kind of its table is missing; add sudo blkid -o export"):
        read_any(alone)
    for text in (f"{alone}\n{BLKID}", f"{BLKID}\n{alone}"):
        disk = read_any(text).found[0].survey.disk
        assert (disk.table, disk.table_id) == ("mbr", "0x9e2b4c10")
        first, second = (p.filesystem for p in disk.partitions)
        assert (first.kind, first.label, first.uuid[:8], second.kind) == ("ext4", "Harrow Lane", "4f1c2a7e", "xfs")
    whole = json.dumps({"blockdevices": [block("sda", 8 * GiB, pttype="gpt", children=[
        child("sda1", 2048, GiB, parttype=BASIC, fstype="ntfs", label="Desk")])]})  # fmt: skip
    assert read_any(f"{whole}\n{BLKID}").found[0].survey.disk.partitions[0].filesystem.kind == "ntfs"
    with pytest.raises(YlemorphError, match="neither starts nor sizes; put what it says behind"):
        read_any(BLKID)


# --- parted: the first by the utility itself, the others as its later versions write them -----------------------------


def parted(path, unit="s"):
    command = ["parted", "--json", str(path), "unit", unit, "print", "free"]
    return subprocess.run(command, capture_output=True, text=True, check=True, env=ENVIRONMENT).stdout


@pytest.mark.skipif(not shutil.which("parted", path=ENVIRONMENT["PATH"]), reason="the utility is not installed")
@pytest.mark.parametrize("script", [GPT_SCRIPT, DOS_SCRIPT])
@pytest.mark.parametrize("unit", ["s", "B"])
def test_parted_reads_like_sfdisk(tmp_path, script, unit):
    path = tmp_path / "disk7"
    path.touch()
    os.truncate(path, 8 * GiB)
    sfdisk(path, "--quiet", text=script)
    reading = read_any(parted(path, unit))
    disk, other = reading.found[0].survey.disk, read_any(sfdisk(path, "--json")).found[0].survey.disk
    assert reading.form == "parted table"
    assert (disk.table, disk.sectors, disk.logical_sector_bytes) == (other.table, 8 * GiB // 512, 512)
    for mine, theirs in zip(disk.partitions, other.partitions, strict=True):
        assert (mine.number, mine.extent, mine.logical, mine.name) == (
            theirs.number, theirs.extent, theirs.logical, theirs.name,
        )  # fmt: skip
        assert mine.flags - {"no-auto", "hidden"} == theirs.flags - {"no-auto", "hidden"}
    with pytest.raises(YlemorphError, match="is a rounded size"):
        read_any(parted(path, "GB"))


def table(*rows, label="gpt", **more):
    made = [
        {"number": place, "start": f"{place * 100_000}s", "size": "100000s", "type": "primary", **row}
        for place, row in enumerate(rows, 1)
    ]
    return {"disk": {"path": "/dev/sda", "size": "2000000s", "label": label, "logical-sector-size": 512,
                     "partitions": made, **more}}  # fmt: skip


PARTED = table(
    {"flags": ["boot", "esp"], "filesystem": "fat32"}, {"flags": ["msftres"]}, {"filesystem": "ntfs"},
    {"filesystem": "ext4", "name": "root"}, {"filesystem": "linux-swap(v1)", "flags": ["swap", "hidden"]},
    {"flags": ["msftdata", "no_automount"], "type-uuid": RECOVERY.lower(),
     "uuid": "7e1d6b02-55a4-4c1b-9c7f-1d0000000001"},
    {"flags": ["bios_grub"]},
    model="Brindle K4", transport="nvme", uuid="5b0a6c1e-7d3f-4c52-9a44-0d1e52b7c731",
)  # fmt: skip


def test_what_parted_says_of_types_and_file_systems():
    disk = read_any(json.dumps(PARTED)).found[0].survey.disk
    assert (disk.model, disk.link, disk.table_id[:8]) == ("Brindle K4", "nvme", "5B0A6C1E")
    assert [p.type for p in disk.partitions] == [
        EFI_SYSTEM, MICROSOFT_RESERVED, BASIC_DATA, LINUX_DATA, LINUX_SWAP, RECOVERY, BIOS_BOOT,
    ]  # fmt: skip
    assert [p.filesystem and p.filesystem.kind for p in disk.partitions] == [
        "fat32", None, "ntfs", "ext4", "swap", None, None,
    ]  # fmt: skip
    assert [sorted(p.flags) for p in disk.partitions[4:6]] == [["hidden"], ["no-auto"]]
    assert disk.partitions[5].uuid == "7E1D6B02-55A4-4C1B-9C7F-1D0000000001"
    old = table(
        {"flags": ["boot"], "filesystem": "ntfs"}, {"filesystem": "fat16"}, {"type-id": "0x7"}, {}, label="msdos"
    )
    assert [p.type for p in read_any(json.dumps(old)).found[0].survey.disk.partitions] == [
        "0x07",
        "0x06",
        "0x07",
        "0x83",
    ]
    whole = read_any(json.dumps(table({"filesystem": "ext4"}, label="loop"))).found[0].survey.disk
    assert (whole.table, whole.partitions, whole.filesystem.kind) == ("none", (), "ext4")
    with pytest.raises(YlemorphError, match="table of another kind"):
        read_any(json.dumps(table(label="sun")))


# --- PowerShell: property names of the Storage Management API, values by hand -----------------------------------------

VOLUME_PATH = "\\\\?\\Volume{11111111-2222-3333-4444-555555555555}\\"
POWERSHELL = {
    "Disks": [
        {"Number": 0, "FriendlyName": "Brindle K4", "SerialNumber": "     BK4-00731", "Size": 1_000_204_886_016,
         "LogicalSectorSize": 512, "PhysicalSectorSize": 4096, "PartitionStyle": 2, "BusType": 11,
         "Guid": "{5b0a6c1e-7d3f-4c52-9a44-0d1e52b7c731}", "HealthStatus": 0},
    ],
    "Partitions": [
        {"DiskNumber": 0, "PartitionNumber": 1, "Offset": 1_048_576, "Size": 272_629_760, "GptType": f"{{{ESP}}}",
         "DriveLetter": "\0", "AccessPaths": None, "IsBoot": False},
        {"DiskNumber": 0, "PartitionNumber": 2, "Offset": 273_678_336, "Size": 16_777_216, "GptType": f"{{{MSR}}}"},
        {"DiskNumber": 0, "PartitionNumber": 3, "Offset": 290_455_552, "Size": 450_971_566_080,
         "GptType": f"{{{BASIC}}}", "DriveLetter": "C", "AccessPaths": ["C:\\", VOLUME_PATH], "IsBoot": True},
    ],
    "Volumes": [
        {"DriveLetter": "C", "Path": VOLUME_PATH, "FileSystem": "NTFS", "FileSystemLabel": "Büro",
         "Size": 450_971_562_496, "SizeRemaining": 310_311_383_040, "HealthStatus": 0, "AllocationUnitSize": 4096},
    ],
}  # fmt: skip


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be"])
def test_powershell_in_every_encoding(encoding):
    reading = read_any(json.dumps(POWERSHELL, ensure_ascii=False).encode(encoding))
    disk = reading.found[0].survey.disk
    assert reading.form == "PowerShell listing"
    assert (disk.serial, disk.link, disk.table, disk.health.state) == ("BK4-00731", "sata", "gpt", "good")
    system = disk.partitions[2]
    assert (system.role, system.filesystem.label) == ("system", "Büro")
    assert system.filesystem.used_bytes == 450_971_562_496 - 310_311_383_040


def test_powershell_with_words_and_one_object():
    """Newer versions write words for the numbers, and one object without a list."""
    data = {
        "disks": {"Number": 1, "Size": 64 * GB, "PartitionStyle": "MBR", "BusType": "USB", "Signature": 439_041_101},
        "partitions": {"DiskNumber": 1, "PartitionNumber": 1, "Offset": MiB, "Size": 32 * GB, "MbrType": 12,
                       "IsActive": True},
        "volumes": None,
    }  # fmt: skip
    disk = read_any(json.dumps(data)).found[0].survey.disk
    assert (disk.table, disk.link, disk.table_id) == ("mbr", "usb3", "0x1a2b3c4d")
    assert (disk.partitions[0].type, disk.partitions[0].flags) == ("0x0C", {"active"})


def test_powershell_with_numbers_in_quotes():
    quoted = json.loads(json.dumps(POWERSHELL), parse_int=str)
    volume = quoted["Volumes"][0]
    assert volume["SizeRemaining"] == "310311383040"
    assert read_any(json.dumps(quoted)).found[0].survey.disk.partitions == (
        read_any(json.dumps(POWERSHELL)).found[0].survey.disk.partitions
    )


# --- Tables with a header line ----------------------------------------------------------------------------------------

ENGLISH = """number,size,used,file system,label
1,260 MiB,33 MiB,FAT32,
2,16 MiB,,,
3,420 GiB,131.5 GiB,NTFS,Desk
"""
GERMAN = "Nr;Size;Free;FS;Label\n1;260 MiB;227 MiB;FAT32;\n3;420,0 GiB;1.288,5 GB;NTFS;Büro\n".replace(
    "1.288,5 GB", "288,5 GiB"
)
TABBED = "size\tused\n260 MiB\t33 MiB\n420 GiB\t31 %\n980 MiB\t572 MiB\n"


@pytest.mark.parametrize(
    ("text", "used", "kinds"),
    [
        (ENGLISH, [33 * MiB, None, 131 * GiB + GiB // 2], ["fat32", None, "ntfs"]),
        (GERMAN, [33 * MiB, 131 * GiB + GiB // 2], ["fat32", "ntfs"]),
        (TABBED, [33 * MiB, 420 * GiB * 31 // 100, 572 * MiB], ["fat32", "ntfs", "ntfs"]),
    ],
)
def test_tables(text, used, kinds):
    disk = read_any(text).found[0].survey.disk
    systems = [p.filesystem for p in disk.partitions]
    assert [fs and fs.used_bytes for fs in systems] == used
    assert [fs and fs.kind for fs in systems] == kinds
    assert disk.partitions[0].role == "start"


WINDOWS = """#TYPE Selected.Microsoft.Management.Infrastructure.CimInstance
"DiskNumber","PartitionNumber","DriveLetter","Offset","Size","Type","FileSystem","SizeRemaining"
"0","1","","1048576","272629760","System","FAT32","238026752"
"0","2","","273678336","16777216","Reserved","",""
"0","3","C","290455552","450971566080","Basic","NTFS","310311387136"
"1","1","D","1048576","64000000000","Basic","exFAT","32000000000"
"""


def test_a_table_of_partitions_as_windows_writes_it():
    """The names of columns are those of Get-Partition and Get-Volume (Microsoft's documentation, from memory)."""
    found = read_any(WINDOWS).found
    assert [item.name for item in found] == ["0", "1"]
    first, second = (item.survey.disk for item in found)
    assert [(p.number, p.first_lba, p.role, p.label) for p in first.partitions] == [
        (1, 2048, "start", ""), (2, 534_528, "reserved", ""), (3, 567_296, "system", "C"),
    ]  # fmt: skip
    assert [p.filesystem and p.filesystem.used_bytes for p in first.partitions] == [33 * MiB, None, 131 * GiB]
    assert (second.partitions[0].filesystem.kind, second.partitions[0].filesystem.used_bytes) == ("exfat", 32 * GB)
    volumes = "DriveLetter;Label;FileSystem;Capacity;FreeSpace\nC:;Desk;NTFS;450971566080;310311387136\n"
    alone = read_any(volumes).found[0].survey.disk.partitions[0]
    assert (alone.label, alone.filesystem.used_bytes) == ("Desk", 131 * GiB)


# --- What is refused, in one sentence ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ("", "nothing in it"),
        (" \n\t ", "nothing in it"),
        (b"\xff\xfe", "nothing in it"),
        ("hello there", "“hello there” is not the beginning"),
        ("[1, 2]", "a list of values"),
        ('{"cars": 3}', "JSON with “cars”"),
        ('{"blockdevices": [{"name": "sda", "type": "di', "breaks off"),
        ('{"a": 1,, "b": 2}', "line 1, column 9"),
        ("{" * 100_000, "JSON"),
        (bytes(4096), "nothing in it"),
        (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 8, "this is no text"),
        (json.dumps({"blockdevices": []}), "no disk in this lsblk listing"),
        (json.dumps({"blockdevices": [block("sda", "298.1G")]}), "rounded size"),
        (json.dumps({"blockdevices": [block("sda", GB, children=[child("sda1", 63, MiB)])]}), "table is missing"),
        (json.dumps({"partitiontable": {"label": "sun"}}), "table of another kind"),
        ("label: gpt\nfirst-lba: 34\n\n/dev/sda1 : start= 2048, size= x, type=L\n", "line 4"),
        ("size,used\n420 GiB,131 GiB,4\n", "line 2"),
        ("size,used\n420 parsecs,1\n", "line 2, column size"),
        ('size;used\n420 GiB;"131,072 GiB"\n', "131.072 or 131072"),
        ("size,used\n1 GiB,2 GiB\n", "more is used"),
        ("size,used\n", "no rows"),
        (json.dumps({**POWERSHELL, "Disks": ["MSFT_Disk (ObjectId = 3)"]}), "text instead of objects"),
        (b"x" * 8_000_001, "larger than the 8 MB"),
    ],
)
def test_refused(data, words):
    with pytest.raises(YlemorphError) as caught:
        read_any(data)
    assert words in caught.value.sentence()
    assert caught.value.mend


# --- one disk of a listing that cannot be used ------------------------------------------------------------------------


def bare_disk(name, **more):
    inner = {"name": f"{name}1", "type": "part", "start": 2048, "size": 20 * GiB}
    return {"name": name, "path": f"/dev/{name}", "type": "disk", "size": 64 * GiB, "pttype": "dos",
            "children": [{**inner, "parttype": "0x83", **more.pop("part", {})}], **more}  # fmt: skip


def test_one_disk_that_cannot_be_used_does_not_spoil_the_others():
    listing = {"blockdevices": [bare_disk("sda", pttype="sun"), bare_disk("sdb"), bare_disk("sdc", size="64G")]}
    reading = read_any(json.dumps(listing))
    assert [item.name for item in reading.found] == ["/dev/sdb"]
    assert [(item.name, item.error.at) for item in reading.unreadable] == [
        ("/dev/sda", "blockdevices[0].pttype"), ("/dev/sdc", "blockdevices[2].size"),
    ]  # fmt: skip
    with pytest.raises(YlemorphError, match="table of another kind"):
        read_any(json.dumps({"blockdevices": [bare_disk("sda", pttype="sun")]}))


def test_a_listing_without_the_device_manager_reads_as_far_as_it_goes():
    """As root in a container or a rescue system: no table kind, no type, no file system."""
    child = {"parttype": None, "partuuid": "2f1de3a0-01", "fstype": None}
    found = read_any(json.dumps({"blockdevices": [bare_disk("sda", pttype=None, part=child)]})).found[0]
    assert (found.survey.disk.table, found.survey.disk.partitions[0].type) == ("mbr", "0x83")
    assert "sfdisk --json /dev/sda" in found.missing[-1]


@pytest.mark.parametrize(
    ("fstype", "fssize", "fsused", "used"),
    [
        ("ext4", 19 * GiB, 5 * GiB, 6 * GiB),  # 20 - (19 - 5): its own tables count too
        ("ext4", None, 5 * GiB, 5 * GiB),
        ("ntfs", 20 * GiB, 5 * GiB, 5 * GiB),
        ("btrfs", 20 * GiB, 5 * GiB, 5 * GiB),
        ("btrfs", 60 * GiB, 5 * GiB, None),  # over several devices: one figure for all of them
        ("ext4", 19 * GiB, 30 * GiB, None),
    ],
)
def test_used_space_as_the_mounted_system_counts_it(fstype, fssize, fsused, used):
    child = {"fstype": fstype, "fssize": fssize, "fsused": fsused}
    fs = read_any(json.dumps({"blockdevices": [bare_disk("sda", part=child)]})).found[0].survey.disk.rows[0].filesystem
    assert (fs.used_bytes, fs.used_kind) == (used, "unknown" if used is None else "mounted")


# --- smartctl: the fields of smartmontools 7, filled by hand ----------------------------------------------------------

SMART = {
    "smartctl": {"version": [7, 3], "messages": []}, "device": {"name": "/dev/sdb", "type": "sat", "protocol": "ATA"},
    "model_name": "Brindle K4", "serial_number": "BK4-00731", "user_capacity": {"bytes": 1_000_204_886_016},
    "logical_block_size": 512, "physical_block_size": 4096, "rotation_rate": 7200, "sata_version": {"value": 62},
    "smart_status": {"passed": True}, "power_on_time": {"hours": 31_240},
    "ata_smart_attributes": {"table": [{"id": 5, "value": 100, "raw": {"value": 0}}, {"id": 197, "raw": {"value": 0}}]},
}  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "state", "worn"),
    [
        ({}, "good", None),
        ({"smart_status": {"passed": False}}, "failing", None),
        ({"ata_smart_attributes": {"table": [{"id": 197, "raw": {"value": 8}}]}}, "failing", None),
        ({"ata_smart_attributes": {"table": [{"id": 5, "raw": {"value": 3}}]}}, "worn", None),
        ({"ata_smart_attributes": {"table": [{"id": 231, "value": 12, "raw": {"value": 1}}]}}, "worn", 88),
        ({"nvme_smart_health_information_log": {"percentage_used": 93}}, "worn", 93),
        ({"smart_status": None, "ata_smart_attributes": None}, "unknown", None),
    ],
)
def test_smartctl(changes, state, worn):
    found = read_any(json.dumps({**SMART, **changes})).found[0]
    disk = found.survey.disk
    assert (disk.model, disk.serial, disk.sectors, disk.link) == ("Brindle K4", "BK4-00731", 1_953_525_168, "sata")
    assert (disk.rotational, disk.physical_sector_bytes, disk.health.hours) == (True, 4096, 31_240)
    assert (disk.health.state, disk.health.worn_percent) == (state, worn)
    assert "What stands on the disk" in found.missing[-1]


def test_smartctl_joins_a_listing_of_the_same_disk():
    disk = read_any(json.dumps({"blockdevices": [bare_disk("sdb", size=1_000_204_886_016)]})).found[0].survey
    smart = read_any(json.dumps(SMART)).found[0].survey
    joined = merge(disk, smart).survey.disk
    assert (joined.serial, joined.health.state, len(joined.partitions)) == ("BK4-00731", "good", 1)
    other = read_any(json.dumps({**SMART, "serial_number": "X", "user_capacity": {"bytes": 10**12}})).found[0].survey
    with pytest.raises(YlemorphError, match="another disk"):
        merge(disk, other)


def test_smartctl_that_could_not_open_the_disk_says_why():
    said = {"smartctl": {"messages": [{"string": "Permission denied"}]}, "model_name": "x", "user_capacity": {}}
    with pytest.raises(YlemorphError, match="Permission denied"):
        read_any(json.dumps(said))
