"""Filled file systems made, shrunk and checked by the utilities they belong to.

e2fsprogs and ntfs-3g work on image files as they are; btrfs only changes its size while mounted, so its cases need a
loop device and the right to mount.
"""

import contextlib
import mmap
import os
import random
import shutil
import subprocess
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO, NamedTuple

MIB, GIB = 1 << 20, 1 << 30
ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin", "LC_ALL": "C"}


class Failed(AssertionError):
    """A utility refused or failed; its words."""


def run(*command: object, send: str | None = None, ok: tuple[int, ...] = (0,)) -> str:
    words = [str(part) for part in command]
    done = subprocess.run(
        words, check=False, input=send, capture_output=True, text=True, env=ENVIRONMENT, errors="replace"
    )
    if done.returncode not in ok:
        raise Failed(f"{' '.join(map(str, command))} gave {done.returncode}: {done.stdout[-600:]} {done.stderr[-600:]}")
    return done.stdout


def present(*utilities: str) -> bool:
    return all(shutil.which(utility, path=ENVIRONMENT["PATH"]) for utility in utilities)


def sparse(path: Path, size: int) -> Path:
    with path.open("wb") as file:
        file.truncate(size)
    return path


def folder(root: Path, files: dict[str, int], seed: int = 1) -> Path:
    """A folder of files with contents that differ from file to file."""
    noise = random.Random(seed)
    root.mkdir(exist_ok=True)
    for name, size in files.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        block = noise.randbytes(min(size, 65_536))
        path.write_bytes((block * (size // max(1, len(block)) + 1))[:size])
    return root


def many(count: int, size: int, name: str = "card") -> dict[str, int]:
    return {f"{name}/{number // 500:03}/{number:05}": size + number % 97 for number in range(count)}


def told(data: bytes) -> int:
    """By what contents are told apart: a sum that is quick, for nobody here makes two that are alike on purpose."""
    return zlib.crc32(data)


STEP = 64 * 1024
NOTHING = bytes(STEP)


def written(file: BinaryIO, at: int, end: int) -> Iterator[tuple[int, bytes]]:
    """What a sparse file holds between two places, by steps: place and bytes.

    What is empty is left out, be it a hole or not. Places are whole steps from ``at`` on, so that two files that hold
    the same give the same.
    """
    while at < end:
        try:
            data = os.lseek(file.fileno(), at, os.SEEK_DATA)
        except OSError:
            return
        at += (data - at) // STEP * STEP
        if at >= end:  # what comes next lies behind the stretch
            return
        file.seek(at)
        block = file.read(min(STEP, end - at))
        if block != NOTHING[: len(block)]:
            yield at, block
        at += STEP


def mapped(path: Path) -> memoryview:
    """A file's bytes as they are when they are looked at; only those are read."""
    with path.open("rb") as file:
        return memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))


def hashes(root: Path) -> dict[str, int]:
    return {
        str(path.relative_to(root)): told(path.read_bytes())
        for path in sorted(root.rglob("*"))
        if path.is_file() and "lost+found" not in path.parts
    }


class Case(NamedTuple):
    """A file system: how it is made in a folder; ``family`` says which utility shrinks it."""

    name: str
    family: str
    make: Callable[[Path], Path]


# --- ext -------------------------------------------------------------------------------------------------------------


def ext(size: int, files: dict[str, int], *options: object, removed: str = "") -> Callable[[Path], Path]:
    """``removed``: a folder whose files are deleted again, so that the rest stands scattered and far out."""

    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        root = folder(work / "files", files)
        run("mke2fs", "-q", "-F", *options, "-d", root, image)
        if removed:
            names = [name for name in files if name.startswith(removed)]
            run("debugfs", "-w", "-f", "-", image, send="".join(f"rm /{name}\n" for name in names))
            run("e2fsck", "-fy", image, ok=(0, 1))
        return image

    return make


def ext_files(image: Path, work: Path) -> dict[str, int]:
    shutil.rmtree(work / "out", ignore_errors=True)
    (work / "out").mkdir()
    run("debugfs", "-R", f"rdump / {work / 'out'}", image)
    return hashes(work / "out")


def ext_shrink(image: Path, size: int) -> None:
    """As the utility asks: checked first, then shrunk without force, cut, checked."""
    run("e2fsck", "-fp", image, ok=(0, 1))
    block = int(next(line for line in run("dumpe2fs", "-h", image).splitlines() if "Block size" in line).split()[-1])
    run("resize2fs", image, size // block if block > 1024 * 4 else f"{size // 1024}K")
    os.truncate(image, size)
    run("e2fsck", "-fn", image)


def ext_least(image: Path) -> int:
    shown = run("dumpe2fs", "-h", image)
    block = int(next(line for line in shown.splitlines() if "Block size" in line).split()[-1])
    return int(run("resize2fs", "-P", image).split()[-1]) * block


LEDGER = {"ledger.txt": 300_000, "catalogue.bin": 60 * MIB, "scan.bin": 25 * MIB}
EXT4, EXT3, EXT2 = ("-t", "ext4"), ("-t", "ext3"), ("-t", "ext2")
HALF = {**many(60, 4 * MIB, "keep"), **many(60, 4 * MIB, "drop")}  # more than one chunk, a tenth of the device each
SCATTER = {**many(900, 120_000, "keep"), **many(900, 150_000, "drop")}

EXT_CASES = (
    Case("ext4", "ext", ext(2 * GIB, LEDGER, *EXT4)),
    Case("ext4, sets of one group", "ext", ext(2 * GIB, LEDGER, *EXT4, "-G", 1)),
    Case("ext4 1 KiB blocks", "ext", ext(600 * MIB, LEDGER, *EXT4, "-b", 1024)),
    Case("ext4 2 KiB blocks", "ext", ext(GIB, LEDGER, *EXT4, "-b", 2048)),
    Case("ext4 64 KiB blocks", "ext", ext(4 * GIB, LEDGER, *EXT4, "-b", 65536)),
    Case("ext4 many small files", "ext", ext(GIB, many(30_000, 700), *EXT4)),
    Case("ext4 many inodes", "ext", ext(2 * GIB, many(20_000, 60), *EXT4, "-i", 2048)),
    Case("ext4 few inodes", "ext", ext(2 * GIB, LEDGER, *EXT4, "-i", 1048576)),
    Case("ext4 half removed", "ext", ext(512 * MIB, SCATTER, *EXT4, removed="drop")),
    Case("ext4 half removed, 1 KiB", "ext", ext(512 * MIB, SCATTER, *EXT4, "-b", 1024, removed="drop")),
    Case("ext4 large and nearly empty", "ext", ext(200 * GIB, {"note.txt": 40}, *EXT4)),
    Case("ext4 large with data", "ext", ext(60 * GIB, {"film.bin": 900 * MIB, **many(3000, 9000)}, *EXT4)),
    Case("ext4 no flex_bg", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "^flex_bg")),
    Case("ext4 meta_bg", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "meta_bg,^resize_inode")),
    Case("ext4 32-bit", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "^64bit,^metadata_csum")),
    Case("ext4 sparse_super2", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "sparse_super2,^resize_inode")),
    Case("ext4 no journal", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "^has_journal")),
    Case("ext4 large flex groups", "ext", ext(8 * GIB, {**LEDGER, **many(5000, 5000)}, *EXT4, "-G", 64)),
    Case("ext4 nearly full", "ext", ext(400 * MIB, {**LEDGER, **many(2000, 120_000)}, *EXT4)),
    Case("ext3", "ext", ext(2 * GIB, LEDGER, *EXT3)),
    Case("ext3 many small files", "ext", ext(GIB, many(30_000, 700), *EXT3)),
    Case("ext3 half removed", "ext", ext(512 * MIB, SCATTER, *EXT3, removed="drop")),
    Case("ext2", "ext", ext(2 * GIB, LEDGER, *EXT2)),
    Case("ext2 1 KiB blocks, many inodes", "ext", ext(GIB, many(12_000, 900), *EXT2, "-b", 1024, "-i", 1024)),
    Case("ext4, sets of one group, 6 GiB", "ext", ext(6 * GIB, LEDGER, *EXT4, "-G", 1)),
    Case("ext4, sets of one group, 1 KiB blocks", "ext", ext(600 * MIB, LEDGER, *EXT4, "-G", 1, "-b", 1024)),
    Case("ext4, sets of two groups", "ext", ext(3 * GIB, LEDGER, *EXT4, "-G", 2)),
    Case("ext4, sets of two groups, many inodes", "ext", ext(GIB, many(9000, 900), *EXT4, "-G", 2, "-i", 4096)),
    Case("ext4, sets of four groups, half removed", "ext", ext(GIB, SCATTER, *EXT4, "-G", 4, removed="drop")),
    Case("ext4, sets of 32 groups", "ext", ext(9 * GIB, LEDGER, *EXT4, "-G", 32)),
    Case("ext4, sets of 32 groups, half removed", "ext", ext(5 * GIB, SCATTER, *EXT4, "-G", 32, removed="drop")),
    Case("ext4, sets of 32 groups, 1 KiB blocks", "ext", ext(GIB, LEDGER, *EXT4, "-G", 32, "-b", 1024)),
    Case("ext4 small inodes", "ext", ext(2 * GIB, many(9000, 3000), *EXT4, "-I", 128)),
    Case("ext4 no extents", "ext", ext(2 * GIB, LEDGER, *EXT4, "-O", "^extents,^64bit")),
    Case("ext3 1 KiB blocks", "ext", ext(600 * MIB, LEDGER, *EXT3, "-b", 1024)),
    Case("ext2 every group a copy", "ext", ext(GIB, LEDGER, *EXT2, "-O", "^sparse_super,^resize_inode")),
)


