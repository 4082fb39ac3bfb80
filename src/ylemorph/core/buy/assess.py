"""One machine of many: a line for each disk it could get and each fit, with the main reason and what would help."""

from bisect import bisect_left
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from ..disk.filesystems import BLOCKING, state_of
from ..disk.model import Disk, Survey
from ..disk.tables import PlannedTable
from ..disk.usual_sizes import as_read, label_of, shelf_disks
from ..fit.cards import percent_of
from ..fit.fits import FIT_KINDS, FIT_NAMES
from ..fit.frame import Frame, frame_of
from ..fit.layout import VERDICTS, Layout, Prepared, Verdict
from ..fit.options import Fit, Options
from ..fit.rows import Row
from ..sizes import format_size
from .least import PHYSICAL, grains_needed, least_sectors
from .verdicts import Outcome, Wanted, looked_at, outcome


class Target(NamedTuple):
    """A model of disk that machines may get, under the name it goes by in lists."""

    name: str
    disk: Disk


class FleetLine(NamedTuple):
    """One machine on one target under one fit; ``target`` is its place among the targets."""

    target: int
    fit: Fit
    outcome: Outcome
    reason: str
    remedy: str


class LeastSizes(NamedTuple):
    """The smallest disks of a machine under one fit, in bytes; None where no size gives that verdict."""

    tight: int | None
    comfortable: int | None


class Assessed(NamedTuple):
    """What there is to say of one machine; ``best``: its best verdict on each target, whatever the fit."""

    serial: str
    table_id: str
    taken: str
    source_bytes: int
    used_bytes: int
    must_bytes: int
    comfort_bytes: int
    needs: tuple[LeastSizes, ...]
    lines: tuple[FleetLine, ...]
    best: tuple[Verdict | None, ...]


def assess(survey: Survey, targets: Sequence[Target], fits: Sequence[Fit], options: Options) -> Assessed:
    """Every target under every fit, fits innermost. Raises YlemorphError where an option cannot be followed."""
    disk = survey.disk
    prepared = Prepared(disk, options)
    looked = looked_at(prepared)
    blocked = [row for row in prepared.carried if row.partition is not None and state_of(row.partition) in BLOCKING]
    needs, remedies = [], []
    for fit in fits:
        needs.append(need_of(prepared, fit))
        remedies.append(_Remedies(prepared, fit, blocked))
    lines = []
    for place, target in enumerate(targets):
        frame = prepared.frame(target.disk)
        for fit, remedy in zip(fits, remedies, strict=True):
            layout = prepared.on(frame, fit)
            found = outcome(layout, looked)
            reason = _reason(layout, blocked, disk, target.disk)
            lines.append(FleetLine(place, fit, found, reason, remedy.after(found.verdict, target.disk.size_bytes)))
    used = sum(row.fs.used_bytes or 0 for row in prepared.rows if row.fs is not None)
    grain = options.grain_bytes
    return Assessed(
        disk.serial, disk.table_id, survey.taken, disk.size_bytes, used,
        prepared.must * grain, prepared.comfort * grain, tuple(needs), tuple(lines), best_of(lines, len(targets)),
    )  # fmt: skip


def best_of(lines: Sequence[FleetLine], targets: int) -> tuple[Verdict | None, ...]:
    """The best verdict on each target."""
    found = [-1] * targets
    for line in lines:
        verdict = line.outcome.verdict
        if verdict is not None:
            found[line.target] = max(found[line.target], VERDICTS.index(verdict))
    return tuple([None if rank < 0 else VERDICTS[rank] for rank in found])


def need_of(prepared: Prepared, fit: Fit) -> LeastSizes:
    """In disks of 512-byte sectors."""
    wanted: tuple[Wanted, Wanted] = ("tight", "comfortable")
    sectors = [least_sectors(prepared, word, fit=fit) for word in wanted]
    return LeastSizes(*(None if count is None else count * 512 for count in sectors))


def _reason(layout: Layout, blocked: Sequence[Row], source: Disk, target: Disk) -> str:
    """The main one, for a list; empty for what is comfortable."""
    if layout.verdict is None:
        return "nothing goes over"
    if source.logical_sector_bytes != target.logical_sector_bytes:
        return f"made for sectors of {source.logical_sector_bytes} bytes, the disk has {target.logical_sector_bytes}"
    if layout.verdict == "does-not-fit":
        return _shortage(layout, blocked)
    if layout.verdict == "comfortable":
        return ""
    percent = percent_of(layout.kept)
    return f"headroom cut to {percent} %" if percent < 100 else "a row keeps its size without its headroom"


def _shortage(layout: Layout, blocked: Sequence[Row]) -> str:
    held = next((row for row in blocked if row.role in ("system", "data")), None)
    if held is not None and held.partition is not None:
        return f"{held.name_and_number} is {state_of(held.partition)} and keeps its {_size(held.source_bytes)}"
    short = f"short by {format_size(layout.shortfall_bytes)}"
    return f"{short} at the sizes of the source" if FIT_KINDS[layout.fit].keeps_sizes else short


@lru_cache(maxsize=512)
def _size(value: int) -> str:
    return format_size(value)


class _Remedies:
    """What helps one machine under one fit, worked out once for all targets."""

    def __init__(self, prepared: Prepared, fit: Fit, blocked: Sequence[Row]) -> None:
        self.fit = fit
        row = next((row for row in blocked if row.role in ("system", "data")), None)
        self.repair = "" if row is None else f"make {row.name_and_number} fit to be resized and survey it again"
        self.sizes = [smallest_usual(prepared, wanted, fit) for wanted in ("tight", "comfortable")]
        keeps = FIT_KINDS[fit].keeps_sizes
        self.other = grains_needed(prepared, "tight", "proportional") if keeps else None
        self.prepared = prepared

    def after(self, verdict: Verdict | None, size: int) -> str:
        if verdict == "tight":
            larger = self.sizes[1]
            return "" if larger is None else f"comfortable from {as_read(larger)}"
        if verdict != "does-not-fit":
            return ""
        if self.repair:
            return self.repair
        if self.other is not None and self._fits_otherwise(size):
            return f"use {FIT_NAMES['proportional']}"
        return f"take {self.sizes[0]}" if self.sizes[0] is not None else "leave something behind"

    def _fits_otherwise(self, size: int) -> bool:
        frame = self.prepared.frame(Disk(size // 512, 512, PHYSICAL))
        return self.other is not None and frame.end - frame.first - frame.tail >= self.other


class Usual(NamedTuple):
    """A usual size with its usable grains."""

    name: str
    bytes: int
    grains: int


def smallest_usual(prepared: Prepared, wanted: Wanted, fit: Fit) -> str | None:
    """The smallest usual size with at least that verdict, by name."""
    needed = grains_needed(prepared, wanted, fit)
    if needed is None:
        return None
    sizes = usual_sizes(prepared.table, prepared.options)
    place = bisect_left(sizes, needed, key=lambda size: size.grains)
    return sizes[place].name if place < len(sizes) else None


@lru_cache(maxsize=64)
def usual_sizes(table: PlannedTable, options: Options) -> tuple[Usual, ...]:
    """Those whose frame can be, smallest first."""
    frames: list[tuple[int, Disk, Frame]] = [
        (gigabytes, disk, frame_of(disk, table, options)) for gigabytes, disk in shelf_disks(512)
    ]
    return tuple(
        Usual(label_of(gigabytes), disk.size_bytes, frame.end - frame.first - frame.tail)
        for gigabytes, disk, frame in frames
    )
