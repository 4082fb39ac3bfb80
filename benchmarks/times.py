"""Real runs of the script beside the range that was said before: how many lie inside (rule 11.2b; goal nine of ten).

Sources and targets are loop devices, so that the rate is measured; needs root and the utilities.
"""

import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.real.jobs import BASIC, LINUX, put
from tests.real.volumes import ENVIRONMENT, MIB, ext, ntfs, run, sparse

from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.sequence import WayKey
from ylemorph.core.disk.model import Disk
from ylemorph.core.fit.options import Options, Role
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.script.price import price_for
from ylemorph.formats.documents.shell_script import script_of
from ylemorph.probe.disks import survey_path

RUNS, SEED = 30, 11  # each run is drawn from seeds of its own: SEED, SEED + 1 and so on
WAYS: tuple[WayKey, ...] = ("straight", "through-image", "shrink-first")
FACTS = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes")


@contextmanager
def looped(image: Path) -> Iterator[str]:
    device = run("losetup", "--find", "--show", image).strip()
    try:
        yield device
    finally:
        run("losetup", "--detach", device)


def made(rnd: random.Random, work: Path) -> Path:
    """Two rows, each in use to a good part: of less than some hundred MiB no rate is measured."""
    sizes = [rnd.randint(1800, 3200) for _ in range(2)]
    image = sparse(work / "source.img", (sum(sizes) + 9) * MIB)
    lines, at = ["label: gpt\nunit: sectors\n"], 1
    for place, size in enumerate(sizes):
        kind = rnd.choice(("ext4", "ntfs"))
        files = {f"scan{n}": rnd.randint(size // 8, size // 6) * MIB for n in range(rnd.randint(2, 4))}
        folder = work / f"row{place}"
        folder.mkdir()
        volume = ext(size * MIB, files, "-t", "ext4")(folder) if kind == "ext4" else ntfs(size * MIB, files)(folder)
        lines.append(f"start={at * 2048}, size={size * 2048}, type={LINUX if kind == 'ext4' else BASIC}\n")
        put(volume, 0, image, at * MIB, size * MIB)
        volume.unlink()
        at += size
    table = sparse(work / "table.img", image.stat().st_size)
    run("sfdisk", "--quiet", table, send="".join(lines))
    put(table, 0, image, 0, MIB)
    end = image.stat().st_size - MIB
    put(table, end, image, end, MIB)
    return image


def told_and_taken(rnd: random.Random, work: Path) -> tuple[tuple[int, int], float]:
    """Seconds that were said before, and those that it took."""
    image = made(rnd, work)
    target, room = work / "target.img", work / "room"
    room.mkdir()
    run("dd", f"if={image}", "iflag=nocache", "count=0", "status=none")
    with looped(image) as source:
        disk = survey_path(source).disk
        onto = Disk(int(disk.sectors * rnd.uniform(0.75, 1.8)) // 2048 * 2048, read_rates=disk.read_rates)
        roles: tuple[tuple[int, Role], ...] = ((1, "data"), (2, "data"))
        plan = make_plan(disk, onto, Options(roles=roles))
        if plan.verdict == "does-not-fit":  # on one as large as the source everything fits
            plan = make_plan(disk, Disk(disk.sectors, read_rates=disk.read_rates), Options(roles=roles))
        carrying = carry_out(plan, FACTS, rnd.choice(WAYS))
        assert carrying.way is not None
        price = price_for(carrying.ground, carrying.way.key)
        assert price is not None
        script = work / "clone.sh"
        script.write_text(script_of(carrying))
        run("dd", f"if={image}", "iflag=nocache", "count=0", "status=none")
        with looped(sparse(target, plan.target.size_bytes)) as there:
            begin = time.perf_counter()
            subprocess.run(
                ["sh", script, "--go", source, there, room], check=True, capture_output=True, env=ENVIRONMENT
            )
            return price.seconds, time.perf_counter() - begin


def main() -> None:
    if os.geteuid():
        print("times of real runs: needs root")
        return
    inside, widths = 0, list[float]()
    for seed in range(SEED, SEED + RUNS):
        with tempfile.TemporaryDirectory() as folder:
            (low, high), taken = told_and_taken(random.Random(seed), Path(folder))
        inside += low <= taken <= high
        widths.append(high / max(1, low))
        if "--each" in sys.argv:
            print(f"  {low} to {high} s: {taken:.1f} s", flush=True)
    print(f"the script's time: {inside} of {RUNS} real runs inside what was said (goal: nine of ten)")
    print(
        f"  from low to high at most {max(widths):.1f} times, {sum(width > 3 for width in widths)} over 3 (goal: none)"
    )


if __name__ == "__main__":
    main()