# --- NTFS ------------------------------------------------------------------------------------------------------------


def ntfs(size: int, files: dict[str, int], *options: object, removed: str = "") -> Callable[[Path], Path]:
    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        root = folder(work / "files", files)
        run("mkfs.ntfs", "-F", "-Q", "-q", *options, image)
        for name in files:
            run("ntfscp", image, root / name, name)
        return image

    return make


def ntfs_files(image: Path, work: Path) -> dict[str, int]:
    names = [str(path.relative_to(work / "files")) for path in (work / "files").rglob("*") if path.is_file()]
    found = {}
    for name in names:
        copied = subprocess.run(
            ["ntfscat", "--force", str(image), name], capture_output=True, check=True, env=ENVIRONMENT
        )
        found[name] = told(copied.stdout)
    return found


def ntfs_shrink(image: Path, size: int) -> None:
    """``--force`` would accept an unclean volume; it is given once because the utility asks for a check by Windows
    after each change of size, never for the size itself."""
    run("ntfsresize", "--size", size, image, send="y\n")
    run("ntfsfix", "--clear-dirty", image)
    os.truncate(image, size)
    run("ntfsfix", "--no-action", image)
    run("ntfsresize", "--info", "--force", image, ok=(0, 1))


def ntfs_least(image: Path) -> int:
    said = run("ntfsresize", "--info", "--force", image)
    line = next(line for line in said.splitlines() if "resize at" in line)
    return int(line.split("resize at")[1].split()[0])


