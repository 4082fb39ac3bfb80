"""The checks that find what is worth saying about one disk and about a plan."""

from collections.abc import Collection, Iterator
from typing import Literal

from ..disk.compare import confirmation, confirms, is_few_short, same_disk
from ..disk.filesystems import BLOCKING, KIND_NAMES, MOST_BYTES, is_sealed, kind_of, state_of, told_least
from ..disk.model import Disk, FileSystemNote, HealthState, Role, TableNote
from ..disk.roles import BIOS_BOOT, EFI_SYSTEM, WINDOWS_KINDS
from ..disk.starting import EFI_TYPES, starting_of
from ..sizes import format_size
from .finding_kinds import Finding, FindingCode, Size, gravest_first
from .frame import planned_table
from .layout import Layout
from .options import Options
from .packing import bytes_past
from .rows import Row, rows_of


def find(source: Disk, target: Disk, layout: Layout, options: Options) -> tuple[Finding, ...]:
    """All findings about a pair of disks and its layout, the gravest first, then in the order of the rows."""
    found = [*_about_disks(source, target, layout, options), *_about_one_table(source)]
    found += _about_roles(source, layout.rows, layout.in_doubt)
    for row in layout.rows:
        found += _about_row(row) if row.carried else _about_left(row, layout)
    found += _about_starting(source, layout, options)
    if layout.sizes is not None:
        found += _about_sizes(source, layout)
        found += _about_free_space(layout)
    return gravest_first(found)


# What is shown where the target is chosen: findings that another target would change.
ABOUT_TARGET = frozenset(
    (
        "source-is-target",
        "sector-size-differs",
        "target-failing",
        "target-worn",
        "identity-equal",
        "few-sectors-short",
        "unreachable",
        "data-only",
    )
)


def about_source(source: Disk, options: Options) -> tuple[Finding, ...]:
    """What is worth saying of the source before a target is known."""
    rows, roles = rows_of(source, planned_table(source.table, options), options)
    found = [*_about_health(source, "source"), *_about_one_table(source), *_about_roles(source, rows, roles.in_doubt)]
    for row in rows:
        found += _about_row(row)
        found += _about_start(source, row, options.grain_bytes)
    return gravest_first(found)


def _about_disks(source: Disk, target: Disk, layout: Layout, options: Options) -> Iterator[Finding]:
    if source.logical_sector_bytes != target.logical_sector_bytes:
        yield Finding("sector-size-differs", None, (source.logical_sector_bytes, target.logical_sector_bytes))
    if options.in_place == "yes":
        yield from _about_health(source, "source")
        return
    same = same_disk(source, target)
    if same:
        yield Finding("source-is-target", None, (same,))
    elif source.table_id and source.table_id == target.table_id:
        yield Finding("identity-equal", None, (source.table_id,))
    yield from _about_health(source, "source")
    yield from _about_health(target, "target")
    if target.holds_something and not confirms(options.overwrite, target, source):
        figures = (target.model or "The target", contents_of(target), confirmation(target, source))
        yield Finding("target-holds-data", None, figures)
    if layout.frame.unreachable_bytes:
        yield Finding("unreachable", None, (Size(layout.frame.unreachable_bytes),))
    if is_few_short(source, target):
        short = Size(source.size_bytes - target.size_bytes)
        yield Finding("few-sectors-short", None, (short, format_size(source.size_bytes, "decimal")))


def contents_of(disk: Disk) -> str:
    """What is on a disk, in words: ``2 partitions of 447 GiB``; empty where overwriting it would lose nothing."""
    if not disk.holds_something:
        return ""
    total = sum(p.sectors for p in disk.rows) * disk.logical_sector_bytes
    if disk.rows:
        count = "1 partition" if len(disk.rows) == 1 else f"{len(disk.rows)} partitions"
        return f"{count} of {format_size(total)}"
    fs = disk.filesystem
    if fs is None:
        return "a table that cannot be read"
    return fs.detail or "something unknown" if fs.kind == "unknown" else f"a {KIND_NAMES[fs.kind]} file system"


# A finding for each thing that a reader can say of a table.
TABLE_CODES: dict[TableNote, FindingCode] = {
    "primary-damaged": "table-first-copy-damaged",
    "backup-missing": "table-backup-missing",
    "backup-misplaced": "table-backup-misplaced",
    "copies-differ": "table-copies-differ",
    "gpt-lost": "table-lost-whole",
    "no-protective-record": "table-without-guard",
    "hybrid": "table-hybrid",
    "chain-broken": "table-chain-broken",
    "partition-cut-off": "partition-cut-off",
    "array-member": "array-member",
    "partitions-overlap": "partitions-overlap",
}


# A finding for each thing that a reader can say of a file system.
NOTE_CODES: dict[FileSystemNote, FindingCode] = {
    "backup-boot-missing": "backup-boot-missing",
    "counts-differ": "counts-differ",
    "bigalloc": "resizer-refuses-clusters",
    "stable-inodes": "resizer-refuses-stable-inodes",
}


