"""What the script reads, writes and takes (rule 13.2b), as it does it; figures of the same survey as the copier's."""

from typing import NamedTuple, assert_never

from ..carry.ground import Ground, Load
from ..carry.sequence import DiskName, WayKey
from ..carry.step_kinds import record_of
from ..carry.step_record import Takes
from ..carry.times import Span, added, spent, time_range, within
from ..carry.ways import way_of
from ..sizes import MiB, Units, format_size, known_sum
from .by_script import ENDS_BYTES, ByScript, by_script, family_of, gaps_of

# Milliseconds of a step beside its bytes, by what it takes: the utilities start, and each write is waited for.
FIXED: dict[Takes, tuple[int, int]] = {
    "nothing": (20, 600), "disk": (30, 1000), "carried": (30, 1000), "moved": (100, 2000), "looked at": (20, 900),
    "smaller": (100, 3000), "larger": (50, 2000),
}  # fmt: skip
# Thousandths of the rate that the script reaches: it sums what it reads and waits until writes arrive (measured).
SHARES = (500, 1000)
RECORDS_SHARE = 40
WHOLE = 0  # the key of a whole image among the work files; rows have their numbers
BLANKED_BYTES = 2 * MiB  # at the ends of each new row and of the disk (rule 16.6)


class StepTakes(NamedTuple):
    """What one step takes: bytes read of the source, written to the target or moved on it, None where it is not known.

    ``passing``: bytes of work files while it lasts; ``kept``: what stands under a key afterwards; ``dropped``: what is
    given up with it.
    """

    read: int | None = 0
    written: int | None = 0
    passing: int = 0
    kept: tuple[int, int] | None = None
    dropped: int | None = None


class ScriptPrice(NamedTuple):
    """Bytes read of the source, written to the target, of work files at their most; seconds; what is left to do."""

    read_bytes: int | None
    write_bytes: int | None
    workspace_bytes: int
    seconds: tuple[int, int]
    by_hand: tuple[str, ...]

    def sentence(self, units: Units = "binary") -> str:
        """``1 h to 3 h: 131 GiB read, 133 GiB written, 12 GiB of workspace``."""
        known = [
            f"{format_size(figure, units)} {word}" if figure is not None else f"what is {word} is not known"
            for figure, word in ((self.read_bytes, "read"), (self.write_bytes, "written"))
        ]
        room = f"{format_size(self.workspace_bytes, units)} of workspace" if self.workspace_bytes else "no workspace"
        return f"{time_range(self.seconds)}: {', '.join([*known, room])}"


def price_for(ground: Ground, key: WayKey) -> ScriptPrice | None:
    """Of a way of this plan; None where it is not possible or has no steps."""
    way = way_of(ground, key)
    return price_of(by_script(ground, key, way.steps)) if way.possible and way.steps else None


def price_of(steps: list[ByScript]) -> ScriptPrice:
    ground = steps[0].ground
    taken = [_taken(one) for one in steps]
    blanked = BLANKED_BYTES * (sum(goal.extent is not None for goal in ground.goals) + 1)
    written = known_sum([blanked, *[one.written for one in taken]])
    return ScriptPrice(
        known_sum([one.read for one in taken]),
        written,
        work_room(steps),
        added(*[_span(one, what) for one, what in zip(steps, taken, strict=True)]).seconds,
        tuple(text for _, text in gaps_of(ground, steps[0].way)),
    )


def used_bytes(load: Load, sector: int) -> int | None:
    """What the script carries of a row: what is in use where a utility tells, else all of it."""
    whole = load.hold.extent.length * sector
    if family_of(load) == "other":
        return whole
    fs = load.row.row.fs
    if fs is None or fs.used_bytes is None:
        return None
    return min(whole, fs.used_bytes + ENDS_BYTES)


def _taken(one: ByScript) -> StepTakes:  # noqa: PLR0911  # one for each kind
    if one.is_left:
        return StepTakes()
    takes = record_of(one.step.kind).takes
    match takes:
        case "disk":
            return _read(one)
        case "carried":
            return _copy(one)
        case "smaller":
            return _shrink(one)
        case "moved":
            return StepTakes(written=used_bytes(one.load, one.ground.sector))
        case "looked at":
            return StepTakes(kept=(one.row, _least_known(one))) if _comes_out_of_image(one) else StepTakes()
        case "larger":
            return StepTakes(dropped=one.row)
        case "nothing":
            return StepTakes()
        case _:
            assert_never(takes)


def _read(one: ByScript) -> StepTakes:
    """A failing disk whole; a backup as far as its rows are used."""
    ground = one.ground
    if one.step.disk == "image":
        size = ground.plan.source.size_bytes
        return StepTakes(size, 0, kept=(WHOLE, size))
    used = known_sum([used_bytes(load, ground.sector) for load in ground.loads])
    return StepTakes(used, used)


