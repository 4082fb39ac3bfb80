"""A step on its way into the script, and what the script's utilities cannot do."""

from collections.abc import Iterator
from typing import NamedTuple

from ...core.carry.carrying import Carrying
from ...core.carry.ground import Load
from ...core.carry.sequence import Step, WayKey
from ...core.disk.filesystems import EXT_KINDS, KIND_NAMES
from ...core.plain import plain_line
from ...core.sizes import format_size


class ScriptStep(NamedTuple):
    """One step on its way into the script. ``numbers``: of the entries in the target's table, by row."""

    carrying: Carrying
    way: WayKey
    step: Step
    gaps: frozenset[int]
    numbers: dict[int, int]

    @property
    def sector(self) -> int:
        return self.carrying.ground.sector

    @property
    def row(self) -> int:
        assert self.step.row is not None
        return self.step.row

    @property
    def load(self) -> Load:
        return next(load for load in self.carrying.ground.loads if load.number == self.row)

    def stays_empty(self, number: int) -> bool:
        """Whether the row's place is left to a person: what stands there is no file system of this job."""
        load = next((load for load in self.carrying.ground.loads if load.number == number), None)
        return load is None or (number in self.gaps and load.goal.length < load.hold.extent.length)

    @property
    def family(self) -> str:
        return family_of(self.load) or "other"

    @property
    def old(self) -> tuple[int, int]:
        """Where it stands and how long it is, in bytes."""
        assert self.step.source is not None
        return self.step.source.start * self.sector, self.step.source.length * self.sector

    @property
    def new(self) -> tuple[int, int]:
        assert self.step.to is not None
        return self.step.to.start * self.sector, self.step.to.length * self.sector

    @property
    def entry(self) -> int:
        """The row's number in the table of the disk that the step is about."""
        return self.numbers.get(self.row, self.row) if self.step.disk == "target" else self.row


def family_of(load: Load) -> str | None:
    """Which utility resizes it: ``ext``, ``ntfs``, or None."""
    kind = load.row.kind
    return "ext" if kind in EXT_KINDS else "ntfs" if kind == "ntfs" else None


def gaps_of(carrying: Carrying) -> Iterator[tuple[int, str]]:
    """Rows, and what is left to a person, said before anything begins."""
    for load in carrying.ground.loads:
        row, fixed = load.row, load.hold.fixed
        if fixed or family_of(load):
            continue
        kind, name = KIND_NAMES[row.kind], row.row.name_and_number
        size = format_size(row.size_bytes or 0)
        if load.goal.length < load.hold.extent.length:
            yield (
                load.number,
                f"{name}: {kind} cannot be made smaller here; its place of {size} stays empty for its files.",
            )
        else:
            yield (
                load.number,
                f"{name}: {kind} cannot be made larger here; it is copied and fills {size} once you extend it.",
            )
    for row, _ in carrying.ground.made:
        if row.role == "start":
            yield row.number, f"{row.row.name_and_number}: made new and empty; put the start files into it."


def quoted(text: str) -> str:
    """For the shell, as one word, whatever it holds."""
    return "'" + plain_line(text).replace("'", "'\\''") + "'"
