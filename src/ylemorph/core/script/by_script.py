"""How the script does a step with the utilities of an ordinary Linux, and what it cannot do with them.

Only what is in use goes over where a utility says what that is: NTFS by its own bitmap, ext by its free blocks. A row
that gets smaller on its way is made smaller at its place, where the target has room for its old length behind that
place for a while and nothing stands there yet; else in a work file.
"""

from collections.abc import Iterator
from typing import Literal, NamedTuple

from ..carry.finish import loads_for, standing
from ..carry.ground import Ground, Load
from ..carry.sequence import Step, WayKey
from ..disk.filesystems import EXT_KINDS, KIND_NAMES, is_sealed
from ..sizes import MiB, format_size

Family = Literal["ext", "ntfs", "other"]  # by what resizes it
# Beside what is used: the ends of a row, and what joins stretches that lie close together (a twentieth and this).
ENDS_BYTES = 2 * MiB


def family_of(load: Load) -> Family:
    kind = load.row.kind
    if is_sealed(load.row.row.fs):
        return "other"  # what stands on the disk is encrypted
    return "ext" if kind in EXT_KINDS else "ntfs" if kind == "ntfs" else "other"


class ByScript(NamedTuple):
    """One step in the script's hands. ``without``: rows whose length its utilities cannot change."""

    ground: Ground
    way: WayKey
    step: Step
    without: frozenset[int]

    @property
    def row(self) -> int:
        assert self.step.row is not None
        return self.step.row

    @property
    def load(self) -> Load:
        return next(load for load in loads_for(self.ground, self.way) if load.number == self.row)

    @property
    def standing(self) -> tuple[Load, ...]:
        """Rows that stand at their places on the target before its table is written."""
        if self.way == "finish":
            return tuple(standing(self.ground)[0].values())
        return self.ground.loads

    @property
    def named(self) -> dict[int, int]:
        """Where rows that were found on the target say that they start."""
        found = self.ground.found
        kept = {load.number for load in self.standing} if self.way == "finish" else set()
        return {row.row: row.named for row in found.rows if row.row in kept} if found is not None else {}

    @property
    def family(self) -> Family:
        return family_of(self.load)

    @property
    def old(self) -> tuple[int, int]:
        """Where it stands and how long it is, in bytes."""
        assert self.step.source is not None
        return self.step.source.start * self.ground.sector, self.step.source.length * self.ground.sector

    @property
    def new(self) -> tuple[int, int]:
        assert self.step.to is not None
        return self.step.to.start * self.ground.sector, self.step.to.length * self.ground.sector

    @property
    def resizes(self) -> bool:
        return self.step.source is not None and self.step.to is not None and self.old[1] != self.new[1]

    @property
    def is_left(self) -> bool:
        """A step on a row that these utilities cannot look into; copied as a whole it still can be where it grows."""
        if self.step.row not in self.without:
            return False
        if self.step.kind in ("grow", "check"):
            return True
        smaller = self.step.kind in ("copy", "shrink")
        return smaller and self.load.gets_smaller

    @property
    def fits_there(self) -> bool:
        """Whether a row that gets smaller on its way can be made so at its place: there is room for its old length,
        and no record of a later logical within it."""
        stop = self.new[0] + self.old[1]
        rows = self.ground.plan.rows
        own = next(row for row in rows if row.number == self.row)
        assert own.first_lba is not None
        later = any(row.logical and row.first_lba is not None and row.first_lba > own.first_lba for row in rows)
        return stop <= self.ground.usable.stop * self.ground.sector and not later


def by_script(ground: Ground, way: WayKey, steps: tuple[Step, ...]) -> list[ByScript]:
    without = frozenset(number for number, _ in gaps_of(ground, way))
    return [ByScript(ground, way, step, without) for step in steps]


def gaps_of(ground: Ground, way: WayKey) -> Iterator[tuple[int, str]]:
    """Rows, and what is left to a person, said before anything begins."""
    for load in loads_for(ground, way):
        row = load.row
        same = load.goal.length == load.hold.extent.length
        if load.hold.fixed or same or family_of(load) != "other":
            continue
        kind, name = KIND_NAMES[row.kind], load.name
        if is_sealed(row.row.fs):
            kind = f"encrypted {kind}"
        size = format_size(row.size_bytes or 0)
        if load.gets_smaller:
            yield (
                load.number,
                f"{name}: {kind} cannot be made smaller here; its place of {size} stays empty for its files.",
            )
        else:
            yield (
                load.number,
                f"{name}: {kind} cannot be made larger here; it is copied and fills {size} once you extend it.",
            )
    for row, _ in ground.made:
        if row.role == "start":
            yield row.number, f"{row.row.name_and_number}: made new and empty; put the start files into it."


def again_from(steps: tuple[Step, ...], index: int) -> int:
    """The number of the step with which a step that was cut off begins anew, from 1.

    What is copied is copied again. A file system whose length was being changed may be neither the old nor the new one,
    so its copy is made again, from where it came; at the source there is nothing to take it from, so it is tried again.
    """
    step = steps[index]
    if step.kind not in ("shrink", "grow") or step.disk == "source":
        return index + 1
    if not any(before.kind in ("read", "copy") and before.row in (None, step.row) for before in steps[:index]):
        return index + 1  # it was found on the target: tried again
    for before in range(index - 1, -1, -1):
        other = steps[before]
        if other.disk == step.disk and (other.kind == "read" or (other.kind == "copy" and other.row == step.row)):
            return before + 1
    return 1