def _about_one_table(source: Disk) -> Iterator[Finding]:
    for note in source.table_notes:
        yield Finding(TABLE_CODES[note], None, (source.model or "the source",))
    if source.filesystem is not None and source.table == "none":
        yield Finding("no-table", None, (source.model or "The source", contents_of(source)))


Which = Literal["source", "target"]
HEALTH_CODES: dict[tuple[Which, HealthState], FindingCode] = {
    ("source", "failing"): "source-failing",
    ("source", "worn"): "source-worn",
    ("target", "failing"): "target-failing",
    ("target", "worn"): "target-worn",
}


def _about_health(disk: Disk, which: Which) -> Iterator[Finding]:
    health = disk.health
    code = HEALTH_CODES.get((which, health.state)) if health is not None else None
    if health is None or code is None:
        return
    words = [
        text
        for value, text in (
            (health.reallocated_sectors, "{} sectors replaced"),
            (health.pending_sectors, "{} waiting to be"),
            (health.worn_percent, "{} % of its rated writes used"),
        )
        if value
        for text in (text.format(value),)
    ]
    figures = (disk.model or f"The {which}", ", ".join(words) or "no figures given")
    yield Finding(code, None, figures)


def _about_roles(source: Disk, rows: Collection[Row], in_doubt: tuple[int, ...]) -> Iterator[Finding]:
    if not any(row.carried for row in rows):
        yield Finding("nothing-to-carry", None)
        return
    if in_doubt:
        yield Finding("system-unclear", None, (" and ".join(map(str, in_doubt)),))
    roles = {row.role for row in rows}
    starts = "start" in roles or any("active" in p.flags for p in source.rows)
    if "system" in roles and not starts:
        yield Finding("no-start-row", None)
    if "system" not in roles and not in_doubt and not starts and "data" in roles:
        yield Finding("data-only", None)


def _about_start(source: Disk, row: Row, grain: int) -> Iterator[Finding]:
    if row.partition is not None and row.partition.first_lba * source.logical_sector_bytes % grain:
        yield Finding("misaligned", row.number, (row, row.partition.first_lba))


def _about_starting(source: Disk, layout: Layout, options: Options) -> Iterator[Finding]:
    """Rules 7.3, 7.4 and 14: how the target starts, what names its rows, and which identity it gets."""
    system = next((row for row in layout.carried if row.role == "system"), None)
    if system is None:
        return
    yield from _about_mode(source, layout, options, system)
    yield from _about_identity(source, layout, options, system)
    if layout.sizes is None:
        return
    start = layout.starting
    for lost in start.lost:
        yield Finding("start-data", lost.row.number, (lost.row, lost.why))
    for moved in () if start.knows_data else start.moved_data:
        yield Finding("start-moved", moved.row.number, (moved.row, moved.was, moved.now))
    if start.cut:
        yield Finding("start-loader", None, (f"it reaches to sector {start.reach - 1}",))
    if not start.patched:
        for moved in start.moved_loaders:
            yield Finding("start-loader", moved.row.number, (f"row {moved.row.number} starts at sector {moved.now}",))
    efi = any(row.partition is not None and row.partition.type in EFI_TYPES for row in layout.carried)
    if efi and starting_of(source).fallback is False:
        yield Finding("start-fallback", None, (source.model or "The source",))


def _about_mode(source: Disk, layout: Layout, options: Options, system: Row) -> Iterator[Finding]:
    """Rule 14.4. A GPT starts in UEFI mode from an EFI start row, in legacy mode by a BIOS boot row; an MBR in legacy
    mode by its code, in UEFI mode from an EFI start row."""
    gpt, start = layout.frame.table == "gpt", starting_of(source)
    types = {row.partition.type if row.partition is not None else EFI_SYSTEM for row in layout.carried}
    uefi = not types.isdisjoint(EFI_TYPES)
    legacy = BIOS_BOOT in types if gpt else not (start.has_code is False or (uefi and start.has_code is None))
    if options.firmware == "legacy" and not legacy:
        mend = "Keep the MBR" if source.table == "mbr" and gpt else "Carry what it starts from"
        yield Finding("start-firmware", None, (system, "legacy", f"{mend}, or switch the firmware to UEFI mode."))
    if options.firmware == "uefi" and not uefi:
        mend = "Carry the EFI start row" if start.uefi else "Change the table to GPT, so that a start row is made"
        yield Finding("start-firmware", None, (system, "UEFI", f"{mend}, or switch the firmware to legacy mode."))
    if gpt and source.table == "mbr" and options.firmware == "unknown":
        yield Finding("firmware-asked", None)


def _about_identity(source: Disk, layout: Layout, options: Options, system: Row) -> Iterator[Finding]:
    if options.in_place == "yes":
        return
    if layout.prepared.identity == "keep":
        yield Finding("identity-kept", None, (source.model or "the source",))
        return
    guessed = source.table == layout.frame.table and not layout.starting.knows_data
    if guessed and system.fs is not None and system.fs.kind in WINDOWS_KINDS:
        yield Finding("identity-new", system.number, (system,))


