"""Reading disks, as ratios: a 2 TB NTFS volume to the barest loop over its bitmap, and whole commands to each other.

.venv/bin/python -m benchmarks.survey
"""

import os
import random
import statistics
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ylemorph.probe.filesystems import read_filesystem
from ylemorph.probe.media.opening import open_medium
from ylemorph.stand_ins.extents import unpack

ROUNDS = 9
MIB = 1 << 20
CLUSTER = 4096
VOLUME = 2_000_398_934_016
BITMAP_AT = 786_432  # the cluster at which the bitmap of the made volume begins
ROOT = Path(__file__).parents[1]
IMAGE = ROOT / "tests" / "probe" / "images"


def two_terabytes(path: Path) -> int:
    """A 2 TB NTFS from a small real one: the boot sector and $Bitmap's runs changed, the bitmap half full.

    Gives the bytes of the bitmap.
    """
    with (IMAGE / "ntfs-new.xz").open("rb") as packed:
        unpack(packed, path)
    clusters = VOLUME // CLUSTER - 1
    length = -(-clusters // 64) * 8
    runs = bytes((0x32,)) + struct.pack("<H", -(-length // CLUSTER)) + BITMAP_AT.to_bytes(3, "little") + b"\0"
    with path.open("r+b") as image:
        boot = image.read(512)
        (mft,) = struct.unpack_from("<Q", boot, 0x30)
        at = mft * CLUSTER + 6 * 1024
        image.seek(at)
        record = bytearray(image.read(1024))
        place = record.index(b"\x80\x00\x00\x00")
        pairs = place + struct.unpack_from("<H", record, place + 32)[0]
        struct.pack_into("<QQQ", record, place + 40, length, length, length)
        record[pairs : pairs + len(runs)] = runs
        image.seek(at)
        image.write(record)
        image.seek(0x28)
        image.write(struct.pack("<Q", VOLUME // 512 - 1))
        image.truncate(VOLUME)
        image.seek(BITMAP_AT * CLUSTER)
        source = random.Random(2)  # a picture, no secret
        for offset in range(0, length, MIB):
            image.write(source.randbytes(min(MIB, length - offset)))
    return length


def plain_reads(path: Path, length: int) -> None:
    with path.open("rb") as file:
        for offset in range(0, length, MIB):
            os.pread(file.fileno(), min(MIB, length - offset), BITMAP_AT * CLUSTER + offset)


def bare_loop(path: Path, length: int) -> None:
    """The bitmap's bytes read once and their bits counted, nothing else."""
    total = 0
    with path.open("rb") as file:
        for offset in range(0, length, MIB):
            data = os.pread(file.fileno(), min(MIB, length - offset), BITMAP_AT * CLUSTER + offset)
            total += int.from_bytes(data, "little").bit_count()


def survey(path: Path) -> None:
    with open_medium(path) as medium:
        found = read_filesystem(medium)
        assert found is not None
        assert found.used_bytes is not None
        assert found.used_bytes > VOLUME // 3


def ratio(one: Callable[[], None], other: Callable[[], None]) -> float:
    """Median of one's time over other's, pair by pair, so that a machine whose speed drifts matters less."""
    pairs = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        one()
        middle = time.perf_counter()
        other()
        pairs.append((middle - begun) / (time.perf_counter() - middle))
    return statistics.median(pairs)


def command(*args: str) -> Callable[[], None]:
    return lambda: subprocess.run(args, check=True, stdout=subprocess.DEVNULL)  # type: ignore[return-value]


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "two-terabytes"
        length = two_terabytes(path)
        plain_reads(path, length)
        print(f"survey of a 2 TB NTFS, bitmap of {length // 1_000_000} MB")
        to_loop = ratio(lambda: survey(path), lambda: bare_loop(path, length))
        to_reads = ratio(lambda: bare_loop(path, length), lambda: plain_reads(path, length))
        print(f"  to the bare loop         {to_loop:6.2f}  (goal 1.5)")
        print(f"  bare loop to plain reads {to_reads:6.2f}")
        own = str(Path(sys.executable).with_name("ylemorph"))
        peak = f"import resource, sys; sys.argv = ['ylemorph', 'survey', {str(path)!r}, '--out', {os.devnull!r}]\n"
        peak += "from ylemorph.cli import main; main(sys.argv[1:])\n"
        peak += "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
        told = subprocess.run([sys.executable, "-c", peak], check=True, capture_output=True, text=True)
        print(f"  peak memory              {int(told.stdout) / 1024:6.0f}  MiB (goal 60)")
        disk = Path(folder) / "disk"
        with (IMAGE / "disk-8-gib.xz").open("rb") as packed:
            unpack(packed, disk)
        version, bare = command(own, "--version"), command(sys.executable, "-c", "pass")
        print("whole commands")
        print(f"  --version to bare python {ratio(version, bare):6.2f}  (goal 8)")
        print(f"  survey 8 GiB to --version{ratio(command(own, 'survey', str(disk)), version):6.2f}  (goal 3)")


if __name__ == "__main__":
    main()
