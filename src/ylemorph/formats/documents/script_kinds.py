"""What the script does for each kind of step, and the utilities that it needs for it."""

from typing import assert_never

from ...core.carry.ground import Ground
from ...core.disk.model import Role
from ...core.fit.entries import planned_entries
from ...core.script.by_script import family_of
from ...core.sizes import MiB
from .script_start import start_lines
from .script_steps import ScriptStep, quoted, runs_word
from .sfdisk import plan_to_script

END_OF_TABLE = "END-OF-TABLE"
MAKING: dict[Role, tuple[str, ...]] = {"start": ("mkfs.fat",), "reserved": ()}
FIT_TOOLS = {"ext": ("resize2fs", "e2fsck"), "ntfs": ("ntfsresize",), "other": ()}
# What says on the day what is in use and whether it was closed (rule 16.4).
LOOK_TOOLS = {"ext": ("dumpe2fs",), "ntfs": ("ntfscat", "ntfsinfo", "ntfs-3g.probe"), "other": ()}
USUAL_TOOLS = ("sfdisk", "dd", "od", "awk", "blkid", "cksum", "flock", "losetup", "sort")


def _read(told: ScriptStep) -> list[str]:
    if told.step.disk == "image":
        return ['rescue "$SOURCE_BYTES"']
    ground = told.by.ground
    rows = [f'runs_at {word} "$SOURCE" {start} {length}' for word, start, length in _sources(ground)]
    return [
        'rm -f "$KEEP"/ylemorph-move* "$KEEP"/ylemorph-staged*',
        'empty "$TARGET"',
        *_blank([(0, MiB), (ground.plan.target.size_bytes - MiB, MiB)]),
        "{",
        *[f"  echo {start} {length}" for start, length in _before_rows(ground)],
        *[f"  {row}" for row in rows],
        '} > "$KEEP/ylemorph-all"',
        'mv "$KEEP/ylemorph-all" "$KEEP/ylemorph-runs"',
        'carry "$SOURCE" "$TARGET" 0',
    ]


def _sources(ground: Ground) -> list[tuple[str, int, int]]:
    """Rows of the source in their order there: by whose word they are read, start and length in bytes."""
    loads = sorted(ground.loads, key=lambda load: load.hold.extent.start)
    return [
        (runs_word(family_of(load)), load.hold.extent.start * ground.sector, load.hold.extent.length * ground.sector)
        for load in loads
    ]


