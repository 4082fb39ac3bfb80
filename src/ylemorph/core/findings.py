"""What is worth saying about a plan: one table of kinds, and the checks that find them.

A finding keeps its figures as values; its sentences are made only when somebody reads them.
"""

from collections.abc import Iterator
from typing import Literal, NamedTuple

from .disk import Disk
from .filesystems import BLOCKING, KIND_NAMES, kind_of, state_of
from .layout import Layout
from .moves import bytes_past
from .rows import Row
from .sizes import Units, format_size

Level = Literal["stop", "mind", "note"]
LEVELS: tuple[Level, ...] = ("stop", "mind", "note")


class Size(int):
    """A figure in bytes, written with a unit where a sentence is made."""


class FindingKind(NamedTuple):
    """Level, sentence and what to do; the braces take the finding's figures in their order."""

    level: Level
    text: str
    do: str


FINDINGS: dict[str, FindingKind] = {
    "sector-size-differs": FindingKind(
        "stop",
        "The source has sectors of {0} bytes, the target of {1}.",
        "Choose a target with the same logical sector size; file systems made for one do not work on the other.",
    ),
    "source-is-target": FindingKind(
        "stop",
        "Source and target are the same disk: both report {0} and the serial {1}.",
        "Choose another target.",
    ),
    "nothing-to-carry": FindingKind(
        "stop", "No partition of the source goes over.", "Survey the source again, or carry at least one row."
    ),
    "target-holds-data": FindingKind(
        "stop",
        "{0} holds {1} of {2}; all of it will be overwritten.",
        "Look at what is on it and confirm the serial {3} before anything starts.",
    ),
    "start-left-behind": FindingKind(
        "mind", "{0} is left behind: the clone will not start by itself.", "Carry it, or make a new start row later."
    ),
    "system-left-behind": FindingKind(
        "mind", "{0} is left behind: the target will hold no operating system.", "Carry it if the machine must start."
    ),
    "no-start-row": FindingKind(
        "mind",
        "The source has a system row but no start row.",
        "Check how the machine starts; the clone may need a start row made new.",
    ),
    "system-unclear": FindingKind(
        "mind",
        "The partitions {0} could each hold the operating system.",
        "Say which one is the system; until then all of them count as data.",
    ),
    "used-unknown": FindingKind(
        "mind",
        "The used space of {0} is not known, so it is held at {1}.",
        "Survey the source again, or type what it holds.",
    ),
    "not-resizable-now": FindingKind(
        "mind", "{0} is {1}, so it is held at {2}.", "To free it: {3}."
    ),
    "unreachable": FindingKind(
        "mind",
        "{0} of the target lie past what an MBR table can reach.",
        "Change the table to GPT if the machine starts in UEFI mode or the disk holds data only.",
    ),
    "free-space-cut-off": FindingKind(
        "mind",
        "{0} stands between {1} and the {2} left open: they cannot be joined later without moving it.",
        "Put the free space after {1}, or let {1} take the rest.",
    ),
    "row-tight": FindingKind(
        "mind",
        "{0} gets {1}, under the {2} that leave it room to work.",
        "Lighten it, leave something behind, or take a larger target.",
    ),
    "nearly-full": FindingKind(
        "mind", "{0} will have {1} free, under a tenth of its {2}.", "Give it more room or lighten it."
    ),
    "table-lost": FindingKind(
        "mind",
        "{0} goes from the old start row to a new one: the table changes to {1}.",
        "The machine's firmware must start in UEFI mode afterwards.",
    ),
    "few-sectors-short": FindingKind(
        "mind",
        "The target is {0} smaller than the source although both labels say {1}.",
        "A copy at the same sizes would cut off the end; use any fit but Same sizes.",
    ),
    "identity-equal": FindingKind(
        "mind",
        "Source and target carry the same disk identity {0}.",
        "The plan gives the target a new one; do not start with both attached before that.",
    ),
    "past-new-end": FindingKind(
        "mind",
        "{1} of {0} lie past its new end and are packed first.",
        "Allow time for it, or give the row more room.",
    ),
    "past-new-end-unknown": FindingKind(
        "note",
        "How much of {0} lies past its new end is not known.",
        "Read the source disk itself to learn it; making it smaller may take long.",
    ),
    "encrypted": FindingKind(
        "mind", "{0} is encrypted ({1}) and goes over sector by sector.", "Pause or remove the encryption to resize it."
    ),
    "recovery-left-behind": FindingKind(
        "note", "{0} is left behind: the machine cannot repair itself from it.", "Carry it if the customer wants it."
    ),
    "held-by-kind": FindingKind(
        "note", "{0} holds {1}, which cannot be resized; it keeps {2}.", "Copy its files if it must change."
    ),
    "grow-only": FindingKind(
        "note", "{0} is {1}, which can grow but not shrink.", "Copy its files to a new one if it must be smaller."
    ),
    "misaligned": FindingKind(
        "note",
        "{0} starts off the grain on the source, at sector {1}.",
        "Nothing: on the target it starts on the grain.",
    ),
    "swap-made-new": FindingKind(
        "note", "{0} is made new; its content does not go over.", "Check that the system finds the new one."
    ),
    "space-left-over": FindingKind(
        "note", "{0} stay unallocated.", "Use Proportional or Rest to one if the rows should take them."
    ),
    "data-only": FindingKind(
        "note",
        "The source holds data only.",
        "No clone is needed: copying the files to a freshly made partition is quicker and simpler.",
    ),
}  # fmt: skip


