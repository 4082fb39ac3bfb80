"""What a person types: figures where something changes its size, and commands to let a target start (rule 14.1)."""

from collections.abc import Iterator
from typing import NamedTuple

from ..disk.starting import CODE_BYTES, HIDDEN_AT, HIDDEN_BYTES, LIST_AT, LOADER_AT, LOADER_BYTES, NAMING_KINDS
from ..fit.starting import Moved, PlannedStart
from ..sizes import MiB, div_up
from .sequence import Step

# An exFAT sums its boot sector up, which no single command does.
IN_ONE_NUMBER = NAMING_KINDS - {"exfat"}


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


def start_commands(start: PlannedStart, sector: int, *, copies: bool) -> tuple[str, ...]:
    """Commands for an ordinary Linux; SOURCE and TARGET are the disks there. ``copies``: the code is not there yet."""
    return tuple(_commands(start, sector, copies=copies))


def _commands(start: PlannedStart, sector: int, *, copies: bool) -> Iterator[str]:
    if copies:
        yield f"dd if=SOURCE of=TARGET bs={CODE_BYTES} count=1 conv=notrunc"
        if start.reach > 1 and not start.cut:
            yield f"dd if=SOURCE of=TARGET bs={sector} skip=1 seek=1 count={start.reach - 1} conv=notrunc"
    for moved in start.named:
        if moved.was != moved.now and moved.row.fs is not None and moved.row.fs.kind in IN_ONE_NUMBER:
            yield _number(moved, moved.now * sector + HIDDEN_AT, moved.now, HIDDEN_BYTES)
    if start.patched:
        for moved in start.moved_loaders:
            yield _number(moved, LOADER_AT, moved.now, LOADER_BYTES)
            yield _number(moved, moved.now * sector + LIST_AT, moved.now + 1, LOADER_BYTES)


def _number(moved: Moved, at: int, value: int, length: int) -> str:
    """``printf`` takes bytes in octal, the lowest first."""
    octal = "".join(f"\\{byte:03o}" for byte in value.to_bytes(length, "little"))
    return f"printf '{octal}' | dd of=TARGET bs=1 seek={at} conv=notrunc   # {moved.row.name_and_number}: {value}"
