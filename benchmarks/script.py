"""The script beside a bare ``dd`` of the same bytes: copied, and copied and read back."""

import os
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.model import Disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.script.price import price_for
from ylemorph.core.sizes import MiB
from ylemorph.formats.documents.shell_script import script_of
from ylemorph.probe.disks import survey_path

ENVIRONMENT = {**os.environ, "PATH": os.environ["PATH"] + ":/usr/sbin:/sbin", "LC_ALL": "C"}
ROW, USED, TARGET = 5000, 4000, 5600  # MiB
ROUNDS = 3


def run(*command: object, send: str | None = None) -> None:
    words = [str(part) for part in command]
    subprocess.run(words, input=send, text=True, check=True, env=ENVIRONMENT, stdout=subprocess.DEVNULL)


def made(work: Path) -> Path:
    """A disk with one ext4 that is three quarters full."""
    image, volume, files = work / "source.img", work / "volume", work / "files"
    files.mkdir()
    for number in range(USED // 50):
        (files / f"scan{number:03}").write_bytes(os.urandom(50 * MiB))
    with volume.open("wb") as file:
        file.truncate(ROW * MiB)
    run("mke2fs", "-q", "-t", "ext4", "-d", files, volume)
    with image.open("wb") as file:
        file.truncate((ROW + 8) * MiB)
    run("sfdisk", "--quiet", image, send=f"label: gpt\n\nstart=2048, size={ROW * 2048}\n")
    run("dd", f"if={volume}", f"of={image}", "bs=1M", "seek=1", "conv=notrunc,sparse", "status=none")
    volume.unlink()
    return image


def timed(*command: object) -> float:
    start = time.perf_counter()
    run(*command)
    return time.perf_counter() - start


def fresh(target: Path) -> Path:
    with target.open("wb") as file:
        file.truncate(TARGET * MiB)
    return target


def forget(file: Path) -> None:
    """What is read next comes from the disk: a source that was just attached is in nobody's memory."""
    run("dd", f"if={file}", "iflag=nocache", "count=0", "status=none")


def rounds(work: Path) -> Iterator[tuple[float, float, float, float]]:
    """Seconds of the script and of ``dd``, copied, and copied and read back; from a source that is not in memory."""
    image, target, room = made(work), work / "target.img", work / "room"
    room.mkdir()
    plan = make_plan(survey_path(image).disk, Disk(TARGET * 2048), Options(fit="same", roles=((1, "data"),)))
    carrying = carry_out(plan, Facts(both_attached="yes"), "straight")
    price = price_for(carrying.ground, "straight")
    assert price is not None
    assert price.read_bytes is not None
    script = work / "clone.sh"
    script.write_text(script_of(carrying))
    count = price.read_bytes // MiB
    for _ in range(ROUNDS):
        forget(image)
        copied = timed("sh", script, "--go", "--no-verify", image, fresh(target), room)
        forget(image)
        both = timed("sh", script, "--go", image, fresh(target), room)
        forget(image)
        bare = timed(
            "dd", f"if={image}", f"of={fresh(target)}", "bs=1M", f"count={count}", "conv=notrunc,fsync", "status=none"
        )
        forget(target)
        back = timed("dd", f"if={target}", "of=/dev/null", "bs=1M", f"count={count}", "status=none")
        yield copied, both, bare, bare + back


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        found = list(rounds(Path(folder)))
    copied, both, bare, bare_both = (median(times) for times in zip(*found, strict=True))
    print(f"the script: {copied / bare:.2f} times dd of the same bytes (goal: 1.3)")
    print(f"  read back too: {both / bare_both:.2f} times dd that reads back too")


if __name__ == "__main__":
    main()
