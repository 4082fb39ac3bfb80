"""The steps as a POSIX shell script for an ordinary Linux with its own utilities; it only prints without ``--go``.

What those utilities cannot do is said before anything begins, and left as a named gap.
"""

from collections.abc import Iterator
from importlib.resources import files
from typing import assert_never

from ...core.carry.carrying import Carrying
from ...core.carry.step_kinds import words_of
from ...core.carry.ways import WAY_KINDS
from ...core.errors import BadOption
from ...core.fit.entries import planned_entries
from ...core.plain import plain_line
from .script_needs import room_needed, tools_needed
from .script_steps import ScriptStep, gaps_of, is_left
from .sfdisk import plan_to_script

END_OF_TABLE = "END-OF-TABLE"


def script_of(carrying: Carrying) -> str:
    """The script. Raises BadOption where the plan has no steps."""
    way, sequence = carrying.way, carrying.sequence
    if way is None or sequence is None:
        raise BadOption("there is no way to carry this plan out", at="--format", mend="mend the plan first")
    gaps = list(gaps_of(carrying))
    without = frozenset(number for number, _ in gaps)
    numbers = {entry.row: entry.number for entry in planned_entries(carrying.ground.plan) if entry.row is not None}
    told = [ScriptStep(carrying, way.key, step, without, numbers) for step in sequence.steps]
    lines = [*_head(carrying, told, [text for _, text in gaps])]
    lines += files(__package__).joinpath("shell_functions.sh").read_text("utf-8").splitlines()
    lines += [
        "",
        "# --- go " + "-" * 111,
        "",
        "trap ended EXIT",
        "trap 'exit 130' INT",
        "trap 'exit 143' TERM",
        "look_first",
        "",
    ]
    for number, one in enumerate(told, 1):
        lines += [f"step {number} {_quoted(_say(one))}", *_lines(one), ""]
    lines += ["finished=yes", "now=done", f"say {_quoted(_ending(told, gaps))}"]
    return "\n".join(lines) + "\n"


def _head(carrying: Carrying, told: list[ScriptStep], gaps: list[str]) -> Iterator[str]:
    ground = carrying.ground
    source, target, way = ground.plan.source, ground.plan.target, told[0].way
    warns = (
        "It makes rows on the SOURCE smaller: have a backup." if way == "shrink-first" else "The source is only read."
    )
    title = f"{WAY_KINDS[way].name}: {source.model or 'source'} to {target.model or 'target'}. {warns}"
    yield "#!/bin/sh"
    yield f"# {plain_line(title)}"
    yield "# sh FILE [--go] SOURCE TARGET [WORKDIR]; without --go it prints what it would do and changes nothing."
    yield "set -eu"
    yield "export LC_ALL=C"
    yield f"STEPS={len(told)} SECTOR={ground.sector}"
    yield f"SOURCE_BYTES={source.size_bytes} TARGET_BYTES={target.size_bytes}"
    yield f"TARGET_SERIAL={_quoted(target.serial)}"
    rows = [f"{partition.first_lba}:{partition.sectors}" for partition in source.rows]
    first = source.rows[0].number if source.rows else 1
    yield f"SOURCE_ROWS={_quoted(' '.join(rows))} SOURCE_COUNT={len(rows)} FIRST_ROW={first}"
    between, in_files = room_needed(told)
    yield f"ROOM_DEVICE={between} ROOM_FILE={in_files}"
    yield f"TOOLS={_quoted(' '.join(tools_needed(told)))}"
    yield ""
    yield 'go=no; if [ "${1:-}" = --go ]; then go=yes; shift; fi'
    yield "show() {"
    for text in [title, *gaps, *(f"{n}. {_say(one)}" for n, one in enumerate(told, 1))]:
        yield f"  printf '%s\\n' {_quoted(text)}"
    yield "}"
    yield 'if [ "$go" = no ]; then'
    yield "  show"
    yield "  printf '%s\\n' 'Nothing was changed. To do it: sh FILE --go SOURCE TARGET [WORKDIR]'"
    yield "  exit 0"
    yield "fi"
    yield "if [ $# -lt 2 ] || [ $# -gt 3 ]; then"
    yield "  printf '%s\\n' 'Refused: give SOURCE, TARGET and where it is needed a folder for work files' >&2"
    yield "  exit 2"
    yield "fi"
    yield "SOURCE=$1 TARGET=$2 WORK=${3:-}"
    for text in [warns, *gaps]:
        yield f"printf '%s\\n' {_quoted(text)}"
    yield ""


def _say(told: ScriptStep) -> str:
    text = words_of(told.carrying.ground, told.way, told.step).say
    return f"{text} (left for you)" if is_left(told) else text


def _ending(told: list[ScriptStep], gaps: list[tuple[int, str]]) -> str:
    """What is left to do, said last."""
    left = ["Left for you: " + " ".join(text for _, text in gaps)] if gaps else []
    if any(load.row.kind == "ntfs" and not load.hold.fixed for load in told[0].carrying.ground.loads):
        left.append(
            "The utility asks for a check of each NTFS that was resized: let the system make it at its first start."
        )
    return " ".join(["Done. Check the result.", *left])


# --- each kind of step ------------------------------------------------------------------------------------------------


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
            f'bytes "$SOURCE" {start} {file} 0 {old} sparse', f"stretch {file} {old}",
            f"fit {told.family} {file} {new}", f"to_target {file} 0 {to} {new}", f"rm -f {file}",
        ]  # fmt: skip
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
    script = plan_to_script(told.carrying.ground.plan)
    blank = [] if told.way == "restore" else ['empty "$TARGET"']
    return [
        *blank, f'sfdisk --quiet --wipe always --wipe-partitions never "$TARGET" <<\'{END_OF_TABLE}\'',
        *script.splitlines(), END_OF_TABLE,
    ]  # fmt: skip


def _make(told: ScriptStep) -> list[str]:
    row = told.carrying.ground.plan.row(told.row)
    start, length = told.new
    fs = row.row.fs
    if row.role == "reserved":
        return []
    if row.role == "start":
        command = "mkfs.fat -F 32"
    else:
        command = "mkswap"
        command += f" -U {_quoted(fs.uuid)}" if fs and fs.uuid else ""
        command += f" -L {_quoted(fs.label)}" if fs and fs.label else ""
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


def _lines(told: ScriptStep) -> list[str]:  # noqa: PLR0911  # one for each kind
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
        case "cut" | "identity":  # no way cuts; a table without a label-id gets a new one
            return []
        case _:
            assert_never(kind)


def _quoted(text: str) -> str:
    """For the shell, as one word, whatever it holds."""
    return "'" + plain_line(text).replace("'", "'\\''") + "'"
