"""What a running system says of itself: least sizes, encryption, page files, health; and the scripts that ask it.

The shapes of Windows' answers are those of Microsoft's documentation of MSFT_Partition, Win32_EncryptableVolume,
Win32_PageFileUsage and MSFT_StorageReliabilityCounter (from memory).
"""

import copy
import json
import re
import shutil
import subprocess

import pytest
import tree_sitter_powershell
from tree_sitter import Language, Parser

from tests.real.volumes import ENVIRONMENT, MIB, Failed, folder, many, present, run, sparse
from ylemorph.core.disk.listing import merge
from ylemorph.core.disk.model import Health
from ylemorph.core.errors import BadSurvey
from ylemorph.core.sizes import GiB, MiB
from ylemorph.formats.listings.collecting import SCRIPTS, script_text
from ylemorph.formats.listings.reading import read_any
from ylemorph.formats.own.survey import survey_from_data
from ylemorph.formats.own.survey_data import survey_to_data

BASIC = "{ebd0a0a2-b9e5-4433-87c0-68b6b72699c7}"
PATH = "\\\\?\\Volume{1}\\"
WINDOWS = {
    "Disks": [{
        "Number": 0, "FriendlyName": "Brindle K4", "SerialNumber": "BR-1", "Size": 500 * GiB, "LogicalSectorSize": 512,
        "PartitionStyle": "GPT", "HealthStatus": "Healthy", "BusType": "SATA",
    }],
    "Partitions": [{
        "DiskNumber": 0, "PartitionNumber": 3, "Offset": 1 * GiB, "Size": 400 * GiB, "GptType": BASIC,
        "DriveLetter": "C", "IsBoot": True, "AccessPaths": ["C:\\", PATH],
    }],
    "Volumes": [{
        "Path": PATH, "DriveLetter": "C", "FileSystem": "NTFS", "Size": 400 * GiB, "SizeRemaining": 300 * GiB,
        "HealthStatus": "Healthy",
    }],
}  # fmt: skip
TOLD = {
    "Supported": [{"DiskNumber": 0, "PartitionNumber": 3, "SizeMin": 150 * GiB, "SizeMax": 450 * GiB}],
    "Encryption": [{"MountPoint": "C:", "VolumeStatus": 1, "ProtectionStatus": 1, "LockStatus": 0}],
    "PageFiles": [{"Name": "C:\\pagefile.sys", "AllocatedBaseSize": 8192}],
    "Health": [{"DeviceId": "0", "Wear": 7, "PowerOnHours": 5120, "ReadErrorsUncorrected": 0}],
}


def windows(**told):
    return read_any(json.dumps({**WINDOWS, **told})).found[0].survey


def row_of(survey):
    return survey.disk.partitions[0].filesystem


# --- Windows ----------------------------------------------------------------------------------------------------------


def test_windows_own_word_is_read_and_survives_the_file():
    survey = windows(**TOLD)
    fs = row_of(survey)
    assert (fs.told_least_bytes, fs.told_by) == (150 * GiB, "windows")
    assert (fs.kind, fs.used_bytes, fs.state, fs.encryption) == ("ntfs", 100 * GiB, "unknown", "active")
    assert fs.pinning == ("pagefile.sys of 8 GiB",)
    assert survey.disk.health == Health("good", 5120, worn_percent=7)
    assert survey_from_data(survey_to_data(survey)) == survey


@pytest.mark.parametrize(
    ("volume", "encryption"),
    [
        ({"VolumeStatus": 1, "ProtectionStatus": 0}, "paused"),
        ({"VolumeStatus": "FullyEncrypted", "ProtectionStatus": "Off"}, "paused"),
        ({"VolumeStatus": "FullyEncrypted", "ProtectionStatus": "On"}, "active"),
        ({"VolumeStatus": "EncryptionInProgress", "ProtectionStatus": "Off"}, "paused"),
        ({"VolumeStatus": "FullyDecrypted", "ProtectionStatus": "Off"}, "none"),
        ({"VolumeStatus": 0, "ProtectionStatus": 0}, "none"),
        ({"VolumeStatus": 1, "ProtectionStatus": 2}, "unknown"),
        ({}, "unknown"),
    ],
)
def test_states_of_encryption(volume, encryption):
    assert row_of(windows(Encryption=[{"MountPoint": "c:\\", **volume}])).encryption == encryption
    assert row_of(windows(Encryption=[{"MountPoint": "D:", **volume}])).encryption == "unknown"


