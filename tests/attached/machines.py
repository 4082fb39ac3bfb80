"""What ``lsblk --json --bytes --output-all`` gives on machines of several kinds, in the shape of util-linux 2.38 (names
and figures made up), and the utility's stand-in."""

import json

GIB, MIB = 2**30, 2**20
EFI, BASIC = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b", "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7"
LINUX, RECOVERY = "0fc63daf-8483-4772-8e79-3d69d8477de4", "de94bba4-06d1-4d40-a16a-bfd50179d6ac"


def disk(name, size, *children, **more):
    return {
        "name": name, "kname": name, "path": f"/dev/{name}", "type": "disk", "size": size, "log-sec": 512,
        "phy-sec": 4096, "rota": False, "model": None, "serial": None, "tran": None, "hctl": None,
        "pttype": "gpt" if children else None, "ptuuid": "8b6d3f7e-1111-4a5b-9c00-000000000001" if children else None,
        "fstype": None, "mountpoints": [None], "children": list(children), **more,
    }  # fmt: skip


def part(name, number, start_mib, size_mib, kind, fstype, *children, mounts=(None,), **more):
    return {
        "name": name, "kname": name, "path": f"/dev/{name}", "type": "part", "partn": number, "size": size_mib * MIB,
        "start": start_mib * 2048, "parttype": kind, "fstype": fstype, "mountpoints": list(mounts),
        "partuuid": f"00000000-0000-4000-8000-00000000000{number}", "children": list(children), **more,
    }  # fmt: skip


def inside(name, kind, fstype, *children, mounts=(None,), size=10 * GIB):
    return {"name": name, "type": kind, "size": size, "fstype": fstype, "mountpoints": list(mounts),
            "children": list(children)}  # fmt: skip


def windows_rows(name):
    return [
        part(f"{name}1", 1, 1, 100, EFI, "vfat", fsver="FAT32"),
        part(f"{name}2", 2, 101, 180_000, BASIC, "ntfs"),
        part(f"{name}3", 3, 180_101, 800, RECOVERY, "ntfs"),
    ]


LAPTOP = disk(
    "nvme0n1", 256 * 10**9,
    part("nvme0n1p1", 1, 1, 512, EFI, "vfat", mounts=["/boot/efi"], fsver="FAT32"),
    part("nvme0n1p2", 2, 513, 200_000, LINUX, "crypto_LUKS",
         inside("cryptdisk", "crypt", "LVM2_member", inside("vg-root", "lvm", "ext4", mounts=["/"]),
                inside("vg-swap", "lvm", "swap", mounts=["[SWAP]"]))),
    tran="nvme", model="Tallow N2", serial="TN2-2291",
)  # fmt: skip
CUSTOMER = disk("sda", 240 * 10**9, *windows_rows("sda"), tran="usb", hctl="6:0:0:0", model="USB adapter 7710",
                serial="0123456789AB")  # fmt: skip
BLANK = disk("sdb", 240 * 10**9, tran="usb", hctl="7:0:0:0", model="USB adapter 7710", serial="0123456789AB")
MEMBER = disk(
    "sdc", 4 * 10**12,
    part("sdc1", 1, 1, 3_800_000, LINUX, "linux_raid_member", inside("md0", "raid1", "ext4", mounts=["/srv"])),
    tran="sata", hctl="2:0:0:0", model="Brindle R8", serial="BR8-77", rota=True,
)  # fmt: skip
# A rescue system without a device manager: no names, no types, no kinds; numbers as text, one place to be mounted.
RESCUE = {
    "name": "sdd", "path": "/dev/sdd", "type": "disk", "size": str(500 * 10**9), "log-sec": "512", "rota": "1",
    "mountpoint": None, "children": [
        {"name": "sdd1", "type": "part", "size": str(100 * MIB), "start": 2048, "mountpoint": None},
        {"name": "sdd2", "type": "part", "size": str(90 * GIB), "start": 206_848, "mountpoint": "/mnt"},
    ],
}  # fmt: skip
CARD = disk(
    "mmcblk0", 32 * 10**9, part("mmcblk0p1", 1, 4, 30_000, BASIC, "exfat", mounts=["/media/card"]), model="SL32"
)
SPARE = [
    disk("sr0", 1024 * MIB, type="rom"),
    disk("sde", 0, model="Card reader"),
    disk("loop0", 70 * MIB, type="loop", mountpoints=["/snap/tools/1"], fstype="squashfs"),
    disk("zram0", 4 * GIB, mountpoints=["[SWAP]"]),
]
PACKAGE = disk("loop7", 8 * GIB, type="loop")


def lsblk(*disks):
    return json.dumps({"blockdevices": list(disks)}).encode()
