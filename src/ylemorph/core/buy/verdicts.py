"""A source on one disk in the few figures that a list shows: no places, findings or remedies."""

from collections.abc import Iterable
from typing import Literal, NamedTuple

from ..disk.model import Disk
from ..fit.cards import percent_of
from ..fit.frame import Frame
from ..fit.layout import Layout, Prepared, Verdict
from ..fit.options import Fit
from ..fit.rows import Row

Wanted = Literal["tight", "comfortable"]
FITTING: dict[Verdict | None, tuple[Wanted, ...]] = {"tight": ("tight",), "comfortable": ("tight", "comfortable")}


class Outcome(NamedTuple):
    """``system_free_bytes``: free in the row that one would look at (the largest system row, else the largest elastic
    one); ``gained_bytes``: free space in all rows and beside them, less what is free today. None where nothing fits."""

    verdict: Verdict | None
    kept_percent: int
    shortfall_bytes: int
    system_free_bytes: int | None
    gained_bytes: int | None


class Looked(NamedTuple):
    """What of a prepared source every outcome asks: the row looked at, what the rows hold, what is free."""

    place: int | None
    held: int
    free_now: int


def looked_at(prepared: Prepared) -> Looked:
    """Worked out once for each source."""
    carried = prepared.carried
    able = [i for i, row in enumerate(carried) if row.floors is not None and not row.is_made]
    place = max(able, key=lambda i: (carried[i].role == "system", carried[i].base, -i), default=None)
    held = sum(_held(row) for row in carried)
    return Looked(place, held, max(0, prepared.source.size_bytes - sum(_held(row) for row in prepared.rows)))


def _held(row: Row) -> int:
    """What of a row's size is not free: all of it where what it holds is not known."""
    if row.floors is not None and not row.is_made:
        return row.floors.carried_bytes
    return row.source_bytes


def outcome(layout: Layout, looked: Looked) -> Outcome:
    """The figures of one layout."""
    sizes, grain = layout.sizes, layout.frame.grain_bytes
    if sizes is None:
        return Outcome(layout.verdict, 0, layout.shortfall_bytes, None, None)
    free = None
    if looked.place is not None:
        floors = layout.carried[looked.place].floors
        assert floors is not None  # only such rows are looked at
        free = sizes[looked.place] * grain - floors.carried_bytes
    usable = (layout.frame.end - layout.frame.first) * grain
    return Outcome(layout.verdict, percent_of(layout.kept), 0, free, max(0, usable - looked.held) - looked.free_now)


def outcomes(prepared: Prepared, frames: Iterable[Frame], fits: Iterable[Fit]) -> list[Outcome]:
    """Each frame under each fit, fits innermost."""
    looked, fits = looked_at(prepared), tuple(fits)
    return [outcome(prepared.on(frame, fit), looked) for frame in frames for fit in fits]


class Rung(NamedTuple):
    """One disk of a ladder; ``smallest``: the first that is comfortable, or the first before it that is tight."""

    disk: Disk
    layout: Layout
    outcome: Outcome
    smallest: Wanted | None


def ladder(prepared: Prepared, disks: Iterable[Disk]) -> list[Rung]:
    """Disks by size with what each means for the source. Raises BadOption where a frame cannot be."""
    ordered = sorted(disks, key=lambda disk: disk.size_bytes)
    looked = looked_at(prepared)
    made = [(disk, layout := prepared.on(disk), outcome(layout, looked)) for disk in ordered]
    first: dict[Wanted, int] = {}
    for place, (_, _, result) in enumerate(made):
        for word in FITTING.get(result.verdict, ()):
            first.setdefault(word, place)
    if first.get("tight") == first.get("comfortable"):
        first.pop("tight", None)
    return [
        Rung(disk, layout, result, next((word for word, at in first.items() if at == place), None))
        for place, (disk, layout, result) in enumerate(made)
    ]