# Roles without which a machine does not start as it did.
LEFT_CODES: dict[Role, FindingCode] = {
    "start": "start-left-behind",
    "system": "system-left-behind",
    "recovery": "recovery-left-behind",
}


def _about_left(row: Row, layout: Layout) -> Iterator[Finding]:
    if row.dropped:
        yield Finding("table-lost", row.number, (row, layout.frame.table.upper()))
    elif row.role in LEFT_CODES:
        yield Finding(LEFT_CODES[row.role], row.number, (row,))
    elif row.role in ("data", "tools", "unknown"):
        used = row.fs.used_bytes if row.fs is not None else None
        yield Finding("row-left-behind", row.number, (row, Size(row.source_bytes if used is None else used)))


def _about_row(row: Row) -> Iterator[Finding]:
    partition = row.partition
    if partition is None:
        return
    state, kind = state_of(partition), kind_of(partition)
    if state in BLOCKING:
        yield Finding("not-resizable-now", row.number, (row, state, Size(row.source_bytes), BLOCKING[state]))
    elif row.used_unknown and (row.ability.smaller or row.ability.larger):
        yield Finding("used-unknown", row.number, (row, Size(row.source_bytes)))
    elif row.fs is not None and is_sealed(row.fs):
        guarded = "protection paused" if row.fs.encryption == "paused" else "protection on"
        yield Finding("encrypted-open", row.number, (row, guarded))
    elif kind in ("bitlocker", "luks"):
        yield Finding("encrypted", row.number, (row, KIND_NAMES[kind]))
    elif not row.ability.larger and row.role in ("system", "data"):
        yield Finding("held-by-kind", row.number, (row, KIND_NAMES[kind], Size(row.source_bytes)))
    elif row.elastic and not row.ability.smaller:
        yield Finding("grow-only", row.number, (row, KIND_NAMES[kind]))
    for note in row.fs.notes if row.fs is not None else ():
        yield Finding(NOTE_CODES[note], row.number, (row, Size(row.source_bytes)))
    if row.role == "swap" and row.is_made:
        yield Finding("swap-made-new", row.number, (row,))


def _about_sizes(source: Disk, layout: Layout) -> Iterator[Finding]:
    grain = layout.frame.grain_bytes
    assert layout.sizes is not None
    for row, grains in zip(layout.carried, layout.sizes, strict=True):
        if row.partition is None:
            continue
        yield from _about_start(source, row, grain)
        if not row.elastic or row.floors is None or row.is_made:
            continue
        size, floors = grains * grain, row.floors
        yield from _about_limits(row, grains, size)
        if grains < floors.comfort:
            yield Finding("row-tight", row.number, (row, Size(size), Size(floors.comfort * grain)))
        if (size - floors.carried_bytes) * 10 < size:
            yield Finding("nearly-full", row.number, (row, Size(size - floors.carried_bytes), Size(size)))
        if grains != row.base and row.fs is not None and row.fs.kind == "lvm":
            names = ", ".join(inner.name for inner in row.fs.inside) or "no volumes yet"
            yield Finding("volumes-inside", row.number, (row, row.fs.label or "without a name", names))
        if grains < row.base:
            yield from _about_packing(row, size)
            yield from _about_told(row, size)


def _about_limits(row: Row, grains: int, size: int) -> Iterator[Finding]:
    """What a file system's own limits, or a row that only lay in the way, make of its size."""
    kind, floors = kind_of(row.partition) if row.partition else "unknown", row.floors
    if kind in MOST_BYTES and row.pin is None and grains != row.base:
        if grains >= row.ceiling:
            yield Finding("fat-limit", row.number, (row, Size(size), "most", KIND_NAMES[kind]))
        elif floors is not None and floors.binding == "minimum" and grains == floors.hard:
            yield Finding("fat-limit", row.number, (row, Size(size), "least", KIND_NAMES[kind]))
    if row.role in ("start", "recovery", "tools") and row.pin is None and grains > row.base:
        yield Finding("grows-for-nothing", row.number, (row, Size(size)))


def _about_packing(row: Row, size: int) -> Iterator[Finding]:
    past = bytes_past(row.partition, size, row.source_bytes)
    if past is None:
        yield Finding("past-new-end-unknown", row.number, (row,))
    elif past > 0:
        yield Finding("past-new-end", row.number, (row, Size(past)))


def _about_told(row: Row, size: int) -> Iterator[Finding]:
    """A running Windows' own word on how small it makes a row (rule 5.3b)."""
    told = told_least(row.fs)
    if row.fs is not None and told is not None and size < told:
        pinned = f" ({', '.join(row.fs.pinning)} stays where it is)" if row.fs.pinning else ""
        outside = "" if is_sealed(row.fs) else "; a way that makes it smaller from outside goes further"
        yield Finding("told-least", row.number, (row, Size(size), Size(told), pinned, outside))


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