class Finding(NamedTuple):
    """A kind from the table above, the row it is about (None: the whole disk) and the figures of its sentences."""

    code: str
    row: int | None
    figures: tuple[object, ...] = ()

    @property
    def level(self) -> Level:
        return FINDINGS[self.code].level

    def text(self, units: Units = "binary") -> str:
        return self._filled(FINDINGS[self.code].text, units)

    def do(self, units: Units = "binary") -> str:
        return self._filled(FINDINGS[self.code].do, units)

    def _filled(self, template: str, units: Units) -> str:
        return template.format(*[_written(figure, units) for figure in self.figures])


def _written(figure: object, units: Units) -> object:
    if isinstance(figure, Row):
        return figure.said
    return format_size(figure, units) if isinstance(figure, Size) else figure


def find(source: Disk, target: Disk, layout: Layout) -> tuple[Finding, ...]:
    """All findings about a pair of disks and its layout, the gravest first, then in the order of the rows."""
    found = [*_about_disks(source, target, layout), *_about_table(source, layout)]
    for row in layout.rows:
        found += _about_row(row) if row.carried else _about_left(row, layout)
    if layout.sizes is not None:
        found += _about_sizes(source, layout)
        found += _about_free_space(layout)
    found.sort(key=lambda finding: _RANK[finding.code])
    return tuple(found)


_RANK = {code: LEVELS.index(kind.level) for code, kind in FINDINGS.items()}


def _about_disks(source: Disk, target: Disk, layout: Layout) -> Iterator[Finding]:
    if source.logical_sector_bytes != target.logical_sector_bytes:
        yield Finding("sector-size-differs", None, (source.logical_sector_bytes, target.logical_sector_bytes))
    if source.serial and source.serial == target.serial and source.model == target.model:
        yield Finding("source-is-target", None, (source.model or "no model", source.serial))
    elif source.table_id and source.table_id == target.table_id:
        yield Finding("identity-equal", None, (source.table_id,))
    if target.rows:
        total = sum(p.sectors for p in target.rows) * target.logical_sector_bytes
        name = target.model or "The target"
        count = "1 partition" if len(target.rows) == 1 else f"{len(target.rows)} partitions"
        yield Finding("target-holds-data", None, (name, count, Size(total), target.serial or "of the disk"))
    if layout.frame.unreachable_bytes:
        yield Finding("unreachable", None, (Size(layout.frame.unreachable_bytes),))
    short = source.size_bytes - target.size_bytes
    # Labels are rounded to whole GB, so two disks that differ by less than one of a thousand say the same.
    if 0 < short <= source.size_bytes // 1000:
        yield Finding("few-sectors-short", None, (Size(short), format_size(source.size_bytes, "decimal")))


