"""What the script does for each kind of step, and what it needs for it: room for work files, and utilities."""

from typing import NamedTuple, assert_never

from ...core.disk.model import Role
from ...core.fit.entries import planned_entries
from .script_start import start_lines
from .script_steps import ScriptStep, quoted
from .sfdisk import plan_to_script

END_OF_TABLE = "END-OF-TABLE"
MAKING: dict[Role, tuple[str, ...]] = {"start": ("mkfs.fat",), "reserved": ()}
FIT_TOOLS = {"ext": ("resize2fs", "e2fsck"), "ntfs": ("ntfsresize",)}


def is_left(told: ScriptStep) -> bool:
    """A step on a row that these utilities cannot resize; copied as a whole it still can be where it grows."""
    if told.step.row not in told.gaps:
        return False
    kind = told.step.kind
    match kind:
        case "grow":
            return True
        case "copy" | "shrink":
            return told.load.goal.length < told.load.hold.extent.length
        case "make" | "check" | "move" | "table" | "read" | "cut" | "mend-table" | "identity" | "start-code":
            return False
        case _:
            assert_never(kind)


def _read(told: ScriptStep) -> list[str]:
    _, length = told.new
    if told.step.disk == "target":
        return ['empty "$TARGET"', f'to_target "$SOURCE" 0 0 {length}', 'seen "$TARGET"']
    return [
        'dd if="$SOURCE" of="$WORK/source.img" bs=64K conv=noerror,sync,sparse status=none',
        'stretch "$WORK/source.img" "$SOURCE_BYTES"',
    ]


def _copy(told: ScriptStep) -> list[str]:
    if is_left(told):
        return []
    (start, old), (to, new), number = told.old, told.new, told.row
    file = f'"$WORK/row-{number}.img"'
    if told.step.disk == "image":
        return [f'bytes "$SOURCE" {start} {file} 0 {old} sparse', f"stretch {file} {old}"]
    if told.step.from_disk == "image":
        return [f"work_file {number} {start} {old}", f"to_target {file} 0 {to} {new}", f"rm -f {file}"]
    if new < old:
        return [
            f'bytes "$SOURCE" {start} {file} 0 {old} sparse',
            f"stretch {file} {old}",
            f"fit {told.family} {file} {new}",
            f"to_target {file} 0 {to} {new}",
            f"rm -f {file}",
        ]
    return [f'to_target "$SOURCE" {start} {to} {new}']


def _resize(told: ScriptStep) -> list[str]:
    if is_left(told):
        return []
    (start, old), (_, new), number = told.old, told.new, told.row
    if told.step.disk == "image":
        return [f"work_file {number} {start} {old}", f'fit {told.family} "$WORK/row-{number}.img" {new}']
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    return [f"fit_there {disk} {told.entry} {told.family} {start} {old} {new}"]


def _move(told: ScriptStep) -> list[str]:
    return [f"slide {told.old[0]} {told.new[0]} {told.old[1]}"]


def _table(told: ScriptStep) -> list[str]:
    """A backup that was written back has brought the code of the first sector; without wiping it stays."""
    plan, restored = told.carrying.ground.plan, told.way == "restore"
    wipe = "never" if restored else "always"
    lines = [] if restored else ['empty "$TARGET"']
    lines += [f"sfdisk --quiet --wipe {wipe} --wipe-partitions never \"$TARGET\" <<'{END_OF_TABLE}'"]
    lines += [*plan_to_script(plan).splitlines(), END_OF_TABLE]
    if plan.identity == "keep":
        # What the survey does not know is asked of the source itself.
        if not plan.source.table_id:
            lines.append('sfdisk --quiet --disk-id "$TARGET" "$(sfdisk --disk-id "$SOURCE")"')
        for entry in planned_entries(plan):
            if plan.frame.table == "gpt" and entry.row is not None and not entry.uuid and entry.row not in _made(told):
                asked = f'"$(sfdisk --part-uuid "$SOURCE" {entry.row})"'
                lines.append(f'sfdisk --quiet --part-uuid "$TARGET" {entry.number} {asked}')
    return lines


def _made(told: ScriptStep) -> set[int]:
    return {row.number for row, _ in told.carrying.ground.made}


