"""Whole jobs on image files: a source made by the file systems' own utilities, and the target looked at.

Each row is made in a file of its own and put at its place.
"""

import hashlib
import json
from pathlib import Path
from typing import NamedTuple

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.disk.model import Disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.shell_script import script_of
from ylemorph.formats.own.check import read_plan
from ylemorph.formats.own.plan import plan_to_json
from ylemorph.probe.disks import survey_path

from .volumes import MIB, ext, ext_files, ntfs, ntfs_files, run, sparse, told, written

EFI, BASIC, LINUX, RECOVERY, SWAP = (
    "C12A7328-F81F-11D2-BA4B-00A0C93EC93B", "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7",
    "0FC63DAF-8483-4772-8E79-3D69D8477DE4", "DE94BBA4-06D1-4D40-A16A-BFD50179D6AC",
    "0657FD6D-A4AB-43C4-84E5-0933C84B4F4F",
)  # fmt: skip


def fat(size, files, *options):
    """A FAT with files, filled by mtools; ``-F 32`` from 260 MiB on."""

    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        run("mkfs.fat", *options, image)
        (work / "files").mkdir()
        for name, length in files.items():
            path = work / "files" / name
            path.write_bytes(hashlib.sha256(name.encode()).digest() * (length // 32))
            run("mcopy", "-i", image, path, f"::/{name}")
        return image

    return make


def fat_files(image: Path, work: Path) -> dict[str, int]:
    found = {}
    for path in sorted((work / "files").iterdir()):
        copy = work / "copied"
        copy.unlink(missing_ok=True)
        run("mcopy", "-i", image, f"::/{path.name}", copy)
        found[path.name] = told(copy.read_bytes())
    return found


def swap(size):
    def make(work: Path) -> Path:
        image = sparse(work / "image", size)
        run("mkswap", image)
        return image

    return make


FILES = {"ntfs": ntfs_files, "ext4": ext_files, "fat32": fat_files, "fat16": fat_files}
FSCK = ("fsck.fat", "-n")
CHECKS = {"ntfs": ("ntfsfix", "--no-action"), "ext4": ("e2fsck", "-fn"), "fat32": FSCK, "fat16": FSCK}


class Row(NamedTuple):
    kind: str
    mib: int
    role: str
    type: str
    gap: int = 0  # MiB before it


class Job(NamedTuple):
    """``smaller``: MiB of the target."""

    name: str
    way: str
    rows: tuple[Row, ...]
    target: int
    options: Options
    mbr: bool = False
    facts: Facts = Facts()
    source: int = 0


def made_row(row: Row, number: int, work: Path) -> Path:
    size = row.mib * MIB
    files = {f"ledger{number}.txt": 300_000, f"scan{number}.bin": min(row.mib // 8, 24) * MIB}
    makers = {
        "ntfs": lambda: ntfs(size, files), "ext4": lambda: ext(size, files, "-t", "ext4"),
        "fat32": lambda: fat(size, files, "-F", "32"), "fat16": lambda: fat(size, files, "-F", "16"),
        "swap": lambda: swap(size),
    }  # fmt: skip
    work.mkdir()
    return makers[row.kind]()(work)


class Made(NamedTuple):
    """A source image, and the hashes of each row's files by its number."""

    image: Path
    hashes: dict[int, dict[str, int]]
    folders: dict[int, Path]
    roles: tuple[tuple[int, str], ...]


def made_source(job: Job, work: Path) -> Made:
    at, lines, rows, roles = 1, [], [], []
    for place, row in enumerate(job.rows):
        number = place + 1 + (job.mbr and place >= 3)
        logical = job.mbr and place >= 3
        if job.mbr and place == 3:
            lines.append(f"4 : start={(at + row.gap) * 2048}, type=f, size=EXTENDED")
        at += row.gap + logical
        lines.append(f"{number} : start={at * 2048}, size={row.mib * 2048}, type={row.type}")
        rows.append((number, row, at))
        roles.append((number, row.role))
        at += row.mib
    size = (job.source or at + 8) * MIB
    image = sparse(work / "source.img", size)
    if any("EXTENDED" in line for line in lines):
        begin = next(int(line.split("start=")[1].split(",")[0]) for line in lines if "EXTENDED" in line)
        lines = [line.replace("EXTENDED", str(at * 2048 - begin)) for line in lines]
    run(
        "sfdisk",
        "--quiet",
        image,
        send=f"label: {'dos' if job.mbr else 'gpt'}\nunit: sectors\n\n" + "\n".join(lines) + "\n",
    )
    hashes, folders = {}, {}
    for number, row, start in rows:
        folders[number] = work / f"row-{number}"
        made = made_row(row, number, folders[number])
        put(made, 0, image, start * MIB, row.mib * MIB)
        if row.kind in FILES:
            hashes[number] = FILES[row.kind](made, folders[number])
            assert len(hashes[number]) == 2
        made.unlink()
    return Made(image, hashes, folders, tuple(roles))


def put(one: Path, at: int, other: Path, to: int, length: int) -> None:
    """Bytes from file to file; what is empty stays a hole."""
    with one.open("rb") as source, other.open("r+b") as target:
        for place, block in written(source, at, at + length):
            target.seek(to + place - at)
            target.write(block)


def plan_and_script(job: Job, made: Made, work: Path, **more):
    source = survey_path(made.image).disk
    target = Disk(job.target * 2048, **more)
    plan = make_plan(source, target, job.options.but(roles=made.roles))
    carrying = carry_out(plan, job.facts, job.way)
    path = work / "clone.sh"
    path.write_text(script_of(carrying))
    return plan, carrying, path


def as_the_utility_says(partition, volume: Path) -> None:
    """The size of a file system by ``ntfsinfo`` or ``dumpe2fs``, as our own survey says."""
    fs = partition.filesystem
    if fs.kind == "ntfs":
        said = run("ntfsinfo", "--force", "-m", volume)
        cluster = _figure(said, "Cluster Size:")
        # The utility counts whole clusters, the volume sectors.
        assert 0 <= fs.size_bytes - _figure(said, "Volume Size in Clusters:") * cluster <= cluster
    elif fs.kind == "ext4":
        said = run("dumpe2fs", "-h", volume)
        assert fs.size_bytes == _figure(said, "Block count:") * _figure(said, "Block size:")


def places_by_sfdisk(target: Path) -> set[tuple[int, int]]:
    told = json.loads(run("sfdisk", "--json", target))["partitiontable"]["partitions"]
    return {(int(row["start"]), int(row["size"])) for row in told if row["type"].lower() not in ("5", "f", "85")}


def _figure(said: str, word: str) -> int:
    return int(next(line for line in said.splitlines() if word in line).split(word)[1].split()[0])


def digest(path: Path) -> list[tuple[int, int]]:
    """Of what is written in a sparse file and where; holes are skipped, since most of a disk is one."""
    with path.open("rb") as file:
        return [(at, told(block)) for at, block in written(file, 0, path.stat().st_size)]


def look_at_target(job: Job, made: Made, plan, target: Path, work: Path, left=()) -> None:
    """Everything that must hold of the finished disk."""
    assert "No errors detected" in run("sfdisk", "--verify", target)
    checked = check_back(read_plan(plan_to_json(plan).encode()), survey_path(target).disk)
    wrong = [one.text() for one in checked.differences if one.kind.level != "note" and one.row not in left]
    assert wrong == []
    rows = survey_path(target).disk.rows
    assert places_by_sfdisk(target) == {(p.first_lba, p.sectors) for p in rows}
    found = {p.first_lba: p for p in rows}
    carried = [row for row in plan.rows if row.carried]
    assert sorted(found) == sorted(row.first_lba for row in carried)
    for row in carried:
        partition = found[row.first_lba]
        assert partition.sectors == row.sectors
        if row.number in left:
            continue
        fs = partition.filesystem
        if row.row.partition is not None and plan.source.table == plan.frame.table:
            assert partition.type == row.row.partition.type
            assert fs is None or fs.kind == row.kind
        if row.kind not in FILES or row.row.partition is None:
            continue
        assert fs is not None
        # Not more than a grain short of its partition, and never longer; a held row keeps its own length.
        size = min(row.size_bytes, row.source_bytes) if row.change == "holds" else row.size_bytes
        assert 0 <= size - fs.size_bytes <= MIB
        copy = sparse(work / "looked-at", row.size_bytes)
        put(target, row.first_lba * 512, copy, 0, row.size_bytes)
        as_the_utility_says(partition, copy)
        run(*CHECKS[row.kind], copy)
        assert FILES[row.kind](copy, made.folders[row.number]) == made.hashes[row.number]
        copy.unlink()
