"""What the system's own utilities say of an image, in the words of a survey."""

import re
import subprocess
from pathlib import Path
from typing import NamedTuple

from tests.real.volumes import ENVIRONMENT


def said(*command: object) -> str:
    done = subprocess.run(
        [str(part) for part in command], capture_output=True, env=ENVIRONMENT, check=False, timeout=60
    )
    return done.stdout.decode("utf-8", "replace")


class Told(NamedTuple):
    """None where the utility does not say."""

    kind: str | None = None
    size: int | None = None
    used: int | None = None
    last: int | None = None
    state: str | None = None


def prober(image: Path) -> dict[str, str]:
    """``blkid -p``: superblocks and tables alike."""
    lines = said("blkid", "-p", "-o", "udev", image).splitlines()
    told = dict(line.removeprefix("ID_").split("=", 1) for line in lines if "=" in line)
    label = re.sub(r"\\x([0-9a-f]{2})", lambda match: chr(int(match[1], 16)), told.get("FS_LABEL_ENC", ""))
    return {"TYPE": told.get("FS_TYPE", ""), "LABEL": label, **_table(told)}


def _table(told: dict[str, str]) -> dict[str, str]:
    return {"PTTYPE": told["PART_TABLE_TYPE"]} if "PART_TABLE_TYPE" in told else {}


def ext(image: Path) -> Told:
    """``dumpe2fs``: the free blocks that it lists are those of the bitmaps."""
    text = said("dumpe2fs", image)
    head = dict(re.findall(r"^([A-Z][^:\n]+):\s+(.*)$", text.split("\n\n")[0], re.MULTILINE))
    if "Block count" not in head or "Block size" not in head:
        return Told()
    block, blocks = int(head["Block size"]), int(head["Block count"])
    unit = int(head.get("Cluster size", block))
    state = (
        "clean"
        if head["Filesystem state"] == "clean"
        else "damaged"
        if "errors" in head["Filesystem state"]
        else "dirty"
    )
    if "needs_recovery" in head.get("Filesystem features", "") and state == "clean":
        state = "dirty"
    groups = text.count("\nGroup ")
    listed = re.findall(r"^  Free blocks: ?(.*)$", text, re.MULTILINE)
    if not groups or len(listed) != groups:
        return Told(size=blocks * block, state=state)
    free: list[tuple[int, int]] = []
    for line in listed:
        for piece in filter(None, line.strip().split(", ")):
            first, _, last = piece.partition("-")
            free.append((int(first), int(last or first)))
    count = sum(last - first + 1 for first, last in free)
    per = unit // block
    if count > blocks or any(last >= blocks for _, last in free):
        return Told(size=blocks * block, state=state)  # a bitmap that it lists although it cannot be
    used = blocks * block - count * block if per == 1 else None
    end = blocks
    for first, last in sorted(free, reverse=True):
        if last + per < end:
            break
        end = first
    return Told(size=blocks * block, used=used, last=end * block if per == 1 else None, state=state)


def fat(image: Path) -> Told:
    """``fsck.fat -n -v``: clusters of data in use, bytes of the areas."""
    text = said("fsck.fat", "-n", "-v", image)
    cluster = re.search(r"(\d+) bytes per cluster", text)
    count = re.search(r"(\d+) files?, (\d+)/(\d+) clusters", text)
    bits = re.search(r"(\d+) bits? entries|FAT(12|16|32)", text)
    dirty = "Dirty bit is set" in text
    kind = {"12": "unknown", "16": "fat16", "32": "fat32"}.get((bits[1] or bits[2]) if bits else "")
    used = int(count[2]) * int(cluster[1]) if count and cluster else None
    return Told(kind=kind, used=used, state="dirty" if dirty else None)
