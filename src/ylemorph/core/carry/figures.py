"""Figures to type where something is made smaller or larger, in the units that dialogs ask for."""

from typing import NamedTuple

from ..sizes import MiB, div_up
from .sequence import Step


class Figure(NamedTuple):
    """One figure: in whole MiB as a dialog takes it, and exactly, in sectors. ``word`` says which it is."""

    word: str
    mib: int
    sectors: int
    exact: bool  # whether the MiB are the same as the sectors


def figures_of(step: Step, sector: int) -> tuple[Figure, ...]:
    """New size, what is taken off or added, free space behind it afterwards; none where nothing changes its size.

    What is taken off is rounded up: a partition that is a little smaller still fits, a larger one does not.
    """
    if step.source is None or step.to is None or step.free_sectors is None:
        return ()
    change = step.to.length - step.source.length
    if not change:
        return ()
    taken = ("Take off" if change < 0 else "Add", abs(change), change < 0)
    rows = [("New size", step.to.length, False), taken, ("Free behind it", step.free_sectors, False)]
    return tuple(figure_of(word, sectors, sector, up=up) for word, sectors, up in rows)


def figure_of(word: str, sectors: int, sector: int, *, up: bool = False) -> Figure:
    """A figure from sectors, in whole MiB rounded down, or ``up``."""
    size = sectors * sector
    return Figure(word, div_up(size, MiB) if up else size // MiB, sectors, size % MiB == 0)
