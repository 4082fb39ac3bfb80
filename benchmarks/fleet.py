"""Fleets: machines against models and fits as many linear programs, by one process and by two, and in the store."""

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

from benchmarks.plans import TARGETS, linear_program, seconds, source
from ylemorph.core.buy.assess import Target, assess
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.sizes import GB
from ylemorph.formats.listings.fleet_read import Found
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.store import fleets
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare

MACHINES = 1000
MODELS = [Target(f"{size}GB", nominal_disk(size * GB)) for size in TARGETS]


def machine(number: int) -> Survey:
    disk = source(8)
    parts = tuple(
        part.but(
            filesystem=part.filesystem.but(used_bytes=(part.filesystem.used_bytes or 0) * (number % 90 + 10) // 100)
        )
        if part.filesystem
        else part
        for part in disk.partitions
    )
    return Survey(disk.but(partitions=parts, serial=f"BK4-{number:06}"), "2026-11-20")


def against_linprog() -> None:
    disks = [machine(n) for n in range(50)]
    program = linear_program(disks[0].disk, nominal_disk(2000 * GB))
    program()

    def run() -> None:
        for survey in disks:
            assess(survey, MODELS, FITS, Options())

    count = len(disks) * len(MODELS) * len(FITS)
    ratios = [seconds(program, 20) * count / seconds(run, 1) for _ in range(9)]
    lines = MACHINES * len(MODELS) * len(FITS)
    print(f"{lines} lines of a fleet on one core: {median(ratios):.0f} times faster than linprog (goal: 60)")


def command(folder: Path, processes: int) -> tuple[float, int]:
    """Seconds of the whole command, and its largest memory in MB."""
    targets = [word for model in MODELS for word in ("--target", model.name)]
    fits = [word for fit in FITS for word in ("--fit", fit)]
    Path(f"{folder}.csv").unlink(missing_ok=True)
    out = ["--format", "csv", "--out", f"{folder}.csv", "--processes", str(processes)]
    begun = time.perf_counter()
    run = [sys.executable, "-m", "ylemorph", "fleet", str(folder), *targets, *fits, *out]
    done = subprocess.run(run, check=False)
    assert done.returncode in (0, 1)
    return time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024


def whole_commands() -> None:
    with tempfile.TemporaryDirectory() as name:
        small, middle, large = (Path(name) / word for word in ("1000", "4000", "10000"))
        for folder, count in ((small, MACHINES), (middle, MACHINES * 4), (large, MACHINES * 10)):
            folder.mkdir()
            for number in range(count):
                (folder / f"pc{number:05}.json").write_text(write_survey(machine(number), indent=None))
        both = median(command(middle, 1)[0] / command(middle, 2)[0] for _ in range(3))
        print(f"4,000 surveys by two processes: {both:.2f} times as fast as by one (goal: 1.7)")
        took, memory = command(large, 1)
        times = took / median(command(small, 1)[0] for _ in range(3))
        print(f"10,000 surveys: {times:.1f} times 1,000 (goal: 11), {memory} MB (goal: 400)")


def in_the_store() -> None:
    """From the files' arrival to lines that can be shown, as the running program does it."""
    from ylemorph.core.buy.shelf import ShelfDisk
    from ylemorph.usecases.fleet_runs import FleetRuns

    with tempfile.TemporaryDirectory() as name:
        store = prepare(Path(name))
        connection = connect(store)
        wishes = fleets.Wishes(tuple(ShelfDisk(model.name, model.disk) for model in MODELS), FITS, Options())
        fleet = fleets.create(connection, "Bench", wishes)
        fleets.add(connection, fleet, [Found(f"pc{n}", "", machine(n)) for n in range(MACHINES)])
        runs = FleetRuns()
        begun = time.perf_counter()
        runs.go_on(fleet, store)
        while fleets.head(connection, fleet).done == 0:
            time.sleep(0.002)
        first = time.perf_counter() - begun
        while fleets.head(connection, fleet).pending:
            time.sleep(0.02)
        took = time.perf_counter() - begun
        print(
            f"in the running program: first lines after {first * 1000:.0f} ms, {MACHINES / took:.0f} machines a second"
        )
        connection.close()


def main() -> None:
    against_linprog()
    whole_commands()
    in_the_store()


if __name__ == "__main__":
    main()
