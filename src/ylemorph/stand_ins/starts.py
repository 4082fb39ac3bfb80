"""What starts a disk of the bench: code that says so on a screen, and boot sectors that name where they stand."""

from pathlib import Path
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
    file.seek(at)
    first = file.read(SECTOR)
    if first[3:11] == b"NTFS    ":
        places = [0, int.from_bytes(first[0x28:0x30], "little") * SECTOR]
    elif looks_like_fat(first):
        copy = read_bpb(first).copy_at
        places = [0] if copy is None else [0, copy]
    else:
        return
    for place in places:
        file.seek(at + place + HIDDEN_AT)
        file.write(lba.to_bytes(4, "little"))