def _before_rows(ground: Ground) -> list[tuple[int, int]]:
    """The table and the code behind it, and the record before each logical."""
    starts = sorted(partition.first_lba for partition in ground.plan.source.rows)
    stretches = [(0, min(starts[0] * ground.sector, MiB))] if starts else []
    end = 0
    for partition in sorted(ground.plan.source.rows, key=lambda partition: partition.first_lba):
        if partition.logical:
            gap = min(partition.first_lba - end, MiB // ground.sector)
            stretches.append(((partition.first_lba - gap) * ground.sector, gap * ground.sector))
        end = partition.first_lba + partition.sectors
    return stretches


def _blank(stretches: list[tuple[int, int]]) -> list[str]:
    return [f'blank "$TARGET" {start} {length}' for start, length in stretches if length > 0]


def _file(told: ScriptStep) -> str:
    return f'"$WORK/row-{told.row}.img"'


def _copy(told: ScriptStep) -> list[str]:
    if told.is_left:
        return []
    (start, old), (to, new), number = told.old, told.new, told.row
    if told.step.disk == "image":
        return [f'into_file {number} {told.runs} "$SOURCE" {start} {old}']
    if told.step.from_disk == "image":
        lines = []
        if told.by.ground.whole_image and told.load.hold.fixed:
            lines.append(f'into_file {number} {told.runs} "$WORK/source.img" {start} {old}')
        lines.append(f"out_of_file {number} {told.runs} {new} {to}")
        return [*lines, f"rm -f {_file(told)}"] if told.last else lines
    if new < old:
        there = "there" if told.by.fits_there else "apart"
        return [f"pack {there} {number} {told.family} {start} {old} {to} {new}"]
    return [f"copy_row {told.runs} {start} {old} {to}"]


def _resize(told: ScriptStep) -> list[str]:
    if told.is_left:
        return []
    (start, old), (_, new) = told.old, told.new
    if told.step.disk == "image":
        return [f"fit {told.family} {_file(told)} {new}"]
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    lines = [f"fit_there {disk} {told.entry} {told.family} {start} {old} {new}"]
    return [*lines, f"rm -f {_file(told)}"] if told.step.kind == "grow" and told.way == "through-image" else lines


def _move(told: ScriptStep) -> list[str]:
    return [f"slide {told.runs} {told.old[0]} {told.new[0]} {told.old[1]}"]


def _table(told: ScriptStep) -> list[str]:
    """What stands there already, be it a backup that was written back, is not touched: without wiping it stays."""
    plan, restored = told.by.ground.plan, told.way in ("restore", "finish")
    lines = [] if restored else ['empty "$TARGET"']
    lines += _blank(_ends(told, restored=restored))
    body = [line for line in plan_to_script(plan).splitlines() if not line.startswith("label")]
    lines += [f"write_table {'never' if restored else 'always'} <<'{END_OF_TABLE}'", *body, END_OF_TABLE]
    if plan.identity == "keep":
        # What the survey does not know is asked of the source itself.
        for entry in planned_entries(plan):
            if plan.frame.table == "gpt" and entry.row is not None and not entry.uuid and entry.row not in _made(told):
                asked = f'"$(sfdisk --part-uuid "$SOURCE" {entry.row})"'
                given = '[ "$SOURCE" = - ] || ' if told.way == "finish" else ""
                lines.append(f'{given}sfdisk --quiet --part-uuid "$TARGET" {entry.number} {asked}')
        lines.append('flush "$TARGET"')
    return lines


def _ends(told: ScriptStep, *, restored: bool) -> list[tuple[int, int]]:
    """Where old marks would stand: at both ends of the disk and of each new row, but never where content stands."""
    ground = told.by.ground
    size = ground.plan.target.size_bytes
    places = [(0, size)] if not restored else []
    held = {}
    if restored:
        held = {load.number: load.placed.stop * ground.sector for load in told.by.standing}
    stretches = []
    for goal in ground.goals:
        if goal.extent is None:
            continue
        start, stop = goal.extent.start * ground.sector, goal.extent.stop * ground.sector
        if goal.row in held:
            begin = max(held[goal.row], stop - MiB)
            stretches.append((begin, stop - begin))
        else:
            places.append((start, stop - start))
    for start, length in places:
        if length <= 2 * MiB:
            stretches.append((start, length))
        else:
            stretches += [(start, MiB), (start + length - MiB, MiB)]
    return stretches


def _made(told: ScriptStep) -> set[int]:
    return {row.number for row, _ in told.by.ground.made}


def _make(told: ScriptStep) -> list[str]:
    row = told.by.ground.plan.row(told.row)
    start, length = told.new
    lines = _blank([(start, min(length, MiB)), (max(start, start + length - MiB), min(length, MiB))])
    fs = row.row.fs
    if row.role == "reserved":
        return lines
    if row.role == "start":
        command = f"mkfs.fat -F 32 -h {start // told.sector}"
    else:
        command = "mkswap"
        command += f" -U {quoted(fs.uuid)}" if fs and fs.uuid else ""
        command += f" -L {quoted(fs.label)}" if fs and fs.label else ""
    return [*lines, f"make_there {told.entry} {start} {length} {command}"]


def _check(told: ScriptStep) -> list[str]:
    if told.step.row is None or told.family == "other":
        return []  # nobody here looks into it
    start, length = told.old
    if told.step.disk == "image":
        lines = []
        if told.by.ground.whole_image:
            lines.append(f'into_file {told.row} {told.runs} "$WORK/source.img" {start} {length}')
        return [*lines, f"ask {told.family} {_file(told)}"]
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    return [f"ask_there {disk} {told.entry} {told.family} {start} {length}"]


def lines_of(told: ScriptStep) -> list[str]:  # noqa: PLR0911  # one for each kind
    """What the script does for a step."""
    kind = told.step.kind
    match kind:
        case "read":
            return _read(told)
        case "copy":
            return _copy(told)
        case "shrink" | "grow":
            return _resize(told)
        case "move":
            return _move(told)
        case "table":
            return _table(told)
        case "make":
            return _make(told)
        case "check":
            return _check(told)
        case "mend-table":
            return ['sfdisk --quiet --relocate gpt-bak-std "$TARGET"', 'flush "$TARGET"']
        case "start-code":
            return start_lines(told)
        case "cut" | "identity":  # no way cuts; the table was written with its identity
            return []
        case _:
            assert_never(kind)


def tools_needed(told: list[ScriptStep]) -> list[str]:
    """The utilities that must be there."""
    looks = (LOOK_TOOLS[one.family] for one in told if one.step.row is not None and one.step.kind == "copy")
    return sorted({*USUAL_TOOLS}.union(*(_tools(one) for one in told if not one.is_left), *looks))


def _tools(told: ScriptStep) -> tuple[str, ...]:
    step, kind = told.step, told.step.kind
    match kind:
        case "make":
            role = told.by.ground.plan.row(told.row).role
            return MAKING.get(role, ("mkswap",))
        case "check":
            return FIT_TOOLS[told.family] if step.row is not None else ()
        case "copy" | "shrink" | "grow":
            return FIT_TOOLS[told.family] if told.by.resizes else ()
        case "start-code" | "read" | "move" | "table" | "cut" | "mend-table" | "identity":
            return ()
        case _:
            assert_never(kind)
