"""The steps of each way, in order: what belongs to the end goes there once, nothing is resized twice (rule 13.3)."""

from bisect import bisect_left

from ..errors import BadOption
from ..fit.plan import PlanRow
from ..sizes import Extent, format_size
from .disk_steps import READ, START_CODE
from .ground import Ground, Load
from .in_place import Shift, order_moves
from .row_steps import CHECK, COPY, GROW, MAKE, MOVE, SHRINK
from .sequence import DiskName, Step, StepKind
from .step_kinds import record_of
from .times import Span, added, between, reached, spent

Steps = list[Step]

# What moving data about on one disk reaches of its rate, in thousandths: small pieces, and back and forth.
PACKING_SHARES = (200, 600)


def straight(ground: Ground) -> Steps:
    """A copier that makes smaller on the way; what grows is made larger afterwards."""
    steps = [check("source", load) for load in ground.loads if not load.hold.fixed]
    return [*steps, _table(), *_copies(ground, "source", packs=True), *_ending(ground, "source")]


def files(ground: Ground) -> Steps:
    """New table and file systems, files copied: the file systems need no check of their own."""
    return [_table(), *_copies(ground, "source", packs=True), *_ending(ground, "source")]


def shrink_first(ground: Ground) -> Steps:
    """Smaller at the source, copied at equal sizes, made larger at the target."""
    steps: Steps = []
    for load in ground.loads:
        if not load.hold.fixed:
            steps.append(check("source", load))
        if shrinks(load):
            steps.append(shrink(ground, "source", load))
    return [*steps, _table(), *_copies(ground, "source", packs=False), *_ending(ground, "source")]


def through_image(ground: Ground) -> Steps:
    """Into an image, made smaller there, and out to the target.

    Row by row, so that there need be room for one only; a source that is failing or worn, or that must be detached
    before the target is attached, goes in whole first.
    """
    inward = [_into_image(ground, load) for load in ground.loads]
    inside = [_in_image(ground, load) for load in ground.loads]
    outward = [copy(ground, "image", load, shortened=True) for load in ground.loads]
    larger = [grow(ground, load) if grows(load) else [] for load in ground.loads]
    if ground.whole_image:
        inward = [[_read_whole(ground)]]
    if ground.whole_image or ground.facts.both_attached == "no":
        code = [] if ground.whole_image else _code_into_image(ground)
        out = _flat(_pairs(outward, larger))
        return [*_flat(inward), *code, *_flat(inside), _table(), *out, *_ending(ground, "image")]
    rows = [[*a, *b, c, *d] for a, b, c, d in zip(inward, inside, outward, larger, strict=True)]
    return [_table(), *_flat(rows), *_ending(ground, "source")]


def restore(ground: Ground) -> Steps:
    """A backup written back, which comes out at the old sizes and places; then everything in place (rule 10).

    Raises BadOption where rows cannot pass each other.
    """
    steps = [_write_back(ground)]
    if ground.plan.frame.table == "gpt" and ground.plan.source.table == "gpt":
        steps.append(simple("mend-table", "target"))
    shifts = []
    for load in ground.loads:
        now = load.hold.extent
        if not load.hold.fixed:
            steps.append(check("target", load))
        if shrinks(load):
            steps.append(shrink(ground, "target", load))
            now = load.short
        shifts.append(Shift(load.number, now, load.goal))
    by_number = {load.number: load for load in ground.loads}
    moves = order_moves(tuple(shifts), ground.usable, ground.plan.frame.grain_sectors)
    if moves.blocked is not None:
        name, missing = by_number[moves.blocked.row].row.row.name, moves.blocked.missing * ground.sector
        raise BadOption(
            f"{name} ({moves.blocked.row}) cannot pass the others: {format_size(missing)} of free space are missing",
            mend="keep the order of the rows, or leave one behind",
        )
    steps += [move(ground, by_number[row], now, goal) for row, now, goal in moves.made]
    steps.append(_table())
    for load in ground.loads:
        if grows(load):
            steps += grow(ground, load)
    steps += _ending(ground, None)  # the code came along with the backup
    return steps if ground.plan.identity == "keep" else [*steps, simple("identity", "target")]


def _ending(ground: Ground, code_from: DiskName | None) -> Steps:
    """What is made new, and last what starts the machine: a resizer that comes after it would write its own places."""
    start, made = ground.plan.starting, [make(row, place) for row, place in ground.made]
    copies = start.code is not False and code_from is not None
    if not copies and not start.renamed:
        return made
    return [
        *made,
        Step("start-code", "target", from_disk=code_from if copies else None, span=between(*START_CODE.fixed)),
    ]


def _code_into_image(ground: Ground) -> Steps:
    """Before the source is detached."""
    if ground.plan.starting.code is False:
        return []
    return [Step("start-code", "image", from_disk="source", span=between(*START_CODE.fixed))]


def _flat(groups: list[Steps]) -> Steps:
    return [step for group in groups for step in group]


