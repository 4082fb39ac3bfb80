"""Make the images behind the simulated bench's disks anew.

Their file systems are made by the mkfs utilities; then clusters are marked as used without any contents, as if files
stood there. Same needs as make_images.py beside this file.

    .venv/bin/python scripts/make_stand_ins.py src/ylemorph/stand_ins/images
"""

import sys
import tempfile
from pathlib import Path

from make_images import GIB, MIB, fat, run, sparse

from ylemorph.stand_ins.extents import pack
from ylemorph.stand_ins.volumes import mark_fat, mark_ntfs

ESP = "C12A7328-F81F-11D2-BA4B-00A0C93EC93B"
RESERVED = "E3C9E316-0B5C-4DB8-817D-F92DF00215AE"
BASIC = "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"
RECOVERY = "DE94BBA4-06D1-4D40-A16A-BFD50179D6AC"


def ntfs(work: Path, name: str, size: int, label: str, *options: str) -> Path:
    image = sparse(work / name, size)
    run("mkfs.ntfs", "-F", "-Q", "-q", "-p", "2048", "-H", "255", "-S", "63", "-L", label, *options, image)
    return image


def put(work: Path, image: Path, name: str, size: int) -> None:
    """A file of zeros, whose clusters are the first free ones."""
    source = sparse(work / name, size)
    run("ntfscp", image, source, name)


def table(work: Path, size: int, script: str) -> Path:
    image = sparse(work / "disk", size)
    run("sfdisk", "--quiet", "--no-reread", "--no-tell-kernel", image, send=script)
    return image


Made = tuple[int, list[tuple[int, Path]]]


def start(work: Path, size: int, used: int) -> Path:
    (work / "start").mkdir()
    image = fat(work / "start", 32, size)
    mark_fat(image, used)
    return image


def desk(work: Path) -> Made:
    """1 TB: start, reserved, system with a page file far out, data, recovery."""
    size, at, rows = 1_953_525_168 * 512, 2048, []
    for grains, kind, more in (
        (260, ESP, ""), (16, RESERVED, ""), (420 * 1024, BASIC, ""), (510 * 1024, BASIC, ""),
        (980, RECOVERY, ', attrs="RequiredPartition GUID:63"'),
    ):  # fmt: skip
        rows.append((at, f"start={at}, size={grains * 2048}, type={kind}{more}"))
        at += grains * 2048
    script = "label: gpt\nlabel-id: 5B0A6C1E-7D3F-4C52-9A44-0D1E52B7C731\n" + "\n".join(line for _, line in rows) + "\n"
    starts = [first * 512 for first, _ in rows]
    system = ntfs(work, "system", 420 * GIB, "Desk")
    mark_ntfs(system, 100 * GIB, 0.3, 1)
    put(work, system, "pagefile.sys", 64 * MIB)
    put(work, system, "hiberfil.sys", 32 * MIB)
    mark_ntfs(system, 131 * GIB, 0.89, 2)
    data = ntfs(work, "data", 510 * GIB, "Catalogue")
    mark_ntfs(data, 96 * GIB, 0.35, 3)
    recovery = ntfs(work, "recovery", 980 * MIB, "Recovery")
    mark_ntfs(recovery, 572 * MIB, 0.7, 4)
    volumes = [start(work, 260 * MIB, 33 * MIB), None, system, data, recovery]
    return size, [(0, table(work, size, script)), *((p, v) for p, v in zip(starts, volumes, strict=True) if v)]


def reading_room(work: Path) -> Made:
    """128 GB, nearly full, recovery behind the system."""
    size = 250_069_680 * 512
    script = f"""label: gpt
label-id: 91F2D0B3-55A8-4E0B-8C1B-3F6A7788E120
start=2048, size=204800, type={ESP}
start=206848, size=32768, type={RESERVED}
start=239616, size={117 * 1024 * 2048}, type={BASIC}
start={239616 + 117 * 1024 * 2048}, size=1433600, type={RECOVERY}, attrs="RequiredPartition GUID:63"
"""
    system = ntfs(work, "system", 117 * GIB, "Reading")
    put(work, system, "hiberfil.sys", 32 * MIB)
    mark_ntfs(system, 103 * GIB, 0.97, 5)
    recovery = ntfs(work, "recovery", 700 * MIB, "Recovery")
    mark_ntfs(recovery, 505 * MIB, 0.8, 6)
    at = 239616 * 512
    volumes = [(2048 * 512, start(work, 100 * MIB, 29 * MIB)), (at, system), (at + 117 * GIB, recovery)]
    return size, [(0, table(work, size, script)), *volumes]


