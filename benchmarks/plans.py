"""One plan against a general linear program on the same allotment, and how the time grows with the rows."""

import time
from collections.abc import Callable
from statistics import median

from scipy.optimize import linprog

from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import Disk, FileSystem, Partition, Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.cards import Morph, morph_with
from ylemorph.core.fit.layout import Prepared
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import Plan, make_plan, plan_on
from ylemorph.core.job.changes import apply
from ylemorph.core.job.size_changes import Drag
from ylemorph.core.job.state import JobState, SizedTarget
from ylemorph.core.sizes import GB, Bytes, GiB, MiB, nominal_sectors
from ylemorph.formats.own.plan import plan_to_data
from ylemorph.web.jobs.shapes import morph_data

PAIRS = 15


def source(rows: int) -> Disk:
    """A 4 TB disk with ``rows`` equal data partitions a third full."""
    sectors = nominal_sectors(4000 * GB, 512)
    each = sectors // (rows + 1) // 2048 * 2048
    parts = tuple(
        Partition(
            n + 1, 2048 + n * each, each, BASIC_DATA, role="system" if n == 0 else "data",
            filesystem=FileSystem("ntfs", used_bytes=Bytes(each * 512 // 3 + n * MiB), state="clean"),
        )
        for n in range(rows)
    )  # fmt: skip
    return checked(Disk(sectors, table="gpt", partitions=parts))


def seconds(run: Callable[[], object], times: int) -> float:
    start = time.perf_counter()
    for _ in range(times):
        run()
    return (time.perf_counter() - start) / times


def linear_program(disk: Disk, target: Disk) -> Callable[[], object]:
    """Least lambda for which sizes between floor and lambda x weight add up to the capacity."""
    plan = make_plan(disk, target, Options())
    weights = [row.source_bytes / GiB for row in plan.rows]
    lows = [(row.comfort_floor_bytes or 0) / GiB for row in plan.rows]
    capacity, n = plan.frame.usable_bytes / GiB, len(weights)
    over = [[float(i == j) for j in range(n)] + [-weights[i]] for i in range(n)]

    def run() -> object:
        # size_i <= lambda x weight_i holds for all rows that are not at their floor.
        free = [i for i in range(n) if lows[i] < weights[i] * capacity / sum(weights)]
        return linprog(
            [0.0] * n + [1.0],
            A_ub=[over[i] for i in free] or None,
            b_ub=[0.0] * len(free) or None,
            A_eq=[[1.0] * n + [0.0]],
            b_eq=[capacity],
            bounds=[(low, None) for low in lows] + [(0, None)],
            method="highs",
        )

    return run


SOURCES, TARGETS = 1000, (240, 256, 480, 500, 512, 960, 1000, 1920, 2000, 4000)


def fleet(program: Callable[[], object]) -> None:
    """Many sources on several targets under every fit: each source is prepared once, each target's frame once."""
    disks = [source(8) for _ in range(20)]
    targets = [nominal_disk(size * GB) for size in TARGETS]

    def run() -> None:
        for disk in disks:
            prepared = Prepared(disk, Options())
            for target in targets:
                frame = prepared.frame(target)
                for fit in FITS:
                    assert plan_on(prepared, target, fit, frame).layout.kept

    count = len(disks) * len(targets) * len(FITS)
    ratio = median(seconds(program, 10) * count / seconds(run, SOURCES // len(disks) // 5) for _ in range(5))
    total = SOURCES * len(targets) * len(FITS)
    print(f"{total} plans of a fleet: {ratio:.0f} times faster than as many calls of linprog (goal: 60)")


def preview() -> None:
    """What a step of a drag asks of the core: the change, the plan and the cards of all fits."""
    state = JobState(source=Survey(source(8)), target=SizedTarget("2TB", nominal_disk(2000 * GB)))
    change = Drag(1, 300 * GiB)

    def step() -> Morph:
        applied = apply(state, change)
        assert applied.layout is not None
        return morph_with(applied.layout, applied.state.pair.target)

    def plan() -> Plan:
        return make_plan(*state.pair, state.options)

    bare = median(seconds(lambda: plan().rows, 200) / seconds(step, 100) for _ in range(PAIRS))
    sent = median(
        seconds(lambda: plan_to_data(plan()), 100) / seconds(lambda: morph_data(step(), state, "binary"), 100)
        for _ in range(PAIRS)
    )
    print(f"preview of a drag: {1 / sent:.1f} times a bare plan of the same job, both as they are sent (goal: 3)")
    print(f"  the core's part alone: {1 / bare:.1f} times")


def main() -> None:
    target = nominal_disk(2000 * GB)
    eight = source(8)
    program = linear_program(eight, target)
    program()
    pairs = [(seconds(program, 10), seconds(lambda: make_plan(eight, target, Options()), 200)) for _ in range(PAIRS)]
    ratio = median(lp / plan for lp, plan in pairs)
    print(f"plan of 8 rows: {ratio:.1f} times faster than scipy linprog (goal: 25)")
    fleet(program)
    preview()
    base = median(plan for _, plan in pairs)
    for rows in (32, 128):
        disk = source(rows)
        took = median(seconds(lambda disk=disk: make_plan(disk, target, Options()), 20) for _ in range(PAIRS))
        print(f"plan of {rows} rows: {took / base:.1f} times a plan of 8 rows ({rows / 8:.0f} times the rows)")


if __name__ == "__main__":
    main()