def _pairs(copies: Steps, larger: list[Steps]) -> list[Steps]:
    return [[copy, *more] for copy, more in zip(copies, larger, strict=True)]


def shrinks(load: Load) -> bool:
    return not load.hold.fixed and load.goal.length < load.hold.extent.length


def grows(load: Load) -> bool:
    return not load.hold.fixed and load.goal.length > load.hold.extent.length


def _free_behind(starts: list[int], extent: Extent) -> int:
    place = bisect_left(starts, extent.stop)
    return starts[place] - extent.stop if place < len(starts) else 0


def simple(kind: StepKind, disk: DiskName) -> Step:
    return Step(kind, disk, span=between(*record_of(kind).fixed))


def _table() -> Step:
    return simple("table", "target")


def check(disk: DiskName, load: Load) -> Step:
    extent = load.hold.extent
    return Step("check", disk, load.number, None, extent, extent, span=between(*CHECK.fixed))


def _copies(ground: Ground, name: DiskName, *, packs: bool) -> Steps:
    steps: Steps = []
    for load in ground.loads:
        steps.append(copy(ground, name, load, shortened=not packs))
        if grows(load):
            steps += grow(ground, load)
    return steps


def copy(ground: Ground, name: DiskName, load: Load, *, shortened: bool) -> Step:
    """To its place; ``shortened``: it was made smaller before, so the copy keeps the length."""
    to = load.placed
    source = load.short if shortened else load.hold.extent
    free = _free_behind(ground.starts, to) if to.length < source.length else None
    copied = load.copied
    return Step(
        "copy",
        "target",
        load.number,
        name,
        source,
        to,
        copied,
        copied,
        added(between(*COPY.fixed), ground.copying(load, name, "target")),
        free,
    )


def _into_image(ground: Ground, load: Load) -> Steps:
    extent, copied = load.hold.extent, load.copied
    span = added(between(*COPY.fixed), ground.copying(load, "source", "image"))
    return [Step("copy", "image", load.number, "source", extent, extent, copied, copied, span)]


def _in_image(ground: Ground, load: Load) -> Steps:
    if load.hold.fixed:
        return []
    looked = check("image", load)
    return [looked, shrink(ground, "image", load)] if shrinks(load) else [looked]


def shrink(ground: Ground, disk: DiskName, load: Load) -> Step:
    """What lies past the new end is read and written on the same disk."""
    extent, to, packed = load.hold.extent, load.short, load.packed
    most = min(load.copied, (extent.length - to.length) * ground.sector)
    moving = spent(None if packed is None else 2 * packed, ground.path(disk), PACKING_SHARES, 2 * most)
    span = added(between(*SHRINK.fixed), moving)
    free = _free_behind(ground.source_starts, to)
    return Step("shrink", disk, load.number, None, extent, to, packed, packed, span, free)


def grow(ground: Ground, load: Load) -> Steps:
    span = between(*GROW.fixed)
    free = _free_behind(ground.starts, load.goal)
    return [Step("grow", "target", load.number, None, load.placed, load.goal, 0, 0, span, free)]


def move(ground: Ground, load: Load, now: Extent, goal: Extent) -> Step:
    """Its whole length, or its used space where the mover knows the file system (rule 9.3)."""
    size, path = now.length * ground.sector, ground.path("target")
    least, whole = spent(2 * min(load.copied, size), path), spent(2 * size, path)
    middle = (least.middle + whole.middle) // 2
    either = Span(middle, (*whole.parts, ("copier", middle - least.middle, whole.middle - middle)))
    return Step("move", "target", load.number, None, now, goal, size, size, added(between(*MOVE.fixed), either))


def make(row: PlanRow, place: Extent) -> Step:
    return Step("make", "target", row.number, None, None, place, span=between(*MAKE.fixed))


def _read_whole(ground: Ground) -> Step:
    """Sector by sector, past read errors: the only time that the source is read."""
    sectors = ground.plan.source.sectors
    return _whole(ground, "image", sectors, sectors * ground.sector, Span())


def _write_back(ground: Ground) -> Step:
    """The backup, as far as its last row reaches; what it holds is its own size, where that is known."""
    size = ground.facts.backup_size or ground.carried_bytes
    return _whole(ground, "target", last_end(ground), size, reached(None, size, ground.path("image", "target")))


def _whole(ground: Ground, disk: DiskName, sectors: int, size: int, reaching: Span) -> Step:
    """What stands in the first ``sectors`` of the source, ``size`` bytes of it, into the image or out of it."""
    extent, path = Extent(0, sectors), ground.path("source" if disk == "image" else "image", disk)
    span = added(between(*READ.fixed), spent(size, path), reaching)
    return Step("read", disk, None, "source", extent, extent, size, size, span)


def last_end(ground: Ground) -> int:
    """LBA behind the last partition of the source."""
    return max([partition.first_lba + partition.sectors for partition in ground.plan.source.partitions], default=0)