def bindery(work: Path) -> Made:
    """320 GB with an MBR: active start, system, two logicals."""
    size = (97_696_368 + 1_953_504 * 270) * 512
    rows = [(1, 350), (351, 120 * 1024), (0, 0), (352 + 120 * 1024, 150 * 1024), (353 + 270 * 1024, 24 * 1024)]
    script = f"""label: dos
label-id: 0x5d1e40b7
start=2048, size={350 * 2048}, type=7, bootable
start={351 * 2048}, size={120 * 1024 * 2048}, type=7
start={(351 + 120 * 1024) * 2048}, size={(2 + 174 * 1024) * 2048}, type=f
start={rows[3][0] * 2048}, size={rows[3][1] * 2048}, type=7
start={rows[4][0] * 2048}, size={rows[4][1] * 2048}, type=b
"""
    first = ntfs(work, "first", 350 * MIB, "System reserved")
    system = ntfs(work, "system", 120 * GIB, "Bindery")
    put(work, system, "hiberfil.sys", 32 * MIB)
    mark_ntfs(system, 61 * GIB, 0.8, 7)
    scans = ntfs(work, "scans", 150 * GIB, "Scans")
    mark_ntfs(scans, 88 * GIB, 0.66, 8)
    exchange = sparse(work / "exchange", 24 * GIB)
    run("mkfs.fat", "-F", "32", "-n", "EXCHANGE", exchange)
    mark_fat(exchange, 9 * GIB)
    volumes = [first, system, None, scans, exchange]
    pieces = [(row[0] * MIB, volume) for row, volume in zip(rows, volumes, strict=True) if volume]
    return size, [(0, table(work, size, script)), *pieces]


def old_loan(work: Path) -> Made:
    """480 GB with one partition that somebody may still want."""
    size = 937_703_088 * 512
    identity = "2E77AB10-6B8C-4A7E-8E57-91D0443E4410"
    script = f"label: gpt\nlabel-id: {identity}\nstart=2048, size={447 * 1024 * 2048}, type={BASIC}\n"
    volume = ntfs(work, "loan", 447 * GIB, "Old loan")
    mark_ntfs(volume, 3 * GIB, 0.05, 9)
    return size, [(0, table(work, size, script)), (MIB, volume)]


def wide(work: Path) -> Made:
    """2 TB with sectors of 4096 bytes, one data partition."""
    size = (12_212_046 + 244_188 * 1950) * 4096
    image = sparse(work / "disk", size)
    count = 1800 * GIB // 4096
    run("fdisk", "-b", "4096", image, send=f"g\nn\n1\n256\n{256 + count - 1}\nt\n{BASIC}\nw\n")
    volume = ntfs(work, "archive", 1800 * GIB, "Archive", "-s", "4096", "-c", "8192")
    mark_ntfs(volume, 1240 * GIB, 0.9, 10)
    return size, [(0, image), (256 * 4096, volume)]


DISKS = {"desk": desk, "reading-room": reading_room, "bindery": bindery, "old-loan": old_loan, "wide": wide}


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for name, build in DISKS.items():
        with tempfile.TemporaryDirectory() as work:
            size, pieces = build(Path(work))
            pack(pieces, size, folder / f"{name}.xz")
        print(name, (folder / f"{name}.xz").stat().st_size)
    with tempfile.TemporaryDirectory() as work:
        # What an NTFS for practice is grown from where mkfs.ntfs is not installed.
        pack([(0, ntfs(Path(work), "start", 8 * MIB, "Practice"))], 8 * MIB, folder / "ntfs-start.xz")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
