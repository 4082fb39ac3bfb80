"""The exact smallest disk that a source needs under a fit (rules 2, 6.4 and 6.5).

What the rows need in grains follows from the rows alone; how many sectors give so many grains is found by halving,
since a larger disk never has fewer usable grains.
"""

from ..disk.model import Disk
from ..errors import BadOption
from ..fit.fits import FIT_KINDS
from ..fit.frame import Frame, frame_of
from ..fit.layout import Prepared
from ..fit.options import Fit
from ..sizes import MAX_BYTES
from .verdicts import Wanted

SPARE = 64  # grains beside those of the rows: room for tables of any grain
PHYSICAL = 4096  # what nearly every disk on sale has inside, whatever sectors it shows


def grains_needed(prepared: Prepared, wanted: Wanted, fit: Fit | None = None) -> int | None:
    """Usable grains from which on the verdict is at least ``wanted``, the tail reserve aside.

    None where no size gives it: a row that keeps its size stays under its comfort floor, or nothing goes over.
    """
    group, chosen = prepared.group, fit or prepared.options.fit
    if not prepared.carried:
        return None
    keeps = FIT_KINDS[chosen].keeps_sizes
    if wanted == "tight":
        return prepared.fixed + (group.base if keeps else group.hard)
    grains = prepared.fixed + (group.base if keeps else max(group.hard, group.low))
    return grains if prepared.verdict_in(grains, chosen) == "comfortable" else None


def least_sectors(
    prepared: Prepared, wanted: Wanted, *, fit: Fit | None = None, sector: int = 512, physical: int = PHYSICAL
) -> int | None:
    """Logical sectors of the smallest disk with at least that verdict; None where there is none (``grains_needed``)."""
    needed = grains_needed(prepared, wanted, fit)
    return None if needed is None else sectors_for(prepared, needed, sector, physical)


def sectors_for(prepared: Prepared, grains: int, sector: int, physical: int = PHYSICAL) -> int | None:
    """Sectors of the smallest disk with so many usable grains besides the tail; None past every table's reach."""

    def frame(sectors: int) -> Frame:
        return frame_of(Disk(sectors, sector, max(sector, physical)), prepared.table, prepared.options)

    def enough(sectors: int) -> bool:
        try:
            made = frame(sectors)
        except BadOption:
            return False  # the tail reserve alone is larger than the disk
        return made.end - made.first - made.tail >= grains

    grain = prepared.options.grain_bytes
    if not prepared.options.tail.hundredths:
        # What stands before and behind the rows is the same on every disk of a table, so one frame tells it.
        some = frame((grains + SPARE) * grain // sector + prepared.options.tail.bytes // sector)
        guess = (some.first + some.tail + grains) * grain // sector + some.sectors - some.last_usable_lba - 1
        if enough(guess) and not enough(guess - 1):
            return guess
    less, most = 0, max(1, grains * grain // sector)
    while not enough(most):
        less, most = most, most * 2
        if most * sector > MAX_BYTES:
            return None
    while most - less > 1:
        middle = (less + most) // 2
        less, most = (less, middle) if enough(middle) else (middle, most)
    return most