def test_a_locked_volume_is_locked_whatever_else_is_said():
    locked = {"MountPoint": "C:", "LockStatus": "Locked", "ProtectionStatus": "On", "VolumeStatus": None}
    fs = row_of(windows(Encryption=[locked]))
    assert (fs.kind, fs.state, fs.used_bytes) == ("bitlocker", "locked", None)


def test_health_says_the_worse_of_both():
    assert windows(Health=[{"DeviceId": 0, "Wear": 90}]).disk.health == Health("worn", worn_percent=90)
    assert windows(Health=[{"DeviceId": 1, "Wear": 90}]).disk.health == Health("good")
    worn = {**WINDOWS, "Disks": [{**WINDOWS["Disks"][0], "HealthStatus": 1}], "Health": [{"DeviceId": 0, "Wear": 1}]}
    assert read_any(json.dumps(worn)).found[0].survey.disk.health.state == "worn"


NONSENSE = (None, "", 7, [], [7, None, "x"], {}, [{}], [[[]]], [{"MountPoint": {}, "Name": [], "SizeMin": -1}], "C:")


@pytest.mark.parametrize("part", TOLD)
@pytest.mark.parametrize("value", NONSENSE, ids=str)
def test_a_part_that_was_refused_does_not_stop_the_listing(part, value):
    """Whatever stands in one part, the other parts and the listing itself are read as they are."""
    whole, without = windows(**{**TOLD, part: value}), {k: v for k, v in TOLD.items() if k != part}
    assert whole == windows(**without)


@pytest.mark.parametrize("least", [0, -5, 400 * GiB + 1, 2**70, "many", 1.5, None, True])
def test_a_least_size_that_cannot_be_is_left_out(least):
    told = [{"DiskNumber": 0, "PartitionNumber": 3, "SizeMin": least}]
    assert row_of(windows(Supported=told)) == row_of(windows())


def test_read_from_outside_and_listed_from_inside_it_is_one_open_volume():
    listed = windows(**TOLD)
    outside = copy.deepcopy(survey_to_data(listed))
    outside["disk"]["partitions"][0]["filesystem"] = {"kind": "bitlocker", "state": "locked"}
    outside = survey_from_data(outside)
    for joined in (merge(outside, listed), merge(listed, outside)):
        assert row_of(joined.survey) == row_of(listed)
        assert joined.conflicts == ()
    plain = windows(Encryption=[{"MountPoint": "C:", "VolumeStatus": 0, "ProtectionStatus": 0}])
    assert merge(outside, plain).conflicts  # locked from outside, never encrypted from inside: that is said


# --- Linux ------------------------------------------------------------------------------------------------------------

LSBLK = {
    "blockdevices": [{
        "name": "sda", "path": "/dev/sda", "type": "disk", "size": 100 * GiB, "log-sec": 512, "pttype": "gpt",
        "children": [
            {
                "name": "sda1", "path": "/dev/sda1", "type": "part", "size": 40 * GiB, "start": 2048, "partn": 1,
                "parttype": "0fc63daf-8483-4772-8e79-3d69d8477de4", "fstype": "ext4", "fsused": 10 * GiB,
                "fssize": 39 * GiB,
            }
        ],
    }]
}  # fmt: skip
SMART = {
    "smartctl": {}, "device": {"name": "/dev/sda"}, "smart_status": {"passed": True}, "power_on_time": {"hours": 9},
}  # fmt: skip


def collected(**parts):
    return read_any(json.dumps({"lsblk": LSBLK, **parts}))