FLAT = {"ledger.txt": 300_000, "catalogue.bin": 160 * MIB, "scan.bin": 45 * MIB}
NTFS_CASES = (
    Case("ntfs", "ntfs", ntfs(2 * GIB, FLAT)),
    Case("ntfs 512 B clusters", "ntfs", ntfs(500 * MIB, FLAT, "-c", 512)),
    Case("ntfs 64 KiB clusters", "ntfs", ntfs(2 * GIB, FLAT, "-c", 65536)),
    Case("ntfs many files", "ntfs", ntfs(700 * MIB, {f"card{n:04}": 180_000 + n for n in range(400)})),
    Case("ntfs large and nearly empty", "ntfs", ntfs(200 * GIB, {"note.txt": 4000})),
)


# --- btrfs, mounted on a loop device ---------------------------------------------------------------------------------


@contextlib.contextmanager
def mounted(image: Path, work: Path) -> Iterator[Path]:
    place = work / "mount"
    place.mkdir(exist_ok=True)
    run("mount", "-o", "loop", image, place)
    try:
        yield place
    finally:
        run("umount", place)


def btrfs(size: int, files: dict[str, int], *options: object, removed: str = "") -> Callable[[Path], Path]:
    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        run("mkfs.btrfs", "-q", *options, image)
        with mounted(image, work) as place:
            folder(place, files)
            for name in files:
                if removed and name.startswith(removed):
                    (place / name).unlink()
        return image

    return make


def btrfs_files(image: Path, work: Path) -> dict[str, int]:
    with mounted(image, work) as place:
        return hashes(place)


def btrfs_shrink(image: Path, size: int) -> None:
    with mounted(image, image.parent) as place:
        run("btrfs", "filesystem", "resize", str(size), place)
    os.truncate(image, size)
    run("btrfs", "check", "--readonly", image)


def btrfs_least(image: Path) -> int:
    with mounted(image, image.parent) as place:
        return int(run("btrfs", "inspect-internal", "min-dev-size", place).split()[0])


