"""Disks with real loaders, and a machine that starts from them: Debian's own packages, in an emulator.

The loader says a word over the serial line that stands in a file of the system row, so it has found its own core, the
table and the file system by then.
"""

import os
import selectors
import shutil
import struct
import subprocess
import time
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from ylemorph.core.disk.model import Role

from .volumes import ENVIRONMENT, MIB, run, sparse

WORD = "harrow-lane-is-open"
PROMPT = "boot: "  # what a boot sector's own loader asks once it has read its settings
SECTOR = 512
MODULES = Path("/usr/lib/grub")
FIRST_SECTOR, CODE = Path("/usr/lib/syslinux/mbr/mbr.bin"), 440
FIRMWARE = Path("/usr/share/OVMF")
NEEDED = ("qemu-system-x86_64", "grub-mkimage", "syslinux", "sfdisk", "mkfs.fat", "mcopy", "mke2fs")
SECONDS = 90  # after which a machine is held for one that does not start
DARK = 25  # the same, of one that is meant not to
LOADER_PARTS = (
    "serial",
    "terminal",
    "search",
    "search_fs_uuid",
    "cat",
    "halt",
    "ext2",
    "fat",
    "part_gpt",
    "part_msdos",
)


class Part(NamedTuple):
    """A row with its start in sectors and its size in MiB; ``files``: what a FAT or ext4 holds."""

    number: int
    start: int
    mib: float
    type: str
    kind: str
    role: Role | None = None
    files: Mapping[str, bytes] = MappingProxyType({})
    active: bool = False

    @property
    def sectors(self) -> int:
        return int(self.mib * 2048)

    @property
    def uuid(self) -> str:
        return f"11111111-2222-4333-8444-{self.number:012}"


def made_disk(work: Path, label: str, parts: tuple[Part, ...], mib: int) -> Path:
    """An image with a table and its rows' file systems; logicals are numbered from 5 on."""
    image = sparse(work / "source.img", mib * MIB)
    lines = [f"label: {label}", "unit: sectors", ""]
    logicals = [part for part in parts if label == "dos" and part.number > 4]
    if logicals:
        begin = min(part.start for part in logicals) - 2048
        stop = max(part.start + part.sectors for part in logicals)
        lines.append(f"4 : start={begin}, size={stop - begin}, type=f")
    for part in parts:
        more = ", bootable" if part.active else ""
        lines.append(f"{part.number} : start={part.start}, size={part.sectors}, type={part.type}{more}")
    run("sfdisk", "--quiet", "--no-reread", "--no-tell-kernel", image, send="\n".join(lines) + "\n")
    for part in parts:
        if part.kind:
            put_volume(work, image, part)
    return image


def put_volume(work: Path, image: Path, part: Part) -> None:
    volume = sparse(work / f"row-{part.number}", part.sectors * SECTOR)
    if part.kind == "ext4":
        folder = work / f"files-{part.number}"
        for name, data in part.files.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(data)
        folder.mkdir(exist_ok=True)
        run("mke2fs", "-q", "-F", "-t", "ext4", "-U", part.uuid, "-d", folder, volume)
    elif part.kind == "ntfs":
        run("mkfs.ntfs", "-F", "-Q", "-q", "-p", part.start, "-H", 255, "-S", 63, volume)
    elif part.kind == "exfat":
        run("mkfs.exfat", volume)
        renamed_exfat(volume, part.start)
    else:
        run("mkfs.fat", "-F", part.kind[3:], "-h", part.start, "-i", f"{part.number:08}", volume)
        put_files(work, volume, part.files)
    with volume.open("rb") as data, image.open("r+b") as disk:
        disk.seek(part.start * SECTOR)
        shutil.copyfileobj(data, disk, 1 << 20)
    volume.unlink()


def put_files(work: Path, volume: Path, files: Mapping[str, bytes], offset: int = 0) -> None:
    """Into a FAT, with the folders that lead there."""
    there = f"{volume}@@{offset}"
    for name, data in files.items():
        parts = name.split("/")
        for depth in range(1, len(parts)):
            run("mmd", "-D", "s", "-i", there, "::/" + "/".join(parts[:depth]), ok=(0, 1))
        one = work / "one"
        one.write_bytes(data)
        run("mcopy", "-o", "-i", there, one, f"::/{name}")


