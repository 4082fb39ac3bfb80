"""File systems for stand-ins: made by the mkfs utilities in sparse files, then clusters are marked as used without any
contents, as if files stood there."""

import os
import random
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

from ..core.disk.model import Kind
from ..core.errors import YlemorphError
from ..probe.fat import read_bpb
from ..probe.media.opening import open_medium
from ..probe.ntfs import BITMAP, Volume
from ..probe.ntfs_records import read_boot
from . import shipped

STRETCH = 4_096  # clusters marked at a time; a multiple of eight, so that whole bytes of the bitmap change
PATH = os.environ.get("PATH", "") + ":/usr/sbin:/sbin"


class NoUtility(YlemorphError):
    """A utility that makes a kind of file system is not installed."""


def make_volume(kind: Kind, path: Path, size: int, label: str, used: int | None) -> bool:
    """A file system of ``size`` bytes in the new file ``path``; False for a kind that none is made of here.

    Raises NoUtility.
    """
    make = _MAKERS.get(kind)
    if make is None:
        return False
    with path.open("wb") as file:
        file.truncate(size)
    try:
        make(path, label)
    except NoUtility:
        if kind not in _SHIPPED:
            raise
        path.write_bytes(b"")
        _SHIPPED[kind](path, size, label)
    mark = _MARKS.get(kind)
    if mark is not None and used:
        mark(path, min(used, size * 97 // 100))
    return True


def _run(*command: str | Path) -> None:
    found = shutil.which(str(command[0]), path=PATH)
    if found is None:
        raise NoUtility(
            f"{command[0]} is not installed", mend="install it to practise on disks that hold such file systems"
        )
    done = subprocess.run(  # noqa: S603  # the system's own utilities, on files of the bench
        [found, *map(str, command[1:])], capture_output=True, text=True, check=False, env={**os.environ, "LC_ALL": "C"}
    )
    if done.returncode:
        raise YlemorphError(f"{command[0]} failed ({' '.join(done.stderr.split())[:200]})", mend="try again")


def _ntfs(path: Path, label: str) -> None:
    geometry = ("-p", "2048", "-H", "255", "-S", "63")
    _run("mkfs.ntfs", "-F", "-Q", "-q", *geometry, "-L", label[:32] or "Volume", path)


def _fat_name(label: str) -> str:
    return "".join(c for c in label.upper() if c.isascii() and c.isalnum())[:11]


def _fat32(path: Path, label: str) -> None:
    name = _fat_name(label)
    _run("mkfs.fat", "-F", "32", *(("-n", name) if name else ()), path)


def _ext(kind: str) -> Callable[[Path, str], None]:
    def make(path: Path, label: str) -> None:
        _run("mke2fs", "-q", "-F", "-t", kind, "-L", label.encode()[:16].decode(errors="ignore"), path)

    return make


_MAKERS: dict[Kind, Callable[[Path, str], None]] = {
    "ntfs": _ntfs,
    "fat32": _fat32,
    "ext2": _ext("ext2"),
    "ext3": _ext("ext3"),
    "ext4": _ext("ext4"),
    "swap": lambda path, _label: _run("mkswap", path),
}

# Where the utility is not installed. Of ext none can be made without e2fsprogs.
_SHIPPED: dict[Kind, Callable[[Path, int, str], None]] = {
    "ntfs": lambda path, size, _label: shipped.grown_ntfs(path, size),
    "fat32": lambda path, size, label: shipped.fat32(path, size, _fat_name(label)),
    "swap": lambda path, size, _label: shipped.swap(path, size),
}


def mark_ntfs(image: Path, wanted: int, reach: float = 0.9, seed: int = 1) -> None:
    """Mark clusters up to ``wanted`` bytes in use: most in front, the rest thinly up to ``reach`` of the volume."""
    with open_medium(image) as medium:
        boot = read_boot(medium.read(0, 512))
        stream = Volume(medium, boot).stream(BITMAP)
        bitmap = bytearray(stream.read(0, (boot.clusters + 7) // 8))
        (run_,) = stream.runs
    left = wanted // boot.cluster - int.from_bytes(bitmap, "little").bit_count()
    step = STRETCH // 8
    free = [at for at in range(0, int(boot.clusters * reach) // 8 - step, step) if not any(bitmap[at : at + step])]
    count = max(1, left // STRETCH)
    places = free[: int(count * 0.7)]
    rest = free[len(places) : -1]
    places += (
        random.Random(seed).sample(  # noqa: S311  # a picture, no secret
            rest, min(len(rest), max(0, count - len(places) - 1))
        )
        + free[-1:]
    )
    for place in places:
        bitmap[place : place + step] = b"\xff" * step
    with image.open("r+b") as file:
        file.seek((run_.lcn or 0) * boot.cluster)
        file.write(bitmap)


def mark_fat(image: Path, wanted: int) -> None:
    """Mark the first clusters of a FAT32 as ends of files."""
    with image.open("r+b") as file:
        bpb = read_bpb(file.read(512))
        for copy in range(bpb.fats):
            file.seek(bpb.fat_at + copy * bpb.fat_bytes + 12)
            file.write(b"\xff\xff\xff\x0f" * (wanted // bpb.cluster))


def mark_ext(image: Path, wanted: int) -> None:
    """A file whose blocks are given to it without being written."""
    blocks = wanted * 9 // 10 // 4096
    if blocks:
        for command in ("write /dev/null practice", f"fallocate /practice 0 {blocks - 1}"):
            _run("debugfs", "-w", "-R", command, image)


_MARKS: dict[Kind, Callable[[Path, int], None]] = {
    "ntfs": mark_ntfs,
    "fat32": mark_fat,
    "ext2": mark_ext,
    "ext3": mark_ext,
    "ext4": mark_ext,
}
