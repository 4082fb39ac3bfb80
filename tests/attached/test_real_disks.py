"""The disks of this machine: as the utilities of each system list them, and as they come and go."""

import json
import plistlib
import shutil

import pytest

from tests.attached.machines import BLANK, CARD, CUSTOMER, GIB, LAPTOP, MEMBER, MIB, PACKAGE, RESCUE, SPARE, lsblk
from ylemorph.attached import linux, macos, windows
from ylemorph.attached.listing import LISTERS, DisksHere, Lister, run
from ylemorph.core.errors import YlemorphError

RUNS = "this machine runs from it"


@pytest.mark.parametrize(
    ("device", "expected"),
    [
        (LAPTOP, ("/dev/nvme0n1", "nvme", "nvme", "2 partitions of 196 GiB",
                  (RUNS, "mounted at /boot/efi", "cryptdisk lies on it", "vg-root lies on it", "mounted at /",
                   "vg-swap lies on it", "swap"))),
        (CUSTOMER, ("/dev/sda", "usb3", "usb 6:0:0:0", "3 partitions of 177 GiB", ())),
        (BLANK, ("/dev/sdb", "usb3", "usb 7:0:0:0", "", ())),
        (MEMBER, ("/dev/sdc", "sata", "sata 2:0:0:0", "1 partition of 3.62 TiB",
                  ("md0 lies on it", "mounted at /srv"))),
        (RESCUE, ("/dev/sdd", "unknown", "", "2 partitions", ("mounted at /mnt",))),
        (CARD, ("/dev/mmcblk0", "unknown", "", "1 partition of 29.3 GiB", ("mounted at /media/card",))),
        (PACKAGE, ("/dev/loop7", "unknown", "", "", ())),
    ],
    ids=["laptop", "customer", "blank", "array", "rescue", "card", "image"],
)  # fmt: skip
def test_a_disk_of_a_running_linux(device, expected):
    (found,) = linux.read_list(lsblk(device, *SPARE))
    path, link, place, holds, uses = expected
    assert (found.path, found.disk.link, found.place, found.holds) == (path, link, place, holds)
    assert sorted(found.uses) == sorted(uses)


def test_an_answer_that_is_no_list_is_one_sentence():
    for text in (b"", b"{}", b"[1]", b'{"blockdevices": 3}', b"lsblk: unknown column"):
        with pytest.raises(YlemorphError, match="did not list the disks"):
            linux.read_list(text)


def test_disks_of_windows():
    """Properties and numbers of MSFT_Disk and MSFT_Partition as documented (from memory)."""
    told = {
        "Disks": [
            {"Number": 0, "FriendlyName": "Tallow N2", "SerialNumber": "TN2", "Size": 256 * 10**9, "BusType": 17,
             "PartitionStyle": 2, "LogicalSectorSize": 512, "IsBoot": True, "IsSystem": True, "Location": "PCI Slot 2"},
            {"Number": 3, "FriendlyName": "USB adapter 7710", "SerialNumber": "", "Size": 480 * 10**9, "BusType": "USB",
             "PartitionStyle": "RAW", "LogicalSectorSize": 512, "Location": "Port 4"},
        ],
        "Partitions": [
            {"DiskNumber": 0, "PartitionNumber": 1, "DriveLetter": "C", "Offset": MIB, "Size": 100 * GIB,
             "GptType": "{ebd0a0a2-b9e5-4433-87c0-68b6b72699c7}", "Guid": "{00000000-0000-4000-8000-000000000001}"},
        ],
        "Volumes": [],
    }  # fmt: skip
    system, usb = windows.read_list(json.dumps(told).encode())
    assert (system.path, system.uses, system.holds) == (
        "\\\\.\\PhysicalDrive0", (RUNS, "in use as C:"), "1 partition of 100 GiB"
    )  # fmt: skip
    assert (usb.path, usb.uses, usb.holds, usb.place) == ("\\\\.\\PhysicalDrive3", (), "", "Port 4")
    told["Partitions"][0]["Offset"] = None  # of which nothing can be planned: it is there all the same
    assert [one.holds for one in windows.read_list(json.dumps(told).encode())] == ["1 partition", ""]
    for text in (b"", b"[]", b'{"Disks": [{}], "Partitions": []}', b'{"Disks": 5, "Partitions": 5}'):
        with pytest.raises(YlemorphError, match="did not list"):
            windows.read_list(text)


def mac(**more):
    return plistlib.dumps({"DeviceIdentifier": "disk2", "Size": 500 * 10**9, "DeviceBlockSize": 512, **more})


