"""Figures to type where a difference is mended: new size, what is added or taken off, new start."""

from ..carry.typed import Figure, figure_of
from .differences import Difference
from .planned import Planned


def figures_for(difference: Difference, planned: Planned) -> tuple[Figure, ...]:
    """None where nothing is typed: a copy, a new identity, a check."""
    mend, sector = difference.kind.mend, planned.sector_bytes
    wanted, found = difference.planned, difference.found
    if mend == "move":
        return (figure_of("New start", wanted["first_lba"], sector),)
    if mend == "copy" and "first_lba" in wanted:
        return (figure_of("Its start", wanted["first_lba"], sector), figure_of("Its size", wanted["sectors"], sector))
    if mend not in ("extend", "shrink"):
        return ()
    if "sectors" in wanted:
        size, change = wanted["sectors"], wanted["sectors"] - found["sectors"]
    elif "bytes" in wanted:
        size, change = wanted["bytes"] // sector, (wanted["bytes"] - found["bytes"]) // sector
    else:
        return (figure_of("Idle", found["sectors"], sector),)
    word = "Add" if change > 0 else "Take off"
    return (figure_of("New size", size, sector), figure_of(word, abs(change), sector, up=change < 0))