def _copy(one: ByScript) -> StepTakes:
    used = used_bytes(one.load, one.ground.sector)
    if one.step.disk == "image":
        return StepTakes(used, 0, kept=(one.row, _least_known(one)))
    if one.step.from_disk == "image":
        passing = _least_known(one) if one.ground.whole_image and one.load.hold.fixed else 0
        return StepTakes(0, used, passing, dropped=None if _grows(one) else one.row)
    if not one.resizes:
        return StepTakes(used, used)
    packed = one.load.packed
    if one.fits_there:
        return StepTakes(used, known_sum([used, packed]))
    return StepTakes(used, used, passing=_least_known(one) + _to_pack(one))


def _shrink(one: ByScript) -> StepTakes:
    if one.step.disk == "image":
        return StepTakes(kept=(one.row, min(one.old[1], _least_known(one) + _to_pack(one))))
    return StepTakes(written=one.load.packed if one.step.disk == "target" else 0)


def _least_known(one: ByScript) -> int:
    """What is used, else the whole row: room is asked for before anything is known better."""
    used = used_bytes(one.load, one.ground.sector)
    return one.load.hold.extent.length * one.ground.sector if used is None else used


def _to_pack(one: ByScript) -> int:
    packed = one.load.packed
    return min(_least_known(one), one.old[1] - one.new[1]) if packed is None else packed


def _grows(one: ByScript) -> bool:
    """By the script: its work file is kept until that is done."""
    longer = one.load.goal.length > one.load.hold.extent.length
    return longer and not one.load.hold.fixed and one.row not in one.without


def _comes_out_of_image(one: ByScript) -> bool:
    """A row of a whole image gets a file of its own when it is first looked at."""
    return one.step.disk == "image" and one.ground.whole_image


def work_room(steps: list[ByScript]) -> int:
    """Bytes that work files take at most."""
    standing: dict[int, int] = {}
    most = 0
    for one in steps:
        taken = _taken(one)
        if taken.kept is not None:
            standing[taken.kept[0]] = taken.kept[1]
        most = max(most, sum(standing.values()) + taken.passing)
        if taken.dropped is not None:
            standing.pop(taken.dropped, None)
    return most


def whole_room(steps: list[ByScript]) -> int:
    """The same where the machine gives no loop devices, so that nobody can tell what is in use: rows at their length,
    and one more while it is resized."""
    most = kept = 0
    for one in steps:
        if one.step.source is None or one.step.row is None:
            continue
        if one.step.disk == "image" and one.step.kind == "copy":
            kept += one.old[1]
        most = max(most, one.old[1], one.new[1]) if one.resizes else most
    made = [place.length * steps[0].ground.sector for _, place in steps[0].ground.made] if steps else []
    whole = steps[0].ground.plan.source.size_bytes if steps and steps[0].ground.whole_image else 0
    rows = sum(load.hold.extent.length for load in steps[0].ground.loads) * steps[0].ground.sector if whole else 0
    return whole + rows + kept + max([most, *made])


def _span(one: ByScript, taken: StepTakes) -> Span:
    """What its utilities take where no bytes are carried; else at the rate of both disks, and read back."""
    step, ground = one.step, one.ground
    takes = record_of(step.kind).takes
    if one.is_left:  # it takes a person's time
        return Span()
    own = within(*FIXED[takes])
    if takes not in ("disk", "carried", "moved"):
        looked = spent(_looked_through(one), ground.path(step.disk), SHARES) if takes == "looked at" else Span()
        packed = (
            spent(_twice(one.load.packed), ground.path(step.disk), SHARES, _whole(one))
            if takes == "smaller"
            else Span()
        )
        return added(own, looked, packed)
    there = ground.path(step.disk)
    if takes == "moved":  # read and written on one disk
        moved, once = taken.written, spent(_twice(taken.written), there, SHARES, 2 * one.old[1])
    else:
        giver: DiskName = "image" if step.from_disk == "image" else "source"
        moved = taken.written if giver == "image" else taken.read
        once = spent(moved, ground.path(giver, step.disk), SHARES, _whole(one))
    return added(own, once, spent(moved, there, SHARES, _whole(one)))


def _looked_through(one: ByScript) -> int:
    """A check reads the records of files, which are about so much of what is used."""
    return (used_bytes(one.load, one.ground.sector) or one.old[1]) // RECORDS_SHARE


def _twice(figure: int | None) -> int | None:
    return None if figure is None else 2 * figure


def _whole(one: ByScript) -> int:
    """The most that a step carries where what is used is not known."""
    return one.ground.plan.source.size_bytes if one.step.row is None else one.old[1]