def _about_table(source: Disk, layout: Layout) -> Iterator[Finding]:
    if not layout.carried:
        yield Finding("nothing-to-carry", None)
        return
    if layout.in_doubt:
        yield Finding("system-unclear", None, (" and ".join(map(str, layout.in_doubt)),))
    roles = {row.role for row in layout.rows}
    starts = "start" in roles or any("active" in p.flags for p in source.rows)
    if "system" in roles and not starts:
        yield Finding("no-start-row", None)
    if "system" not in roles and not layout.in_doubt and not starts and "data" in roles:
        yield Finding("data-only", None)


def _about_left(row: Row, layout: Layout) -> Iterator[Finding]:
    if row.dropped:
        yield Finding("table-lost", row.number, (row, layout.frame.table.upper()))
    elif row.role in ("start", "system", "recovery"):
        yield Finding(f"{row.role}-left-behind", row.number, (row,))


def _about_row(row: Row) -> Iterator[Finding]:
    partition = row.partition
    if partition is None:
        return
    state, kind = state_of(partition), kind_of(partition)
    if state in BLOCKING:
        yield Finding("not-resizable-now", row.number, (row, state, Size(row.source_bytes), BLOCKING[state]))
    elif row.used_unknown and (row.ability.smaller or row.ability.larger):
        yield Finding("used-unknown", row.number, (row, Size(row.source_bytes)))
    elif kind in ("bitlocker", "luks"):
        yield Finding("encrypted", row.number, (row, KIND_NAMES[kind]))
    elif not row.ability.larger and row.role in ("system", "data"):
        yield Finding("held-by-kind", row.number, (row, KIND_NAMES[kind], Size(row.source_bytes)))
    elif row.elastic and not row.ability.smaller:
        yield Finding("grow-only", row.number, (row, KIND_NAMES[kind]))
    if row.role == "swap":
        yield Finding("swap-made-new", row.number, (row,))


def _about_sizes(source: Disk, layout: Layout) -> Iterator[Finding]:
    grain = layout.frame.grain_bytes
    assert layout.sizes is not None
    for row, grains in zip(layout.carried, layout.sizes, strict=True):
        if row.partition is None:
            continue
        if row.partition.first_lba * source.logical_sector_bytes % grain:
            yield Finding("misaligned", row.number, (row, row.partition.first_lba))
        if not row.elastic or row.floors is None or row.is_made:
            continue
        size, floors = grains * grain, row.floors
        if grains < floors.comfort:
            yield Finding("row-tight", row.number, (row, Size(size), Size(floors.comfort * grain)))
        if (size - floors.carried_bytes) * 10 < size:
            yield Finding("nearly-full", row.number, (row, Size(size - floors.carried_bytes), Size(size)))
        if grains < row.base:
            yield from _about_packing(row, size)


def _about_packing(row: Row, size: int) -> Iterator[Finding]:
    past = bytes_past(row.partition, size, row.source_bytes)
    if past is None:
        yield Finding("past-new-end-unknown", row.number, (row,))
    elif past > 0:
        yield Finding("past-new-end", row.number, (row, Size(past)))


def _about_free_space(layout: Layout) -> Iterator[Finding]:
    """Rule 7.2: free space that a held row cuts off from the system row; and free space in general."""
    assert layout.placed is not None
    frame, rows = layout.frame, layout.carried
    free = sum(gap.length for gap in layout.placed.unallocated) - frame.tail
    if free <= 0 or not rows:
        return
    gap = max(layout.placed.unallocated, key=lambda extent: extent.length)
    system = [i for i, row in enumerate(rows) if row.role == "system"]
    before = [i for i, extent in enumerate(layout.placed.rows) if extent.stop <= gap.start]
    if system and before and before[-1] != system[-1]:
        between = rows[min(before[-1], system[-1]) + 1 : max(before[-1] + 1, system[-1])]
        held = next((row for row in between if not row.elastic), None)
        if held is not None:
            name = rows[system[-1]]
            yield Finding("free-space-cut-off", held.number, (held, name, Size(free * frame.grain_bytes)))
    yield Finding("space-left-over", None, (Size(free * frame.grain_bytes),))