MAC_LIST = {
    "WholeDisks": ["disk2"],
    "AllDisksAndPartitions": [
        {"DeviceIdentifier": "disk2", "Partitions": [
            {"DeviceIdentifier": "disk2s1", "Content": "EFI"},
            {"DeviceIdentifier": "disk2s2", "Content": "Microsoft Basic Data", "VolumeName": "Desk",
             "MountPoint": "/x"},
        ]},
    ],
}  # fmt: skip


def test_disks_of_a_mac():
    told = {"MediaName": "Quillon S2", "BusProtocol": "USB", "SolidState": True, "SMARTStatus": "Failing",
            "DeviceTreePath": "IODeviceTree:/PCI0@0/XHC1@14"}  # fmt: skip
    asked = []

    def answer(command):
        asked.append(command)
        return plistlib.dumps(MAC_LIST) if command == macos.LIST else mac(**told)

    (found,) = macos.ask(answer)
    assert asked == [macos.LIST, (*macos.INFO, "disk2")]
    assert (found.path, found.holds, found.uses) == ("/dev/rdisk2", "2 partitions: EFI, Desk", ("mounted at /x",))
    assert (found.disk.rotational, found.disk.health.state, found.disk.link) == (False, "failing", "usb3")
    assert macos.read_disk(plistlib.dumps(MAC_LIST), mac(VirtualOrPhysical="Virtual")) is None
    inner = {"AllDisksAndPartitions": [{"DeviceIdentifier": "disk2", "Partitions": [{"Content": "Apple_APFS"}]}]}
    assert macos.read_disk(plistlib.dumps(inner), mac(Internal=True)).uses == (RUNS,)
    for text in (b"", b"<plist>", plistlib.dumps([1])):
        with pytest.raises(YlemorphError, match="did not list"):
            macos.read_disk(plistlib.dumps(MAC_LIST), text)


# --- as they come and go ----------------------------------------------------------------------------------------------


class Machine:
    """A stand-in of the listing command: what is attached, and how often it was asked."""

    def __init__(self, *devices):
        self.devices, self.asked = list(devices), 0

    def __call__(self, command):
        assert command == linux.LIST
        self.asked += 1
        return lsblk(*self.devices)


@pytest.fixture
def bench():
    machine = Machine(CUSTOMER, BLANK)
    return machine, DisksHere(Lister(linux.ask, "ask the workshop"), machine)


def test_many_windows_ask_the_system_once(bench):
    machine, listing = bench
    assert (
        [disk.path for disk in listing.disks()] == [disk.path for disk in listing.disks()] == ["/dev/sda", "/dev/sdb"]
    )
    assert machine.asked == 1


def test_adapters_that_report_one_serial_are_told_apart_by_their_place(bench):
    one, other = bench[1].disks()
    assert one.key != other.key
    assert one.looks_like(other)
    assert not one.looks_like(one)


def test_what_is_read_is_the_disk_that_was_chosen_or_none(bench):
    machine, listing = bench
    one, other = listing.disks()
    assert listing.find(other.key) == other
    machine.devices = [CUSTOMER, {**BLANK, "serial": "another"}]
    with pytest.raises(YlemorphError, match="not attached any more"):
        listing.find(other.key)
    machine.devices = [BLANK]
    with pytest.raises(YlemorphError, match="not attached any more"):
        listing.find(one.key)


def test_without_the_right_it_says_how_to_get_it(bench):
    assert bench[1].cannot(bench[1].disks()[0]).endswith("does not have: ask the workshop.")


def test_health_is_told_by_the_next_look(monkeypatch, tmp_path):
    passed = {"smartctl": {}, "smart_status": {"passed": False}}
    answers = {linux.LIST: lsblk(CUSTOMER), (*linux.HEALTH, "/dev/sda"): json.dumps(passed).encode()}
    monkeypatch.setattr(shutil, "which", lambda name: f"/sbin/{name}")
    listing = DisksHere(LISTERS["linux"], answers.__getitem__)
    (found,) = listing.disks()
    assert found.disk.health is None
    listing._learn([found])
    listing._at = 0.0
    assert listing.disks()[0].disk.health.state == "failing"
    assert listing.disks()[0].key == found.key
    assert linux.read_health(b"no") is None
    assert linux.read_health(b"{}") is None


def test_a_utility_that_is_missing_or_fails_is_one_sentence(tmp_path):
    with pytest.raises(YlemorphError, match="no-such-utility did not list"):
        run(("no-such-utility",))
    failing = tmp_path / "fails"
    failing.write_text("#!/bin/sh\necho it is not allowed >&2; exit 3\n")
    failing.chmod(0o700)
    with pytest.raises(YlemorphError, match="it is not allowed"):
        run((str(failing),))
