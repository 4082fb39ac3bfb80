"""The steps from what the target holds already to the plan (rule 15), with the fewest bytes moved.

What is right is not touched. What is whole and elsewhere, or of another length, is made smaller, moved and made larger
in place, in the order of rule 10; what is missing or not whole is copied from the source once its place is free. Where
rows cannot pass each other, those in the way are given up one after the other, the lightest first, and copied again.
"""

from ..disk.model import Partition
from ..errors import BadOption
from ..fit.plan import PlanRow
from ..found.matching import FoundDisk, FoundRow
from ..sizes import Extent, format_size
from .build import Steps, check, copy, grow, grows, make, move, shrink, shrinks, simple
from .disk_steps import START_CODE
from .ground import Ground, Load
from .in_place import Blocked, Move, Shift, order_moves
from .sequence import Step, WayKey
from .times import between


def finish(ground: Ground) -> Steps:
    """Raises BadOption where nothing of the plan stands there, where all of it does, or where no order leads there."""
    found = ground.found
    if found is None:
        raise BadOption("nothing of the plan stands on the target", mend="begin with another way")
    if found.unclear:
        raise BadOption(
            found.unclear, mend="take the one that is none of them out of the table, and read the disk again"
        )
    kept, moves = standing(ground)
    steps: Steps = []
    for load in kept.values():
        if not load.hold.fixed and load.hold.extent.length != load.goal.length:
            steps.append(check("target", load))
        if shrinks(load):
            steps.append(shrink(ground, "target", load))
    steps += [move(ground, kept[row], now, goal) for row, now, goal in moves]
    missing = [load for load in ground.loads if load.number not in kept]
    lost = [(row, place) for row, place in ground.made if not _is_made(ground, found, row, place)]
    if not found.as_table:
        steps.append(simple("table", "target"))
    elif not found.backup:
        steps.append(simple("mend-table", "target"))
    for load in missing:
        steps.append(copy(ground, "source", load, shortened=False))
        steps += grow(ground, load) if grows(load) else []
    for load in kept.values():
        steps += grow(ground, load) if grows(load) else []
    steps += [make(row, place) for row, place in lost]
    steps += _start_code(ground, found, kept)
    if not steps:
        raise BadOption("everything stands as planned", mend="check it back, and close the job")
    return steps


def standing(ground: Ground) -> tuple[dict[int, Load], tuple[Move, ...]]:
    """Rows of the target that are used as they stand, by number, and the moves that bring them to their places.

    Raises BadOption where they cannot pass each other and there is nothing to copy them from.
    """
    kept = {row.row: as_found(ground, row) for row in ground.found.whole} if ground.found else {}
    return kept, _moves(ground, kept)


def loads_for(ground: Ground, way: WayKey) -> tuple[Load, ...]:
    """Every row that goes over as it stands for this way: to finish, as it was found where it is used so."""
    kept = standing(ground)[0] if way == "finish" else {}
    return tuple([kept.get(load.number, load) for load in ground.loads])


def as_found(ground: Ground, row: FoundRow) -> Load:
    """The row's load with the found place instead of the source's."""
    load = next(load for load in ground.loads if load.number == row.row)
    extent, goal = row.content, load.goal
    length = extent.length if load.hold.fixed else min(extent.length, goal.length)
    return load._replace(
        hold=load.hold._replace(extent=extent),
        goal=Extent(goal.start, goal.start + extent.length) if load.hold.fixed else goal,
        short=Extent(extent.start, extent.start + length),
        placed=Extent(goal.start, goal.start + length),
    )


def _moves(ground: Ground, kept: dict[int, Load]) -> tuple[Move, ...]:
    """Moves in their order; rows that could not pass are taken out of ``kept``, to be copied again."""
    while True:
        shifts = tuple(Shift(load.number, load.short, load.goal) for load in kept.values())
        moves = order_moves(shifts, ground.usable, ground.plan.frame.grain_sectors)
        if moves.blocked is None:
            return moves.made
        if ground.in_place:
            raise _blocked(ground, kept, moves.blocked)
        waiting = [load for load in kept.values() if load.short.start != load.goal.start]
        del kept[min(waiting, key=lambda load: load.copied).number]


def _blocked(ground: Ground, kept: dict[int, Load], blocked: Blocked) -> BadOption:
    missing = blocked.missing * ground.sector
    given = [f"leave {load.name} behind" for load in kept.values() if _passes(ground, kept, load.number)]
    given += [
        f"make {load.name} smaller by {format_size(missing)} for a while"
        for load in kept.values()
        if load.row.row.ability.smaller and load.short.length * ground.sector - _least(ground, load) >= missing
    ]
    return BadOption(
        f"{kept[blocked.row].name} cannot pass the others: {format_size(missing)} of free space are missing",
        mend=", or ".join(["keep the order of the rows", *given]),
    )


def _least(ground: Ground, load: Load) -> int:
    floors = load.row.floors
    return load.hold.bytes if floors is None else floors.hard * ground.plan.frame.grain_bytes


def _passes(ground: Ground, kept: dict[int, Load], without: int) -> bool:
    """Whether an order leads there once this row is gone."""
    shifts = tuple(Shift(load.number, load.short, load.goal) for load in kept.values() if load.number != without)
    return order_moves(shifts, ground.usable, ground.plan.frame.grain_sectors).blocked is None


def unknown_rows(ground: Ground) -> tuple[Partition, ...]:
    """Partitions of the target that are no row of the plan, and stand where nothing of it is made."""
    found = ground.found
    if found is None:
        return ()
    made = [(row, place) for row, place in ground.made]
    return tuple([p for p in found.others if not any(_is_it(ground, p, row, place) for row, place in made)])


def keeps_all(ground: Ground) -> bool:
    """Whether this way loses nothing that stands on the target: one disk in place, or rows of the plan alone."""
    return ground.found is not None and (ground.in_place or not unknown_rows(ground))


def _is_made(ground: Ground, found: FoundDisk, row: PlanRow, place: Extent) -> bool:
    """Whether a row that is made new stands there already."""
    return any(_is_it(ground, partition, row, place) for partition in found.others)


def _is_it(ground: Ground, partition: Partition, row: PlanRow, place: Extent) -> bool:
    source = row.row.partition
    alike = source is not None and partition.type == source.type
    if row.role == "swap":
        alike = partition.filesystem is not None and partition.filesystem.kind == "swap"
    return alike and partition.extent == place and ground.same_sectors


def _start_code(ground: Ground, found: FoundDisk, kept: dict[int, Load]) -> Steps:
    """The code where it is not there yet; and the places that rows name, where they stand elsewhere now."""
    start = ground.plan.starting
    copies = start.code is not False and not found.code and not ground.in_place
    named = {row.row: row.named for row in found.rows}
    renamed = any(
        (named[moved.row.number] if moved.row.number in kept else moved.was) != moved.now for moved in start.named
    )
    if not copies and not renamed:
        return []
    return [Step("start-code", "target", from_disk="source" if copies else None, span=between(*START_CODE.fixed))]
