"""What there is to know of one kind of step, in one record."""

from collections.abc import Callable
from typing import Literal, NamedTuple

from .model import Model
from .sequence import Step
from .told import Told, Words

# What is in doubt where a step breaks off: nothing, what it reads in place or writes, and the table of its disk too.
Doubt = Literal["nothing", "places", "places and table"]

# What the script's hands take for it (rule 13.2b): nothing, a disk, a row carried, made smaller, made larger, moved, or
# looked at.
Takes = Literal["nothing", "disk", "carried", "smaller", "larger", "moved", "looked at"]


def _same(step: Step) -> Step:
    return step


class StepRecord(NamedTuple):
    """``fixed``: seconds beside what it reads and writes, from and to (rule 11.2).

    ``needs``: fields that must be there when steps are read; ``held``: it is about a row that stands on the source;
    ``two_disks``: it goes from one disk to another; ``takes``: what the script takes for it; ``settled``: a step that
    was read, with what follows from it.
    """

    fixed: tuple[int, int]
    needs: tuple[str, ...]
    words: Callable[[Told], Words]
    effect: Callable[[Model, int, Step], None]
    doubt: Doubt = "places"
    held: bool = False
    two_disks: bool = False
    takes: Takes = "nothing"
    settled: Callable[[Step], Step] = _same


def changes_nothing(_model: Model, _number: int, _step: Step) -> None:
    """Neither a check nor a new identity changes where anything stands."""
