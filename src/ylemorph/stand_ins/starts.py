"""What starts a disk of the bench: code that says so on a screen, and boot sectors that name where they stand."""

from pathlib import Path
from string import hexdigits
from typing import IO

from ..core.disk.starting import CODE_BYTES, HIDDEN_AT
from ..probe.disks import survey_path
from ..probe.fat import looks_like_fat, read_bpb

SECTOR = 512
MESSAGE = b"Harrow Lane Library: a practice disk. Nothing is started from it.\r\n\0"
# Print the text behind it, character by character, and stop (Intel 8086; BIOS call 10h, function 0Eh).
PRINT = bytes.fromhex("31c0 8ed8 be1a7c fc ac 08c0 7409 b40e bb0700 cd10 ebf2 f4 ebfd 90")
CODE = (PRINT + MESSAGE).ljust(CODE_BYTES, b"\0")
CORE = b"What a loader would keep behind the first sector.\0".ljust(SECTOR, b"\x90") * 3


def own_starts(image: Path) -> None:
    """Every boot sector on the disk names the place where its row stands, as on a disk that was installed there."""
    rows = [row for row in survey_path(image).disk.rows if row.filesystem is not None]
    with image.open("r+b") as file:
        for row in rows:
            name_start(file, row.first_lba * SECTOR, row.first_lba)


def put_code(image: Path) -> None:
    """Code into the first sector, and what a loader would keep behind it."""
    with image.open("r+b") as file:
        file.write(CODE)
        file.seek(SECTOR)
        file.write(CORE)


def name_start(file: IO[bytes], at: int, lba: int) -> None:
    """The FAT or NTFS boot sector at byte ``at``, and its copy, name ``lba``; nothing else does on the bench."""
    places, _ = _boot_sectors(file, at)
    for place in places:
        file.seek(place + HIDDEN_AT)
        file.write(lba.to_bytes(4, "little"))


def keep_serial(file: IO[bytes], at: int, serial: str) -> None:
    """They carry this serial, as the file system does that is copied; one that is no serial is let be."""
    places, (offset, length) = _boot_sectors(file, at)
    digits = serial.replace("-", "")
    if len(digits) != 2 * length or set(digits) - set(hexdigits):
        return
    for place in places:
        file.seek(place + offset)
        file.write(bytes.fromhex(digits)[::-1])


def _boot_sectors(file: IO[bytes], at: int) -> tuple[list[int], tuple[int, int]]:
    """Where the boot sector and its copy stand, and offset and length of the serial in them; none of another kind."""
    file.seek(at)
    first = file.read(SECTOR)
    if first[3:11] == b"NTFS    ":
        return [at, at + int.from_bytes(first[0x28:0x30], "little") * SECTOR], (0x48, 8)
    if looks_like_fat(first):
        bpb = read_bpb(first)
        copies = [] if bpb.copy_at is None else [at + bpb.copy_at]
        return [at, *copies], (0x43 if bpb.bits == 32 else 0x27, 4)
    return [], (0, 0)
