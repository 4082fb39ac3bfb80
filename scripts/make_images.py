"""Make the test images anew, and with them what other programs read in them.

Runs on Debian with ntfs-3g, dosfstools, mtools, exfatprogs, e2fsprogs, xfsprogs, btrfs-progs and fdisk; no rights of an
administrator and no mount are needed. The figures in ``expected.json`` come from the utilities named beside each
reader here, never from our own code. No volume written by Windows itself was at hand.

    .venv/bin/python scripts/make_images.py tests/probe/images
"""

import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from ylemorph.stand_ins.extents import pack

ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin", "LC_ALL": "C", "MTOOLS_SKIP_CHECK": "1"}
MIB = 1 << 20
GIB = 1 << 30


def run(*command: str | Path, send: str | None = None) -> str:
    done = subprocess.run(
        [str(part) for part in command], input=send, capture_output=True, text=True, check=False, env=ENVIRONMENT
    )
    if done.returncode not in (0, 1):
        raise SystemExit(f"{command}: {done.stderr}")
    return done.stdout


def sparse(path: Path, size: int) -> Path:
    with path.open("wb") as file:
        file.truncate(size)
    return path


def contents(folder: Path, sizes: dict[str, int]) -> Path:
    """A folder of files whose bytes compress to nothing but are not zero."""
    folder.mkdir()
    for name, size in sizes.items():
        (folder / name).write_bytes((name.encode() * (size // len(name) + 1))[:size])
    return folder


FILES = {"ledger.txt": 300_000, "catalogue.bin": 9_000_000, "note.txt": 40, "scan.bin": 2_500_000}


# --- NTFS: ntfscat copies $Bitmap out; pytsk3 reads the same images when the tests run --------------------------------


def ntfs_facts(image: Path) -> dict[str, int]:
    told = run("ntfsinfo", "-f", "-m", image)
    cluster = int(re.search(r"Cluster Size: (\d+)", told)[1])  # type: ignore[index]
    clusters = int(re.search(r"Volume Size in Clusters: (\d+)", told)[1])  # type: ignore[index]
    copied = subprocess.run(["ntfscat", "-f", "-i", "6", str(image)], capture_output=True, check=True, env=ENVIRONMENT)
    bits = int.from_bytes(copied.stdout, "little") & ((1 << clusters) - 1)
    return {"used": bits.bit_count() * cluster, "last": bits.bit_length() * cluster}


def ntfs(work: Path, *options: str, size: int = 96 * MIB, files: dict[str, int] = FILES) -> Path:
    image = sparse(work / "image", size)
    run("mkfs.ntfs", "-F", "-Q", "-q", "-p", "2048", "-H", "255", "-S", "63", "-L", "Harrow", *options, image)
    for name, length in files.items():
        source = work / name
        source.write_bytes((name.encode() * (length // len(name) + 1))[:length])
        run("ntfscp", image, source, name)
    return image


def ntfs_fragments(work: Path) -> Path:
    """The file table in so many pieces that its runs stand in other records, through an attribute list."""
    image = sparse(work / "image", 48 * MIB)
    run("mkfs.ntfs", "-F", "-Q", "-q", "-c", "512", "-L", "Pieces", image)
    small = work / "small"
    for number in range(900):
        small.write_bytes(b"x" * (700 + 512 * (number % 3)))
        run("ntfscp", image, small, f"card{number:04}.txt")
    return image


def ntfs_system(work: Path, magic: bytes) -> Path:
    """A volume with a page file and a hibernation file that begins with ``magic``."""
    image = ntfs(work, files=FILES)
    for name, head in (("pagefile.sys", b"page"), ("hiberfil.sys", magic)):
        source = work / name
        source.write_bytes(head + b"h" * 3_000_000)
        run("ntfscp", image, source, name)
    return image


def with_bytes(image: Path, offset: int, data: bytes) -> Path:
    with image.open("r+b") as file:
        file.seek(offset)
        file.write(data)
    return image


def ntfs_dirty(work: Path) -> Path:
    """The dirty bit of $Volume set, in its record (number 3) and in the mirror's copy of it."""
    image = ntfs(work)
    mark = b"\x70\x00\x00\x00\x28\x00\x00\x00"  # the head of its volume information
    data = image.read_bytes()
    at = data.index(mark, 4 * 4096 + 3 * 1024)
    for place in (at, data.index(mark, at + 1)):
        with_bytes(image, place + 24 + 10, b"\x01\x00")
    return image


# --- FAT: fsck.fat counts clusters, mshowfat names the last one ------------------------------------------------------


def fat(work: Path, bits: int, size: int, *options: str) -> Path:
    image = sparse(work / "image", size)
    run("mkfs.fat", "-F", str(bits), "-n", "HARROW", *options, image)
    sizes = FILES if size > 32 * MIB else {"ledger.txt": 300_000, "note.txt": 40}
    folder = contents(work / "files", sizes)
    for name in sizes:
        run("mcopy", "-i", image, folder / name, f"::{name}")
    if size > 32 * MIB:
        run("mdel", "-i", image, "::catalogue.bin")
    return image


def fat_facts(image: Path) -> dict[str, int]:
    counted = re.search(r"(\d+)/(\d+) clusters", run("fsck.fat", "-n", image))
    assert counted
    chains = [run("mshowfat", "-i", image, f"::{name}") for name in ("ledger.txt", "note.txt", "scan.bin")]
    last = max(int(number) for chain in chains for number in re.findall(r"(\d+)(?=[>,\-])", chain))
    geometry = run("fsck.fat", "-nv", image)
    cluster = int(re.search(r"(\d+) bytes per cluster", geometry)[1])  # type: ignore[index]
    heap = int(re.search(r"Data area starts at byte (\d+)", geometry)[1])  # type: ignore[index]
    return {"used": int(counted[1]) * cluster, "last": heap + (last - 1) * cluster}


# --- exFAT: dump.exfat counts clusters -------------------------------------------------------------------------------


def exfat(work: Path, *options: str, size: int = 96 * MIB) -> Path:
    image = sparse(work / "image", size)
    run("mkfs.exfat", "-L", "Harrow", *options, image)
    return image


def exfat_facts(image: Path) -> dict[str, int]:
    text = run("dump.exfat", image)

    def figure(name: str) -> int:
        found = re.search(rf"{name}:\s*(\d+)", text)
        assert found
        return int(found[1])

    return {"used": (figure("Total Clusters") - figure("Free Clusters")) * figure("Cluster size")}


# --- ext: dumpe2fs lists the free blocks of every group --------------------------------------------------------------


def ext(work: Path, kind: str, *options: str, size: int = 256 * MIB) -> Path:
    image = sparse(work / "image", size)
    folder = contents(work / "files", FILES)
    run(f"mkfs.{kind}", "-q", "-F", "-L", "harrow", "-d", folder, *options, image)
    return image


def ext_facts(image: Path) -> dict[str, int]:
    text = run("dumpe2fs", image)

    def figure(name: str) -> int:
        found = re.search(rf"^{name}:\s*(\d+)", text, re.MULTILINE)
        assert found
        return int(found[1])

    blocks, block = figure("Block count"), figure("Block size")
    ratio = figure("Cluster size") // block if "bigalloc" in text else 1
    free: set[int] = set()
    for line in re.findall(r"^  Free blocks: ?(.*)$", text, re.MULTILINE):
        for first, _, last in (piece.strip().partition("-") for piece in line.split(",") if piece.strip()):
            free |= set(range(int(first), int(last or first) + ratio))  # ends name a cluster's first block
    last = max(number for number in range(blocks) if number not in free)
    return {"used": (blocks - figure("Free blocks")) * block, "last": (last + 1) * block}


def nothing(image: Path) -> dict[str, int]:  # noqa: ARG001
    return {}


Recipe = tuple[Callable[[Path], Path], Callable[[Path], dict[str, int]]]

VOLUMES: dict[str, Recipe] = {
    "ntfs-new": (lambda w: ntfs(w, files={}), ntfs_facts),
    "ntfs-512": (lambda w: ntfs(w, "-c", "512"), ntfs_facts),
    "ntfs-4096": (lambda w: ntfs(w, "-c", "4096"), ntfs_facts),
    "ntfs-65536": (lambda w: ntfs(w, "-c", "65536", size=200 * MIB), ntfs_facts),
    "ntfs-2m": (lambda w: ntfs(w, "-c", "2097152", size=600 * MIB), ntfs_facts),
    "ntfs-4k-sectors": (lambda w: ntfs(w, "-s", "4096"), ntfs_facts),
    "ntfs-fragments": (ntfs_fragments, ntfs_facts),
    "ntfs-dirty": (ntfs_dirty, ntfs_facts),
    "ntfs-hibernated": (lambda w: ntfs_system(w, b"HIBR"), ntfs_facts),
    "ntfs-resumed": (lambda w: ntfs_system(w, b"WAKE"), ntfs_facts),
    "fat12": (lambda w: fat(w, 12, 4 * MIB), fat_facts),
    "fat16": (lambda w: fat(w, 16, 64 * MIB), fat_facts),
    "fat32": (lambda w: fat(w, 32, 300 * MIB), fat_facts),
    "fat32-4k-sectors": (lambda w: fat(w, 32, 320 * MIB, "-S", "4096", "-s", "1"), fat_facts),
    "exfat": (exfat, exfat_facts),
    "exfat-4k-clusters": (lambda w: exfat(w, "-c", "4096", size=2 * GIB), exfat_facts),
    "ext2": (lambda w: ext(w, "ext2", "-b", "1024"), ext_facts),
    "ext3": (lambda w: ext(w, "ext3"), ext_facts),
    "ext4": (lambda w: ext(w, "ext4", size=GIB), ext_facts),
    "ext4-1k-uninit": (
        lambda w: ext(w, "ext4", "-b", "1024", "-O", "uninit_bg,^metadata_csum", "-E", "lazy_itable_init=1"),
        ext_facts,
    ),
    "ext4-bigalloc": (lambda w: ext(w, "ext4", "-O", "bigalloc", "-C", "65536", size=GIB), ext_facts),
    "ext4-meta-bg": (lambda w: ext(w, "ext4", "-b", "1024", "-O", "meta_bg,^resize_inode"), ext_facts),
    "ext4-no-flex": (lambda w: ext(w, "ext4", "-O", "^flex_bg,^resize_inode", size=GIB + 37 * MIB), ext_facts),
    "ext4-32-bit": (lambda w: ext(w, "ext4", "-O", "^64bit,sparse_super2", size=GIB), ext_facts),
    "xfs": (lambda w: _made(w, 320 * MIB, "mkfs.xfs", "-q", "-L", "harrow"), nothing),
    "btrfs": (lambda w: _made(w, 120 * MIB, "mkfs.btrfs", "-q", "-L", "harrow"), nothing),
    "swap": (lambda w: _made(w, 16 * MIB, "mkswap", "-L", "harrow"), nothing),
}


def _made(work: Path, size: int, *command: str) -> Path:
    image = sparse(work / "image", size)
    run(*command, image)
    return image


# --- Whole disks -----------------------------------------------------------------------------------------------------


def disk(work: Path, size: int, script: str, volumes: dict[int, Path]) -> list[tuple[int, Path]]:
    """A disk with a table that sfdisk wrote, and volumes at byte offsets."""
    image = sparse(work / "disk", size)
    run("sfdisk", "--quiet", "--no-reread", "--no-tell-kernel", image, send=script)
    return [(0, image), *volumes.items()]


Whole = tuple[int, list[tuple[int, Path]], dict[str, object]]


def eight_gib(work: Path) -> Whole:
    """A GPT disk of 8 GiB with FAT32, NTFS, ext4 and exFAT."""
    made = {}
    for name, make in {
        "start": lambda w: fat(w, 32, 100 * MIB),
        "system": lambda w: ntfs(w, size=4 * GIB),
        "linux": lambda w: ext(w, "ext4", size=2 * GIB),
        "store": lambda w: exfat(w, size=GIB),
    }.items():
        (work / name).mkdir()
        made[name] = make(work / name)
    script = """label: gpt
label-id: 7D1C2E90-4B7A-4E16-9C1B-0A4D6E2F8C31
start=2048, size=204800, type=C12A7328-F81F-11D2-BA4B-00A0C93EC93B
start=206848, size=8388608, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7, name="System"
start=8595456, size=4194304, type=0FC63DAF-8483-4772-8E79-3D69D8477DE4
start=12789760, size=2097152, type=EBD0A0A2-B9E5-4433-87C0-68B6B72699C7, attrs="GUID:63"
"""
    starts = {"start": 2048, "system": 206848, "linux": 8595456, "store": 12789760}
    pieces = disk(work, 8 * GIB, script, {starts[name] * 512: path for name, path in made.items()})
    return 8 * GIB, pieces, _table(work / "disk")


def mbr_logicals(work: Path) -> Whole:
    """An MBR disk with an active primary and two logicals."""
    (work / "a").mkdir()
    (work / "b").mkdir()
    script = """label: dos
label-id: 0x5d1e40b7
start=2048, size=196608, type=7, bootable
start=198656, size=800000, type=f
start=200704, size=131072, type=83
start=333824, size=614400, type=b
"""
    volumes = {2048 * 512: ntfs(work / "a"), 333824 * 512: fat(work / "b", 32, 300 * MIB)}
    return 512 * MIB, disk(work, 512 * MIB, script, volumes), _table(work / "disk")


def four_k(work: Path) -> Whole:
    """A GPT disk with sectors of 4096 bytes: fdisk takes the sector size for an image, sfdisk does not."""
    (work / "a").mkdir()
    image = sparse(work / "disk", 256 * MIB)
    run("fdisk", "-b", "4096", image, send="g\nn\n1\n256\n24831\nt\nEBD0A0A2-B9E5-4433-87C0-68B6B72699C7\nw\n")
    listed = run("fdisk", "-b", "4096", "-l", "-o", "Start,Sectors,Type-UUID", image).splitlines()[-1].split()
    row = {"start": int(listed[0]), "size": int(listed[1]), "type": listed[2]}
    volumes = [(256 * 4096, ntfs(work / "a", "-s", "4096"))]
    return 256 * MIB, [(0, image), *volumes], {"label": "gpt", "sectorsize": 4096, "partitions": [row]}


def _table(image: Path) -> dict[str, object]:
    """What sfdisk reads, without the path."""
    table: dict[str, object] = json.loads(run("sfdisk", "--json", image))["partitiontable"]
    del table["device"]
    return {**table, "partitions": [{k: v for k, v in row.items() if k != "node"} for row in table["partitions"]]}


DISKS = {"disk-8-gib": eight_gib, "disk-mbr-logicals": mbr_logicals, "disk-4k": four_k}


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    expected: dict[str, object] = {}
    for name, (make, facts) in VOLUMES.items():
        with tempfile.TemporaryDirectory() as name_of_work:
            image = make(Path(name_of_work))
            expected[name] = facts(image)
            pack([(0, image)], image.stat().st_size, folder / f"{name}.xz")
        print(name, expected[name], (folder / f"{name}.xz").stat().st_size)
    for name, build in DISKS.items():
        with tempfile.TemporaryDirectory() as name_of_work:
            size, pieces, expected[name] = build(Path(name_of_work))
            pack(pieces, size, folder / f"{name}.xz")
        print(name, (folder / f"{name}.xz").stat().st_size)
    (folder / "expected.json").write_text(json.dumps(expected, indent=1) + "\n")


if __name__ == "__main__":
    if shutil.which("mkfs.ntfs", path=ENVIRONMENT["PATH"]) is None:
        raise SystemExit(
            "mkfs.ntfs is missing: apt-get install ntfs-3g dosfstools mtools exfatprogs e2fsprogs xfsprogs"
        )
    main(Path(sys.argv[1]))
