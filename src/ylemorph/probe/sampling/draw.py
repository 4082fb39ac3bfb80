"""Places drawn at random among what is in use, and what stands there on both disks."""

import random
from collections.abc import Iterable, Iterator

from ...core.checkback.sampling import RowSample
from ...core.sizes import div_up
from ..media.medium import CannotRead, Unsound, Window
from .used import PIECE, Used

LOOK = 4096  # bytes of a bitmap in which the bits are counted together


def units_in_use(used: Used) -> int:
    if used.bitmap is None:
        return used.units
    return sum(number.bit_count() for _, _, number in _numbers(used))


def draw(used: Used, total: int, wanted: int, chance: random.Random) -> list[int]:
    """``wanted`` different units of the ``total`` in use, or all of them, in order."""
    ranks = sorted(chance.sample(range(total), min(wanted, total)))
    return ranks if used.bitmap is None else list(_of_ranks(used, ranks))


def _numbers(used: Used) -> Iterator[tuple[int, int, int]]:
    """The bitmap as numbers of at most ``LOOK`` bytes, with the units that each speaks of; none past the last one."""
    assert used.bitmap is not None
    at = 0
    for piece in used.bitmap():
        for place in range(0, len(piece), LOOK):
            bits = piece[place : place + LOOK]
            number = int.from_bytes(bits, "little")
            stop = at + len(bits) * 8
            yield at, stop, number if stop <= used.units else number & ((1 << max(0, used.units - at)) - 1)
            at = stop


def _of_ranks(used: Used, ranks: list[int]) -> Iterator[int]:
    """The units whose bits are the ``ranks``-th that are set, counted from 0; ranks in order."""
    waiting, before = iter(ranks), 0
    rank = next(waiting, None)
    for at, _, number in _numbers(used):
        bits = number.bit_count()
        if rank is not None and rank < before + bits:
            places = [place for place, bit in enumerate(reversed(f"{number:b}")) if bit == "1"]
            while rank is not None and rank < before + bits:
                yield at + places[rank - before]
                rank = next(waiting, None)
        before += bits


def _in_use(used: Used, units: Iterable[int]) -> set[int]:
    """Those of the units, given in order, that are in use."""
    if used.bitmap is None:
        return {unit for unit in units if unit < used.units}
    found, waiting = set(), iter(units)
    unit = next(waiting, None)
    for at, stop, number in _numbers(used):
        while unit is not None and unit < stop:
            if number >> (unit - at) & 1:
                found.add(unit)
            unit = next(waiting, None)
    return found


def compare(
    row: int, source: Window, target: Window, here: Used, there: Used, total: int, wanted: int, chance: random.Random
) -> RowSample:
    """``wanted`` places of a row's ``total`` units in use; what was moved or is written anew is none of them.

    So many are drawn that as many are left without the file system's own structures. A place of the source that cannot
    be read is left out; one of the target differs.
    """
    units = draw(here, total, div_up(wanted * total, max(1, total - here.own_units)), chance)
    kept = _in_use(there, units)
    tally = RowSample(row, total, moved=len(units) - len(kept))
    for unit in (unit for unit in units if unit in kept):
        if here.is_own(unit) or there.is_own(unit):
            tally = tally._replace(own=tally.own + 1)
            continue
        place = here.at + unit * here.unit
        if here.unit > PIECE:
            place += chance.randrange(here.unit // PIECE) * PIECE
        length = min(PIECE, here.unit)
        given = _read(source, place, length)
        if given is None:
            tally = tally._replace(unread=tally.unread + 1)
            continue
        got = _read(target, place, length)
        if got == given:
            tally = tally._replace(equal=tally.equal + 1)
        elif got is not None and here.may_be_own(given) and there.may_be_own(got):
            tally = tally._replace(own=tally.own + 1)
        else:
            first = place if tally.first is None else tally.first
            tally = tally._replace(differing=tally.differing + 1, first=first)
    return tally


def _read(window: Window, at: int, length: int) -> bytes | None:
    try:
        return window.read(at, length)
    except (CannotRead, Unsound):
        return None