BTRFS_CASES = (
    Case("btrfs single", "btrfs", btrfs(3 * GIB, LEDGER, "-m", "single")),
    Case("btrfs dup", "btrfs", btrfs(3 * GIB, LEDGER, "-m", "dup", "-d", "dup")),
    Case("btrfs small files", "btrfs", btrfs(2 * GIB, many(15_000, 900))),
    Case("btrfs half removed", "btrfs", btrfs(2 * GIB, SCATTER, removed="drop")),
    Case("btrfs large and nearly empty", "btrfs", btrfs(60 * GIB, {"note.txt": 4000})),
    Case("btrfs mixed", "btrfs", btrfs(800 * MIB, LEDGER, "--mixed")),
    Case("btrfs half-empty chunks", "btrfs", btrfs(2 * GIB, HALF, "-m", "single", removed="drop")),
    Case("btrfs half-empty chunks twice", "btrfs", btrfs(3 * GIB, HALF, "-m", "dup", "-d", "dup", removed="drop")),
    Case("btrfs mixed, half removed", "btrfs", btrfs(900 * MIB, SCATTER, "--mixed", removed="drop")),
    Case("btrfs nodes of 64 KiB", "btrfs", btrfs(3 * GIB, many(4000, 9000), "-n", "64k")),
    Case("btrfs large with data", "btrfs", btrfs(40 * GIB, {"film.bin": 900 * MIB, **many(3000, 9000)})),
)


# --- FAT, which no utility of the system makes smaller: made anew at its floor, with the same clusters ----------------


def fat(size: int, files: dict[str, int], bits: int, sectors: int) -> Callable[[Path], Path]:
    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        root = folder(work / "files", files)
        run("mkfs.fat", "-F", bits, "-s", sectors, "-n", f"F{bits}S{sectors}", image)
        run("mcopy", "-i", image, *sorted(root.iterdir()), "::")
        return image

    return make


def fat_files(image: Path, work: Path) -> dict[str, int]:
    shutil.rmtree(work / "out", ignore_errors=True)
    (work / "out").mkdir()
    run("mcopy", "-n", "-i", image, "::*", work / "out")
    return hashes(work / "out")


def fat_rebuild(image: Path, size: int) -> None:
    name = run("blkid", "-p", "-s", "LABEL", "-o", "value", image).strip()
    bits, sectors = name.removeprefix("F").split("S")
    run("mkfs.fat", "-F", bits, "-s", sectors, "-n", name, sparse(image.with_name("new"), size))
    run("mcopy", "-i", image.with_name("new"), *sorted((image.parent / "files").iterdir()), "::")
    image.with_name("new").replace(image)
    run("fsck.fat", "-n", image)
    assert f"FAT{bits}" in run("blkid", "-p", "-s", "VERSION", "-o", "value", image)


def fat_least(_image: Path) -> int:
    """Nobody says."""
    return 0


FAT_CASES = (
    Case("fat16 2 KiB clusters", "fat", fat(120 * MIB, {"catalogue.bin": 20 * MIB}, 16, 4)),
    Case("fat16 16 KiB clusters", "fat", fat(900 * MIB, LEDGER, 16, 32)),
    Case("fat32 512 B clusters", "fat", fat(300 * MIB, LEDGER, 32, 1)),
    Case("fat32 4 KiB clusters", "fat", fat(2 * GIB, LEDGER, 32, 8)),
    Case("fat32 8 KiB clusters", "fat", fat(3 * GIB, {"film.bin": 900 * MIB}, 32, 16)),
    Case("fat32 32 KiB clusters", "fat", fat(9 * GIB, LEDGER, 32, 64)),
)

CASES = EXT_CASES + NTFS_CASES + BTRFS_CASES + FAT_CASES


class Family(NamedTuple):
    utilities: tuple[str, ...]
    files: Callable[[Path, Path], dict[str, int]]
    shrink: Callable[[Path, int], None]
    least: Callable[[Path], int]


FAMILIES = {
    "ext": Family(("mke2fs", "resize2fs", "debugfs"), ext_files, ext_shrink, ext_least),
    "ntfs": Family(("mkfs.ntfs", "ntfsresize"), ntfs_files, ntfs_shrink, ntfs_least),
    "fat": Family(("mkfs.fat", "mcopy", "fsck.fat", "blkid"), fat_files, fat_rebuild, fat_least),
    "btrfs": Family(("mkfs.btrfs", "btrfs", "mount"), btrfs_files, btrfs_shrink, btrfs_least),
}
