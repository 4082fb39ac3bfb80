"""The steps as a POSIX shell script for an ordinary Linux with its own utilities; it only prints without ``--go``.

What those utilities cannot do is said before anything begins, and left as a named gap.
"""

from collections.abc import Iterator
from importlib.resources import files

from ...core.carry.carrying import Carrying
from ...core.carry.step_kinds import words_of
from ...core.carry.ways import WAY_KINDS
from ...core.errors import BadOption
from ...core.fit.entries import planned_entries
from ...core.plain import plain_line
from .script_kinds import is_left, lines_of, room_needed, tools_needed
from .script_steps import ScriptStep, gaps_of, quoted


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
        lines += [f"step {number} {quoted(_say(one))}", *lines_of(one), ""]
    lines += ["finished=yes", "now=done", f"say {quoted(_ending(told, gaps))}"]
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
    yield f"TARGET_SERIAL={quoted(target.serial)}"
    rows = [f"{partition.first_lba}:{partition.sectors}" for partition in source.rows]
    first = source.rows[0].number if source.rows else 1
    yield f"SOURCE_ROWS={quoted(' '.join(rows))} SOURCE_COUNT={len(rows)} FIRST_ROW={first}"
    between, in_files = room_needed(told)
    yield f"ROOM_DEVICE={between} ROOM_FILE={in_files}"
    yield f"TOOLS={quoted(' '.join(tools_needed(told)))}"
    yield ""
    yield 'go=no; if [ "${1:-}" = --go ]; then go=yes; shift; fi'
    yield "show() {"
    for text in [title, *gaps, *(f"{n}. {_say(one)}" for n, one in enumerate(told, 1))]:
        yield f"  printf '%s\\n' {quoted(text)}"
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
        yield f"printf '%s\\n' {quoted(text)}"
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
