"""What ``parted --json`` (GNU parted 3.5 and later) writes of one disk, in whole sectors or bytes.

Its table and what its file systems are called; no used space.
"""

import re
from collections.abc import Mapping
from typing import Any

from ...core.disk.listing import Listed, complete_listing
from ...core.disk.model import MOST_TEXT, Disk, FileSystem, Flag, Link, Partition, Table
from ...core.disk.roles import (
    BASIC_DATA,
    BIOS_BOOT,
    EFI_SYSTEM,
    LINUX_DATA,
    LINUX_SWAP,
    MICROSOFT_RESERVED,
    RECOVERY,
)
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES
from .kind_words import kind_from_word

COMMAND = "sudo parted --json /dev/DISK unit s print > disk.json"
TABLES: dict[str, Table] = {"gpt": "gpt", "msdos": "mbr", "loop": "none", "unknown": "none"}
LINKS: dict[str, Link] = {"nvme": "nvme", "usb": "usb3", "ide": "sata", "sata": "sata"}
# What versions before 3.6 say of a type: by flag, then by file system.
GPT_BY_FLAG = (
    ("bios_grub", BIOS_BOOT), ("esp", EFI_SYSTEM), ("msftres", MICROSOFT_RESERVED), ("diag", RECOVERY),
    ("swap", LINUX_SWAP), ("msftdata", BASIC_DATA),
    ("lvm", "E6D6D379-F507-44C2-A23C-238F2A3DF928"), ("raid", "A19D880F-05FC-4D3B-A006-743F0F84911E"),
)  # fmt: skip
MBR_BY_FLAG = (("esp", "0xEF"), ("diag", "0x27"), ("swap", "0x82"), ("lvm", "0x8E"), ("raid", "0xFD"))
MBR_BY_KIND = {"ntfs": "0x07", "exfat": "0x07", "fat16": "0x06", "fat32": "0x0C", "swap": "0x82"}
WINDOWS_WORDS = frozenset(("ntfs", "exfat", "fat16", "fat32", "refs"))
FLAGS: dict[str, Flag] = {"hidden": "hidden", "no_automount": "no-auto"}
_SIZE = re.compile(r"(\d{1,19})(s|B)")
Words = Mapping[str, Any]  # an object as it was written, unchecked


def is_parted(data: Words) -> bool:
    disk = data.get("disk")
    return "format" not in data and isinstance(disk, Mapping) and {"path", "label"} <= set(disk)


def read_parted(data: Words) -> Listed:
    """Raises BadSurvey where sizes are rounded or the table is of another kind."""
    disk: Words = data["disk"]
    sector = _whole(disk, "logical-sector-size") or 512
    table = TABLES.get(_text(disk, "label"))
    if table is None:
        raise BadSurvey(
            f"“{_text(disk, 'label')[:20]}” is a table of another kind", at="disk.label",
            mend="only GPT and MBR disks can be planned",
        )  # fmt: skip
    rows = disk.get("partitions")
    named = [row for row in rows if isinstance(row, Mapping)] if isinstance(rows, list) else []
    made = Disk(
        sectors=_sectors(disk, "size", sector, "disk"),
        logical_sector_bytes=sector,
        physical_sector_bytes=_whole(disk, "physical-sector-size") or None,
        model=_text(disk, "model"),
        link=LINKS.get(_text(disk, "transport"), "unknown"),
        table=table,
        table_id=_text(disk, "uuid").upper() if table == "gpt" else "",
        partitions=tuple(
            _partition(row, sector, f"disk.partitions[{place}]", gpt=table == "gpt")
            for place, row in enumerate(named)
            if table != "none" and row.get("type") != "free"
        ),
        filesystem=_filesystem(named[0]) if table == "none" and named else None,
    )
    return complete_listing(_text(disk, "path") or made.model, made)


def _partition(row: Words, sector: int, at: str, *, gpt: bool) -> Partition:
    number = _whole(row, "number")
    if not number:
        raise BadSurvey("its number is missing", at=f"{at}.number", mend=f"run {COMMAND}")
    words = row.get("flags")
    flags = {word for word in words if isinstance(word, str)} if isinstance(words, list) else set()
    kept: set[Flag] = {flag for word, flag in FLAGS.items() if word in flags}
    if not gpt and "boot" in flags:
        kept.add("active")
    filesystem = _filesystem(row)
    return Partition(
        number=number,
        first_lba=_sectors(row, "start", sector, at),
        sectors=_sectors(row, "size", sector, at),
        type=_gpt_type(row, flags, filesystem) if gpt else _mbr_type(row, flags, filesystem),
        logical=row.get("type") == "logical",
        name=_text(row, "name"),
        flags=frozenset(kept),
        filesystem=filesystem,
        uuid=_text(row, "uuid").upper() if gpt else "",
    )


def _gpt_type(row: Words, flags: set[str], filesystem: FileSystem | None) -> str:
    told = _text(row, "type-uuid").upper()
    by_flag = next((kind for word, kind in GPT_BY_FLAG if word in flags), "")
    is_windows = filesystem is not None and filesystem.kind in WINDOWS_WORDS
    return told or by_flag or (BASIC_DATA if is_windows else LINUX_DATA)


def _mbr_type(row: Words, flags: set[str], filesystem: FileSystem | None) -> str:
    told = _text(row, "type-id").removeprefix("0x").upper().rjust(2, "0")
    if row.get("type") == "extended":
        return "0x0F" if "lba" in flags or told == "0F" else "0x05"
    if told != "00":
        return f"0x{told}"
    by_flag = next((kind for word, kind in MBR_BY_FLAG if word in flags), "")
    return by_flag or MBR_BY_KIND.get(filesystem.kind if filesystem else "", "0x83")


def _filesystem(row: Words) -> FileSystem | None:
    word = _text(row, "filesystem")
    if not word:
        return None
    kind = kind_from_word(word) or "unknown"
    return FileSystem(kind, detail=word if kind == "unknown" else "")


def _sectors(words: Words, key: str, sector: int, at: str) -> int:
    match = _SIZE.fullmatch(_text(words, key))
    if match is None:
        raise BadSurvey(f"“{_text(words, key)[:20]}” is a rounded size", at=f"{at}.{key}", mend=f"run {COMMAND}")
    count = int(match[1]) if match[2] == "s" else int(match[1]) // sector
    if count * sector > MAX_BYTES:
        raise BadSurvey("the size is out of range", at=f"{at}.{key}", mend="take the listing again")
    return count


def _whole(words: Words, key: str) -> int | None:
    value = words.get(key)
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MAX_BYTES else None


def _text(words: Words, key: str) -> str:
    value = words.get(key)
    return value.strip()[:MOST_TEXT] if isinstance(value, str) else ""