def test_what_the_resizer_says_is_the_least_size():
    read = collected(told=[{"path": "/dev/sda1", "least_bytes": 12 * GiB}], smart=[SMART])
    assert read.form == "listing that was collected"
    fs = row_of(read.found[0].survey)
    assert (fs.told_least_bytes, fs.told_by) == (12 * GiB, "resizer")
    assert read.found[0].survey.disk.health == Health("good", 9)
    assert collected().found[0].survey == read_any(json.dumps(LSBLK)).found[0].survey


@pytest.mark.parametrize("part", ["told", "smart"])
@pytest.mark.parametrize("value", [*NONSENSE, [{"path": "/dev/sda1", "least_bytes": 41 * GiB}]], ids=str)
def test_nonsense_beside_the_listing_changes_nothing(part, value):
    assert collected(**{part: value}).found[0].survey == collected().found[0].survey


@pytest.mark.parametrize("listing", [None, [], 7, {"blockdevices": 7}, {}])
def test_nonsense_instead_of_the_listing_is_said(listing):
    with pytest.raises(BadSurvey):
        read_any(json.dumps({"lsblk": listing}))


def least_of(image, kind, place=""):
    """The script's own function, on an image."""
    body = re.search(r"^least\(\) \{.*?^\}", script_text("linux"), re.MULTILINE | re.DOTALL).group()
    return run("sh", "-c", f'{body}\nleast "$@"', "sh", image, kind, place).strip()


@pytest.mark.skipif(not present("mke2fs", "resize2fs", "dumpe2fs"), reason="e2fsprogs is needed")
@pytest.mark.parametrize("block", [1024, 4096])
def test_ext_goes_to_what_its_resizer_said(tmp_path, block):
    image = sparse(tmp_path / "ext.img", 200 * MIB)
    files = folder(tmp_path / "files", many(400, 70_000))
    run("mke2fs", "-q", "-t", "ext4", "-b", block, "-d", files, image)
    run("e2fsck", "-fy", image, ok=(0, 1))
    said = int(least_of(image, "ext4"))
    assert 28 * MiB < said < 200 * MiB
    run("resize2fs", image, f"{said // 1024}K")
    run("e2fsck", "-fn", image)
    with pytest.raises(Failed):
        run("resize2fs", image, f"{said // 2048}K")


@pytest.mark.skipif(not present("mkntfs", "ntfsresize"), reason="ntfs-3g is needed")
def test_ntfs_goes_to_what_its_resizer_said(tmp_path):
    image = sparse(tmp_path / "ntfs.img", 100 * MIB)
    run("mkntfs", "-q", "-F", "-f", image)
    said = int(least_of(image, "ntfs"))
    assert least_of(image, "ntfs", "/mnt") == ""  # in use: it is not asked
    run("ntfsresize", "--no-progress-bar", "--force", "--force", "--size", said, image)
    assert least_of(image, "swap") == least_of(tmp_path / "none.img", "ext4") == ""


