"""What would make it fit (rule 8): each remedy computed, with the verdict after it."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Literal, NamedTuple

from ..disk.filesystems import BLOCKING, state_of
from ..disk.model import Disk, Partition
from ..disk.usual_sizes import shelf_disks
from ..errors import YlemorphError
from ..sizes import GB, Bytes, Units, format_size
from .fits import FIT_KINDS, FIT_NAMES
from .layout import Layout, Verdict, lay_out
from .options import FITS, Firmware, Fit, Options, TableChoice, Tail
from .rows import Row, floors_for
from .smallest_set import smallest_set

RemedyKind = Literal[
    "fit", "lighten", "leave", "leave-set", "clear", "tail", "repair", "shelf", "stay", "table", "identity"
]


class Remedy(NamedTuple):
    """``bytes``: what is lightened, left, gained or bought; ``rows``: the rows of a set, ``fit``: of another fit;
    ``gained``: by how much lightening lowers the floor, its slack included."""

    kind: RemedyKind
    row: int | None
    bytes: int
    verdict_after: Verdict | None
    label: str = ""
    rows: tuple[int, ...] = ()
    fit: Fit | None = None
    gained: int = 0
    table: TableChoice = "keep"

    def text(self, units: Units = "binary") -> str:
        size = format_size(self.bytes, "decimal" if self.kind == "shelf" else units)
        return _TEXTS[self.kind].format(size=size, label=self.label, gained=format_size(self.gained, units))


_TEXTS: dict[RemedyKind, str] = {
    "fit": "Use {label} instead of Same sizes.",
    "lighten": "Lighten {label} by at least {size}; with its slack that makes {gained}.",
    "leave": "Leave {label} behind: {size} of data stay on the source.",
    "leave-set": "Leave {label} behind together: {size} of data stay on the source, the least that makes it fit.",
    "clear": "Clear what cannot be moved at the end of {label}: its floor falls by {size}.",
    "tail": "Hold {size} less in reserve at the end.",
    "repair": "Make {label} fit to be resized ({size} gained): repair, unlock or shut down cleanly.",
    "shelf": "Take a {size} disk.",
    "stay": "Keep {label} where it starts: hold what stands before it.",
    "table": "Make the table of the target {label}.",
    "identity": "Keep the identity of the source.",
}

# The table from which firmware of that mode starts.
TABLE_OF_MODE: dict[Firmware, TableChoice] = {"uefi": "gpt", "legacy": "mbr"}
MOST_OF_A_KIND = 6  # a longer list helps nobody choose


def remedies_for(source: Disk, target: Disk, options: Options, layout: Layout) -> tuple[Remedy, ...]:
    """Rule 8 for a layout that does not fit; for one that does, what lets the machine start (rule 14)."""
    maker = Maker(source, target, options, layout)
    if layout.verdict != "does-not-fit":
        return tuple(start_remedies(maker, layout, options))
    return (
        *maker.other_fits(),
        *maker.lightenings(),
        *maker.leavings(),
        *maker.clearings(),
        *maker.tail(),
        *maker.repairs(),
        *maker.shelf(),
    )


class Maker:
    def __init__(self, source: Disk, target: Disk, options: Options, layout: Layout) -> None:
        self.source = source
        self.target = target
        self.options = options
        self.layout = layout
        self.grain = options.grain_bytes
        self.shortfall = layout.shortfall_bytes // self.grain

    def verdict(self, options: Options) -> Verdict | None:
        """The verdict under changed options; None where they cannot be followed at all."""
        try:
            return lay_out(self.source, self.target, options).verdict
        except YlemorphError:
            return None

    def laid(self, options: Options) -> Layout | None:
        """The layout under changed options, where there is one that fits."""
        try:
            made = lay_out(self.source, self.target, options)
        except YlemorphError:
            return None
        return made if made.sizes is not None else None

    def fits(self, verdict: Verdict | None) -> bool:
        return verdict in ("tight", "comfortable")

    def other_fits(self) -> Iterator[Remedy]:
        if not FIT_KINDS[self.options.fit].keeps_sizes:
            return
        for fit in FITS:
            verdict = self.verdict(self.options.but(fit=fit))
            if verdict is not None and self.fits(verdict):
                yield Remedy("fit", None, self.layout.shortfall_bytes, verdict, label=FIT_NAMES[fit], fit=fit)
                return

    def lightenings(self) -> Iterator[Remedy]:
        given = dict(self.options.lighten)
        able = [(row, size) for row in self.layout.carried if (size := self._lightening(row)) is not None]
        able.sort(key=lambda pair: -pair[0].source_bytes)
        for row, size in able[:MOST_OF_A_KIND]:
            lighten = {**given, row.number: Bytes(given.get(row.number, 0) + size)}
            verdict = self.verdict(self.options.but(lighten=tuple(sorted(lighten.items()))))
            if verdict is not None and self.fits(verdict):
                missing = self.layout.shortfall_bytes
                yield Remedy("lighten", row.number, size, verdict, row.name_and_number, gained=missing)

    def _lightening(self, row: Row) -> int | None:
        """The least that must be taken out of ``row`` so that its hard floor falls by the shortfall."""
        floors = row.floors
        if not row.elastic or row.pin is not None or floors is None or not row.ability.smaller or row.is_made:
            return None
        wanted, most = floors.hard - self.shortfall, floors.carried_bytes
        given = dict(self.options.lighten).get(row.number, 0)

        def enough(lightened: int) -> bool:
            assert row.partition is not None
            made = floors_for(row.partition, row.role, row.ability, row.source_bytes, self.options, given + lightened)
            return made.hard <= wanted

        if not enough(most):
            return None
        less = 0  # too little; ``most`` is enough
        while most - less > 1:
            middle = (less + most) // 2
            less, most = (less, middle) if enough(middle) else (middle, most)
        return most

    def leavings(self) -> Iterator[Remedy]:
        alone: list[Remedy] = []
        for row in sorted(self.layout.carried, key=_lost):
            if not self._may_stay(row) or len(alone) == MOST_OF_A_KIND:
                continue
            verdict = self.verdict(self.options.but(leave=self.options.leave | {row.number}))
            if verdict is not None and self.fits(verdict):
                alone.append(Remedy("leave", row.number, _lost(row), verdict, row.name_and_number))
        yield from alone
        yield from self._leave_set(alone)

    def _may_stay(self, row: Row) -> bool:
        """Whether leaving ``row`` alone could help, and leaves anything to carry."""
        return row.partition is not None and self._freed(row) >= self.shortfall and len(self.layout.carried) > 1

    def _leave_set(self, alone: list[Remedy]) -> Iterator[Remedy]:
        rows = smallest_set([(self._freed(row), _lost(row)) for row in self.layout.carried], self.shortfall)
        if rows is None or not 1 < len(rows) < len(self.layout.carried):
            return
        chosen = [self.layout.carried[i] for i in rows]
        numbers = tuple(row.number for row in chosen)
        lost = sum(_lost(row) for row in chosen)
        verdict = self.verdict(self.options.but(leave=self.options.leave.union(numbers)))
        if verdict is not None and self.fits(verdict) and all(lost < remedy.bytes for remedy in alone):
            names = ", ".join(row.name_and_number for row in chosen)
            yield Remedy("leave-set", None, lost, verdict, names, numbers)

    def _freed(self, row: Row) -> int:
        if row.partition is None:
            return 0
        if row.pin is not None:
            return row.pin + row.logical
        if row.elastic and row.floors is not None and not FIT_KINDS[self.options.fit].keeps_sizes:
            return row.floors.hard + row.logical
        return row.base + row.logical

    def clearings(self) -> Iterator[Remedy]:
        for row in self.layout.carried:
            if row.elastic and row.floors is not None and row.floors.binding == "immovable":
                options = self.options.but(cleared=self.options.cleared | {row.number})
                yield from self._gaining("clear", row, options, self.source)

    def repairs(self) -> Iterator[Remedy]:
        for row in self.layout.carried:
            if row.partition is not None and state_of(row.partition) in BLOCKING and row.role in ("system", "data"):
                yield from self._gaining("repair", row, self.options, _with_clean(self.source, row.partition))

    def _gaining(self, kind: RemedyKind, row: Row, options: Options, source: Disk) -> Iterator[Remedy]:
        """A remedy that lowers a floor is offered with its gain, even where it is not enough alone."""
        try:
            after = lay_out(source, self.target, options)
        except YlemorphError:
            return
        gain = self.layout.must_bytes - after.must_bytes
        if gain > 0:
            yield Remedy(kind, row.number, gain, after.verdict, row.name_and_number)

    def tail(self) -> Iterator[Remedy]:
        held = self.layout.frame.tail
        if not held:
            return
        less = min(held, self.shortfall)
        options = self.options.but(tail=Tail(bytes=(held - less) * self.grain))
        verdict = self.verdict(options)
        if verdict is not None:
            yield Remedy("tail", None, less * self.grain, verdict)

    def shelf(self) -> Iterator[Remedy]:
        """The smallest nominal sizes that are tight at least, and comfortable."""
        wanted: tuple[Verdict, ...] = ("tight", "comfortable")
        for gigabytes, disk in shelf_disks(self.target.logical_sector_bytes):
            verdict = self.layout.prepared.on(disk).verdict
            if verdict not in wanted:
                continue
            yield Remedy("shelf", None, gigabytes * GB, verdict)
            if verdict == "comfortable":
                return
            wanted = ("comfortable",)


def start_remedies(maker: Maker, layout: Layout, options: Options) -> Iterator[Remedy]:
    """Each tried: what it is for must be gone, and everything must still fit."""
    start, carried = layout.starting, layout.carried
    for moved in start.moved_data:
        place = carried.index(moved.row)
        before = frozenset(row.number for row in carried[:place] if row.elastic)
        after = maker.laid(options.but(hold=options.hold | before, pins=_without(options.pins, before)))
        if before and after is not None and moved.row.number not in {m.row.number for m in after.starting.moved_data}:
            yield Remedy("stay", moved.row.number, 0, after.verdict, moved.row.name_and_number, tuple(sorted(before)))
    system = any(row.role == "system" for row in carried)
    if system and layout.prepared.identity == "new" and maker.source.table == layout.frame.table:
        yield Remedy("identity", None, 0, layout.verdict)
    wish = TABLE_OF_MODE.get(options.firmware)
    if system and wish is not None and wish != layout.frame.table:
        after = maker.laid(options.but(table=wish))
        if after is not None and maker.fits(after.verdict):
            yield Remedy("table", None, 0, after.verdict, wish.upper(), table=wish)


def _without(pins: tuple[tuple[int, Bytes], ...], rows: frozenset[int]) -> tuple[tuple[int, Bytes], ...]:
    return tuple((number, size) for number, size in pins if number not in rows)


def _lost(row: Row) -> int:
    """Bytes that stay behind with a row: what it holds, or its whole size where that is not known."""
    if row.floors is not None:
        return row.floors.carried_bytes
    fs = row.partition.filesystem if row.partition else None
    return fs.used_bytes if fs and fs.used_bytes is not None else row.source_bytes


def _with_clean(disk: Disk, partition: Partition) -> Disk:
    fs = partition.filesystem
    assert fs is not None  # only a file system has a state
    clean = replace(partition, filesystem=replace(fs, state="clean"))
    return replace(disk, partitions=tuple(clean if p is partition else p for p in disk.partitions))