def renamed_exfat(volume: Path, start: int) -> None:
    """The partition's offset as a system writes it that formats in place, with the sum over the region (Microsoft exFAT
    specification, "Main and Backup Boot Checksum Sub-regions")."""
    with volume.open("r+b") as file:
        for region in (0, 12 * SECTOR):
            file.seek(region + 64)
            file.write(struct.pack("<Q", start))
            file.seek(region)
            data = file.read(11 * SECTOR)
            file.write(struct.pack("<I", exfat_sum(data)) * (SECTOR // 4))


def exfat_sum(data: bytes) -> int:
    total = 0
    for place, byte in enumerate(data):
        if place not in (106, 107, 112):
            total = ((total & 1) << 31 | total >> 1) + byte & 0xFFFFFFFF
    return total


# --- loaders ----------------------------------------------------------------------------------------------------------


def own_loader(image: Path, part: Part, work: Path) -> None:
    """A boot sector's own loader on an active FAT, and the code of the first sector that goes on with it."""
    offset = part.start * SECTOR
    run("syslinux", "--offset", offset, "--install", image)
    put_files(work, image, {"syslinux.cfg": b"SERIAL 0 115200\nPROMPT 1\n"}, offset)
    put(image, 0, FIRST_SECTOR.read_bytes()[:CODE])


def core(work: Path, machine: str, uuid: str, word: str = "word") -> bytes:
    """A loader's core that looks for a file system by its UUID and says what a file in it holds."""
    settings = work / "early.cfg"
    settings.write_text(
        f"serial --unit=0 --speed=115200\nterminal_output serial\nsearch --no-floppy --fs-uuid --set=root {uuid}\n"
        f"cat /{word}\nhalt\n"
    )
    disks = () if machine == "x86_64-efi" else ("biosdisk",)
    made = work / "core"
    run("grub-mkimage", "-O", machine, "-o", made, "-p", "/", "-c", settings, *disks, *LOADER_PARTS)
    return made.read_bytes()


def core_at(image: Path, work: Path, uuid: str, lba: int, word: str = "word") -> int:
    """Code into the first sector, its core at ``lba``; gives the core's length in sectors. What names the core is set
    as its own installer does it: a number in the first sector, and a list that ends the core's first one."""
    code = bytearray((MODULES / "i386-pc" / "boot.img").read_bytes()[:CODE])
    code[0x5C:0x64] = struct.pack("<Q", lba)
    code[0x66:0x68] = b"\x90\x90"  # the disk that the firmware names
    data = bytearray(core(work, "i386-pc", uuid, word))
    data += bytes(-len(data) % SECTOR)
    count = len(data) // SECTOR
    data[0x1F4:0x200] = struct.pack("<QHH", lba + 1, count - 1, 0x820)
    put(image, 0, bytes(code))
    put(image, lba * SECTOR, bytes(data))
    return count


def put(image: Path, at: int, data: bytes) -> None:
    with image.open("r+b") as file:
        file.seek(at)
        file.write(data)


# --- the machine ------------------------------------------------------------------------------------------------------


def starts(image: Path, work: Path, *, efi: bool = False, meant: bool = True) -> bool:
    """Whether a machine does; one that is not ``meant`` to is given up sooner."""
    text = said(image, work, SECONDS if meant else DARK, efi=efi)
    return WORD in text or PROMPT in text


def said(image: Path, work: Path, seconds: int = SECONDS, *, efi: bool = False) -> str:
    """What a machine that starts from the image says over its serial line, up to the word or until it is given up."""
    command = ["qemu-system-x86_64", "-machine", "pc", "-m", "192", "-display", "none", "-nic", "none", "-no-reboot",
               "-snapshot", "-serial", "stdio", "-monitor", "none"]  # fmt: skip
    if efi:
        variables = shutil.copy(FIRMWARE / "OVMF_VARS.fd", work / "variables.fd")
        command += ["-drive", f"if=pflash,format=raw,unit=0,readonly=on,file={FIRMWARE / 'OVMF_CODE.fd'}"]
        command += ["-drive", f"if=pflash,format=raw,unit=1,file={variables}"]
    command += ["-drive", f"file={image},format=raw,if=ide"]
    machine = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL, env=ENVIRONMENT
    )
    try:
        return _until_the_word(machine, seconds)
    finally:
        machine.kill()
        machine.wait()
        machine.stdout.close()


GIVEN_UP = ("No bootable device", "Boot failed", "BdsDxe: No bootable option", "Shell>", "grub rescue>")


def _until_the_word(machine: subprocess.Popen[bytes], seconds: int) -> str:
    text, end = "", time.monotonic() + seconds
    with selectors.DefaultSelector() as waiting:
        waiting.register(machine.stdout, selectors.EVENT_READ)
        while time.monotonic() < end:
            if not waiting.select(1):
                continue
            data = os.read(machine.stdout.fileno(), 4096)
            text += data.decode("utf-8", "replace")
            if not data or any(word in text for word in (WORD, PROMPT, *GIVEN_UP)):
                break
    return text