def test_the_script_with_utilities_that_answer(tmp_path):
    """Stand-ins for the utilities of a machine with two disks; one of these cannot be asked for its health."""
    answers = {
        "id": "echo 0",
        "hostname": "echo desk-3",
        "lsblk": f"""case "$*" in
            *--json*) cat <<'X'
{json.dumps(LSBLK)}
X
            ;;
            *NAME,TYPE*) printf '/dev/sda disk\\n/dev/sr0 rom\\n/dev/sdb disk\\n' ;;
            *'--output NAME') printf '/dev/sda\\n/dev/sda1\\n' ;;
            *MOUNTPOINT*) echo / ;;
            *FSTYPE*'/dev/sda1'*) echo ext4 ;;
            esac""",
        "dumpe2fs": "echo 'Block size:               4096'",
        "resize2fs": "echo 'Estimated minimum size of the filesystem: 3145728'",
        "blkid": "exit 2",
        "smartctl": f"""case "$*" in *sda) cat <<'X'
{json.dumps(SMART)}
X
            ;; *) exit 2 ;; esac""",
        "pvs": "exit 5",
        "lvs": """echo '{"report": []}'""",
    }
    for name, body in answers.items():
        (tmp_path / name).write_text(f"#!/bin/sh\n{body}\n")
        (tmp_path / name).chmod(0o755)
    done = subprocess.run(
        ["sh", "-s", "--", "--file"], input=script_text("linux"), capture_output=True, text=True, cwd=tmp_path,
        env={**ENVIRONMENT, "PATH": f"{tmp_path}:{ENVIRONMENT['PATH']}"}, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    text = next(tmp_path.glob("ylemorph-desk-3-*.json")).read_text()
    survey = read_any(text).found[0].survey
    assert (row_of(survey).told_least_bytes, survey.disk.health) == (12 * GiB, Health("good", 9))
    assert '"least_bytes": 12884901888' in done.stderr  # shown before anything is sent
    plain = subprocess.run(
        ["sh", "-s", "--", "--file", "--plain"], input=script_text("linux"), capture_output=True, text=True,
        cwd=tmp_path, env={**ENVIRONMENT, "PATH": f"{tmp_path}:{ENVIRONMENT['PATH']}"}, check=False,
    )  # fmt: skip
    assert (plain.returncode, "least_bytes" in plain.stderr) == (0, False)


@pytest.mark.skipif(shutil.which("shellcheck") is None, reason="shellcheck is needed")
def test_shellcheck_finds_nothing_in_the_collecting_script(tmp_path):
    path = tmp_path / "collect.sh"
    path.write_text(script_text("linux", "http://127.0.0.1:9", "CODE"))
    assert run("shellcheck", "-s", "sh", path) == ""


# --- the script for Windows, by a grammar of PowerShell ---------------------------------------------------------------


def broken_parts(text):
    """What the grammar cannot take, as pieces of the text."""
    tree = Parser(Language(tree_sitter_powershell.language())).parse(text.encode())
    found, nodes = [], [tree.root_node]
    while nodes:
        node = nodes.pop()
        if node.is_error or node.is_missing:
            found.append(text.encode()[node.start_byte : node.end_byte].decode())
        nodes += node.children
    return found


@pytest.mark.parametrize("pin", ["", "abc+/="])
def test_the_script_for_windows_is_powershell(pin):
    text = script_text("windows", "http://127.0.0.1:9", "CODE", pin)
    assert broken_parts(text) == []
    for cut in ("} catch { }", "@(", '"'):
        assert broken_parts(text.replace(cut, "", 1)), cut


def test_every_part_that_is_read_is_asked_for():
    text = script_text("windows")
    for part in (*WINDOWS, *TOLD):
        assert re.search(rf"\$more\.{part} =|\b{part} = @\(", text), part
    for key in {key for part in TOLD.values() for one in part for key in one}:
        assert key in text, key


def test_both_scripts_leave_out_what_nobody_wants_to_send():
    assert all("p" in re.search(r"\[y/N, (p): ", script_text(system)).group(1) for system in SCRIPTS)


# --- what lies within: LVM, LUKS, arrays ------------------------------------------------------------------------------


def inner(name, kind, fstype="", used=None, children=(), size=8 * GiB):
    return {
        "name": name, "path": f"/dev/mapper/{name}", "type": kind, "size": size, "fstype": fstype or None,
        "fsused": used, "children": list(children),
    }  # fmt: skip


def holding(fstype, *children, **more):
    """The listing of one partition with this kind and what lies within."""
    listing = copy.deepcopy(LSBLK)
    partition = listing["blockdevices"][0]["children"][0]
    partition |= {"fstype": fstype, "fsused": None, "fssize": None, "children": list(children)}
    return read_any(json.dumps({"lsblk": listing, **more}))


def test_volumes_of_a_group_are_shown_within():
    fs = row_of(
        holding(
            "LVM2_member", inner("reading-root", "lvm", "ext4", 3 * GiB), inner("reading-swap", "lvm", "swap")
        ).found[0].survey
    )  # fmt: skip
    assert [(one.name, one.layout, one.kind, one.used_bytes) for one in fs.inside] == [
        ("reading-root", "lvm", "ext4", 3 * GiB), ("reading-swap", "lvm", "swap", None),
    ]  # fmt: skip
    assert (fs.kind, fs.used_bytes) == ("lvm", None)  # nobody said how it is laid out


def test_what_is_opened_within_luks_and_arrays_is_looked_through():
    root = inner("reading-root", "lvm", "xfs", GiB)
    luks = holding("crypto_LUKS", inner("desk", "crypt", "LVM2_member", children=[root]))
    assert [one.name for one in row_of(luks.found[0].survey).inside] == ["reading-root"]
    assert row_of(luks.found[0].survey).state == "locked"
    plain = row_of(holding("crypto_LUKS", inner("desk", "crypt", "ext4", GiB)).found[0].survey)
    assert [(one.name, one.layout, one.used_bytes) for one in plain.inside] == [("desk", "crypt", GiB)]
    array = row_of(holding("linux_raid_member", inner("md0", "raid1", "ext4", GiB)).found[0].survey)
    assert [(one.name, one.layout, one.kind) for one in array.inside] == [("md0", "raid1", "ext4")]
    nonsense = holding("crypto_LUKS", 7, None, {"type": "crypt"}, {"type": "crypt", "size": GiB, "name": 9})
    assert [(one.name, one.kind) for one in row_of(nonsense.found[0].survey).inside] == [("", "unknown")]


def segment(start, size, kind="linear", path="/dev/sda1", **more):
    return {
        "pv_name": path, "vg_name": "reading", "pe_start": "1048576", "vg_extent_size": "4194304",
        "pvseg_start": str(start), "pvseg_size": str(size), "segtype": kind, **more,
    }  # fmt: skip


def reported(*segments):
    read = holding("LVM2_member", pvs={"report": [{"pv": list(segments)}]})
    return row_of(read.found[0].survey)


def test_lvms_own_report_says_what_is_in_use():
    """As `pvs --reportformat json --units b --nosuffix` writes it, a row for each segment."""
    fs = reported(segment(0, 100), segment(100, 50, "free"), segment(150, 10, "striped"), segment(160, 90, "free"))
    assert (fs.label, fs.used_bytes, fs.last_used_byte) == ("reading", MiB + 110 * 4 * MiB, MiB + 160 * 4 * MiB)
    assert (fs.size_bytes, fs.used_kind, fs.immovable_end_byte) == (MiB + 250 * 4 * MiB, "counted", None)
    assert reported(segment(0, 100, "raid1")).immovable_end_byte == MiB + 100 * 4 * MiB


@pytest.mark.parametrize(
    "segments",
    [
        (), (7,), ({},), (segment("x", 1),), (segment(0, 10**9),), (segment(0, -5),), (segment(0, 9), segment(5, 9)),
        (segment(0, 9, path="/dev/sdb1"),), (segment(0, 9, pe_start="-1"),), (segment(0, 9, vg_extent_size="0"),),
        (segment(0, 9, pe_start=None),), (segment(0, 9, vg_extent_size=str(10**30)),),
    ],
)  # fmt: skip
def test_a_report_that_cannot_be_is_left_out(segments):
    assert reported(*segments) == row_of(holding("LVM2_member").found[0].survey)


# Whole answers of both scripts, to be changed at random.
FROM_WINDOWS = {**WINDOWS, **TOLD}
LVM_LSBLK = copy.deepcopy(LSBLK)
LVM_LSBLK["blockdevices"][0]["children"][0] |= {
    "fstype": "LVM2_member", "children": [inner("reading-root", "lvm", "ext4", GiB)],
}  # fmt: skip
FROM_LINUX = {
    "lsblk": LVM_LSBLK,
    "told": [{"path": "/dev/sda1", "least_bytes": 12 * GiB}],
    "smart": [SMART],
    "pvs": {"report": [{"pv": [segment(0, 9), segment(9, 5, "free")]}]},
}