def _make(told: ScriptStep) -> list[str]:
    row = told.carrying.ground.plan.row(told.row)
    start, length = told.new
    fs = row.row.fs
    if row.role == "reserved":
        return []
    if row.role == "start":
        command = f"mkfs.fat -F 32 -h {start // told.sector}"
    else:
        command = "mkswap"
        command += f" -U {quoted(fs.uuid)}" if fs and fs.uuid else ""
        command += f" -L {quoted(fs.label)}" if fs and fs.label else ""
    file = f'"$WORK/row-{told.entry}.img"'
    return [
        'if apart "$TARGET"; then',
        f'  part=$(there "$TARGET" {told.entry})',
        f'  {command} "$part" > /dev/null',
        "else",
        f"  stretch {file} {length}",
        f"  {command} {file} > /dev/null",
        f"  to_target {file} 0 {start} {length}",
        f"  rm -f {file}",
        "fi",
    ]


def _check(told: ScriptStep) -> list[str]:
    if told.step.row is None or told.family == "other":
        return []
    start, length = told.old
    if told.step.disk == "image":
        return [f"work_file {told.row} {start} {length}", f'ask {told.family} "$WORK/row-{told.row}.img"']
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    return [f"ask_there {disk} {told.entry} {told.family} {start}"]


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
            return ['sfdisk --quiet --relocate gpt-bak-std "$TARGET"', 'seen "$TARGET"']
        case "start-code":
            return start_lines(told)
        case "cut" | "identity":  # no way cuts; a table without a label-id gets a new one
            return []
        case _:
            assert_never(kind)


class _Room(NamedTuple):
    """Bytes of work files for one step: while it lasts, and where one of the disks is a file; ``kept`` under a key
    afterwards, or given up."""

    passing: int = 0
    for_file: int = 0
    kept: tuple[int, int] | None = None
    given_up: int | None = None


WHOLE = 0  # the key of a whole image; rows have their numbers


def room_needed(told: list[ScriptStep]) -> tuple[int, int]:
    """Bytes that work files take at most: between devices, and where one of the disks is a file."""
    standing: dict[int, int] = {}
    between = in_files = 0
    for one in told:
        room = _room(one, standing)
        if room.kept is not None:
            standing[room.kept[0]] = room.kept[1]
        kept = sum(standing.values()) + room.passing
        between, in_files = max(between, kept), max(in_files, kept + room.for_file)
        if room.given_up is not None:
            standing.pop(room.given_up, None)
    return between, max(between, in_files)


def _room(told: ScriptStep, standing: dict[int, int]) -> _Room:
    step = told.step
    if is_left(told) or step.to is None:
        return _Room()
    old, new = told.old[1] if step.source else 0, told.new[1]
    if step.disk == "image" and step.kind in ("read", "copy", "shrink", "check"):
        return _Room(kept=(WHOLE if step.row is None else step.row, max(old, new)))
    kind = step.kind
    match kind:
        case "make":
            return _Room(for_file=new)
        case "copy":
            return _copy_room(told, old, new, standing)
        case "shrink" | "grow":
            return _Room(for_file=max(old, new))
        case "read" | "check" | "move" | "table" | "cut" | "mend-table" | "identity" | "start-code":
            return _Room()
        case _:
            assert_never(kind)


def _copy_room(told: ScriptStep, old: int, new: int, standing: dict[int, int]) -> _Room:
    """To the target: what is packed on the way, or comes out of a whole image, passes through a file of its own."""
    if told.step.from_disk == "image":
        return _Room(0 if told.row in standing else old, given_up=told.row)
    return _Room(old if new < old else 0)


def tools_needed(told: list[ScriptStep]) -> list[str]:
    """The utilities that must be there."""
    return sorted({"sfdisk", "dd"}.union(*(_tools(one) for one in told if not is_left(one))))


def _tools(told: ScriptStep) -> tuple[str, ...]:
    step, kind = told.step, told.step.kind
    match kind:
        case "make":
            role = told.carrying.ground.plan.row(told.row).role
            return MAKING.get(role, ("mkswap",))
        case "check":
            return FIT_TOOLS.get(told.family, ()) if step.row is not None else ()
        case "copy" | "shrink" | "grow":
            resizes = step.source and step.to and step.source.length != step.to.length
            return FIT_TOOLS.get(told.family, ()) if resizes else ()
        case "start-code":
            return ("od", "awk")
        case "read" | "move" | "table" | "cut" | "mend-table" | "identity":
            return ()
        case _:
            assert_never(kind)
