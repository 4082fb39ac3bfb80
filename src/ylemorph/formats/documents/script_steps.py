"""A step on its way into the script."""

from typing import NamedTuple

from ...core.carry.finish import loads_for
from ...core.carry.ground import Load
from ...core.carry.sequence import Step, WayKey
from ...core.plain import plain_line
from ...core.script.by_script import ByScript, Family


class ScriptStep(NamedTuple):
    """One step on its way into the script. ``numbers``: of the entries in the target's table, by row; ``last``: whether
    a copy that goes out of a work file is the last that needs the file."""

    by: ByScript
    numbers: dict[int, int]
    last: bool = True

    @property
    def step(self) -> Step:
        return self.by.step

    @property
    def way(self) -> WayKey:
        return self.by.way

    @property
    def sector(self) -> int:
        return self.by.ground.sector

    @property
    def row(self) -> int:
        return self.by.row

    @property
    def load(self) -> Load:
        return self.by.load

    @property
    def is_left(self) -> bool:
        return self.by.is_left

    @property
    def family(self) -> Family:
        return self.by.family

    @property
    def runs(self) -> str:
        return runs_word(self.family)

    @property
    def old(self) -> tuple[int, int]:
        return self.by.old

    @property
    def new(self) -> tuple[int, int]:
        return self.by.new

    @property
    def entry(self) -> int:
        """The row's number in the table of the disk that the step is about."""
        return self.numbers.get(self.row, self.row) if self.step.disk == "target" else self.row

    def stays_empty(self, number: int) -> bool:
        """Whether the row's place is left to a person: what stands there is no file system of this job."""
        load = next((load for load in loads_for(self.by.ground, self.way) if load.number == number), None)
        return load is None or (number in self.by.without and load.goal.length < load.hold.extent.length)


def runs_word(family: Family) -> str:
    """By whose word the script knows what is in use: ``ext``, ``ntfs``, or nobody's, and then it is the whole row."""
    return "whole" if family == "other" else family


def quoted(text: str) -> str:
    """For the shell, as one word, whatever it holds."""
    return "'" + plain_line(text).replace("'", "'\\''") + "'"
