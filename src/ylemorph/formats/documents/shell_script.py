"""The steps as a POSIX shell script for an ordinary Linux with its own utilities; it only prints without ``--go``.

The functions that it is made of stand in the folder ``shell``, one file for each concern; here are the figures of one
plan and the calls of its steps. What those utilities cannot do is said before anything begins, and left as a named gap.
Before anything is written both disks are looked at (rule 16.2 to 16.4); a journal in the folder for work files, or
beside the script, says how far it is, so that ``--resume`` goes on at the step that was cut off (16.7).
"""

from collections.abc import Iterator
from importlib.resources import files

from ...core.carry.carrying import Carrying
from ...core.carry.finish import keeps_all
from ...core.carry.sequence import Sequence, WayKey
from ...core.carry.step_kinds import words_of
from ...core.carry.ways import name_of
from ...core.disk.compare import confirms
from ...core.errors import BadOption
from ...core.fit.entries import planned_entries
from ...core.plain import plain_line
from ...core.script.by_script import again_from, by_script, family_of, gaps_of
from ...core.script.price import whole_room, work_room
from .script_kinds import lines_of, tools_needed
from .script_steps import ScriptStep, quoted

PARTS = ("said", "disks", "runs", "carry", "resize", "start", "look")
USAGE = "sh FILE [--go] [--resume] [--no-verify] [--overwrite TEXT] [--log FILE] [--tell URL] SOURCE TARGET [WORKDIR]"
WARNS: dict[WayKey, str] = {
    "shrink-first": "It makes rows on the SOURCE smaller: have a backup.",
    "finish": "It moves and resizes what stands on the TARGET: have the source, or a backup.",
}
ENDINGS = (
    "0 done, 1 a step failed, 2 refused before anything was written, 3 done but for named gaps, 130 and 143 stopped"
)


def script_of(carrying: Carrying) -> str:
    """The script. Raises BadOption where the plan has no steps."""
    way, sequence = carrying.way, carrying.sequence
    if way is None or sequence is None:
        raise BadOption("there is no way to carry this plan out", at="--format", mend="mend the plan first")
    gaps = [text for _, text in gaps_of(carrying.ground, way.key)]
    told = _told(carrying, sequence)
    lines = [*_head(carrying, sequence, told, gaps), "", functions()]
    lines += ["# --- go " + "-" * 111, "", "trap ended EXIT", "trap 'exit 130' INT", "trap 'exit 143' TERM"]
    lines += ["look_first", "set_out", ""]
    for number, one in enumerate(told, 1):
        lines.append(f"if step {number} {again_from(sequence.steps, number - 1)} {quoted(_say(one))}; then")
        lines += [*lines_of(one), "step_done", "fi", ""]
    lines += [f"finish {3 if gaps else 0} {quoted(_ending(told, gaps))}"]
    return "\n".join(lines) + "\n"


def functions() -> str:
    """What the steps are made of, as text."""
    folder = files(__package__).joinpath("shell")
    return "\n".join(folder.joinpath(f"{part}.sh").read_text("utf-8") for part in PARTS)


def _told(carrying: Carrying, sequence: Sequence) -> list[ScriptStep]:
    numbers = {entry.row: entry.number for entry in planned_entries(carrying.ground.plan) if entry.row is not None}
    steps = by_script(carrying.ground, sequence.way, sequence.steps)
    grown = {one.step.row for one in steps if one.step.kind == "grow" and not one.is_left}
    return [ScriptStep(one, numbers, one.step.row not in grown) for one in steps]


def _head(carrying: Carrying, sequence: Sequence, told: list[ScriptStep], gaps: list[str]) -> Iterator[str]:
    source, target, way = carrying.ground.plan.source, carrying.ground.plan.target, sequence.way
    warns = WARNS.get(way, "The source is only read.")
    if carrying.ground.in_place:
        warns = "It moves and resizes rows on the disk itself: have a backup. Give - as SOURCE."
    elif way == "finish" and not _needs_source(sequence):
        warns = f"{warns} The source is not needed: give - in its place."
    disks = f"{source.model or 'source'} to {target.model or 'target'}"
    if carrying.ground.in_place:
        disks = source.model or "the disk"
    title = f"{name_of(carrying.ground, way)}: {disks}. {warns}"
    yield "#!/bin/sh"
    yield f"# {plain_line(title)}"
    yield f"# {USAGE}"
    yield "# Without --go it prints what it would do and changes nothing."
    yield f"# Exit status: {ENDINGS}"
    yield "set -eu"
    yield "export LC_ALL=C"
    yield f"FILE=$0 PLAN={sequence.fingerprint} TITLE={quoted(title)}"
    yield from _figures(carrying, sequence, told)
    yield ""
    yield from _arguments()
    yield "show() {"
    for text in [title, *gaps, *_how_much(carrying, told), *(f"{n}. {_say(one)}" for n, one in enumerate(told, 1))]:
        yield f"  printf '%s\\n' {quoted(text)}"
    yield "}"
    yield 'if [ "$go" = no ]; then'
    yield "  show"
    yield f"  printf '%s\\n' {quoted(f'Nothing was changed. To do it: {USAGE}'.replace('[--go]', '--go'))}"
    yield "  exit 0"
    yield "fi"
    yield "if [ $# -lt 2 ] || [ $# -gt 3 ]; then"
    yield "  wrong 'give SOURCE, TARGET and where it is needed a folder for work files'"
    yield "fi"
    yield "SOURCE=$1 TARGET=$2 WORK=${3:-} KEEP='' LOG=''"
    yield "case $SOURCE in"
    yield "  -) [ $SOURCE_NEEDED = no ] || wrong 'the source is needed' ;;"
    yield "  -*) SOURCE=./$SOURCE ;;"
    yield "esac"
    yield "case $TARGET in -*) TARGET=./$TARGET ;; esac"
    for text in [warns, *gaps, *_how_much(carrying, told)]:
        yield f"printf '%s\\n' {quoted(text)}"


def _figures(carrying: Carrying, sequence: Sequence, told: list[ScriptStep]) -> Iterator[str]:
    """What the script knows of the plan and of both disks."""
    ground = carrying.ground
    plan, source, target = ground.plan, ground.plan.source, ground.plan.target
    steps = [one.by for one in told]
    tables = [number for number, one in enumerate(told, 1) if one.step.kind == "table"]
    rows = " ".join(f"{partition.first_lba}:{partition.sectors}" for partition in source.rows)
    finishes = sequence.way == "finish" and ground.found is not None
    there = ground.found.disk if finishes and ground.found is not None else target
    # What is no row of this plan is lost here too, and is confirmed like on any other target (rule 16.2).
    mine = finishes and keeps_all(ground)
    confirmed = mine or confirms(plan.options.overwrite, there, source)
    held = "".join(f"{partition.first_lba}:{partition.sectors} " for partition in there.rows)
    stops = [one.text() for one in plan.findings if one.level == "stop" and one.code != "target-holds-data"]
    label = "dos" if plan.frame.table == "mbr" else "gpt"
    table = tables[0] if tables else len(told) + 1
    yield f"STEPS={len(told)} SECTOR={ground.sector} LABEL={label} TABLE_STEP={table}"
    yield f"FINISHES={'yes' if finishes else 'no'} SOURCE_NEEDED={'yes' if _needs_source(sequence) else 'no'}"
    yield f"SOURCE_BYTES={source.size_bytes} TARGET_BYTES={target.size_bytes}"
    yield f"SOURCE_SERIAL={quoted(source.serial)} TARGET_SERIAL={quoted(target.serial)}"
    changes = "yes" if sequence.way == "shrink-first" else "no"
    brings = "yes" if sequence.way == "restore" else "no"
    yield f"SOURCE_ID={quoted(source.table_id.lower())} SOURCE_CHANGES={changes} BRINGS_ID={brings}"
    yield f"SOURCE_ROWS={quoted(rows)} SOURCE_COUNT={len(source.rows)}"
    keeps = plan.identity == "keep"
    yield f"KEEPS_ID={'yes' if keeps else 'no'} PLANNED_ID={quoted(source.table_id.lower() if keeps else '')}"
    yield f"CONFIRMED={'yes' if confirmed else 'no'} HELD_ID={quoted(there.table_id.lower())} HELD_ROWS='{held}'"
    yield f"ROOM={work_room(steps)} ROOM_WHOLE={whole_room(steps)}"
    yield f"TOOLS={quoted(' '.join(tools_needed(told)))}"
    yield f"STOPS={quoted(' '.join(stops))}"
    yield _lines("ROWS", _known_rows(carrying))
    yield _lines("KEPT", _kept_rows(carrying))


def _lines(name: str, lines: Iterator[str]) -> str:
    return f"{name}='" + "\n".join(quoted(line)[1:-1] for line in lines) + "'"


def _kept_rows(carrying: Carrying) -> Iterator[str]:
    """The same of each row of the target that is worked on where it stands."""
    ground, sequence = carrying.ground, carrying.sequence
    if sequence is None or sequence.way != "finish" or ground.found is None:
        return
    worked = {step.row for step in sequence.steps if step.kind in ("shrink", "grow", "move")}
    for row in ground.found.whole:
        load = next(load for load in ground.loads if load.number == row.row)
        if row.row in worked:
            extent = row.partition.extent
            place = f"{extent.start * ground.sector} {extent.length * ground.sector}"
            yield f"{place} {family_of(load)} - {load.name}"


def _known_rows(carrying: Carrying) -> Iterator[str]:
    """Of each row that goes over: where it stands in bytes, what looks at it, its own identity, and its name."""
    ground, sequence = carrying.ground, carrying.sequence
    if ground.whole_image:  # nothing is read of it before it is read whole (rule 13.1)
        return
    loads = ground.loads
    if sequence is not None and sequence.way == "finish":
        again = {step.row for step in sequence.steps if step.kind == "copy"}
        loads = tuple(load for load in loads if load.number in again)
    for load in sorted(loads, key=lambda load: load.hold.extent.start):
        fs = load.row.row.fs
        signs = "".join(c for c in (fs.uuid if fs else "") if c.isalnum()).upper() or "-"
        extent = load.hold.extent
        place = f"{extent.start * ground.sector} {extent.length * ground.sector}"
        yield f"{place} {family_of(load)} {signs} {load.row.row.name_and_number}"


def _needs_source(sequence: Sequence) -> bool:
    return sequence.way != "finish" or any(step.from_disk == "source" for step in sequence.steps)


def _arguments() -> Iterator[str]:
    yield "go=no resume=no VERIFY=yes overwrite='' log='' tell=''"
    yield "wrong() { printf 'Refused: %s\\n' \"$*\" >&2; exit 2; }"
    yield "while [ $# -gt 0 ]; do"
    yield "  case $1 in"
    yield "    --go) go=yes ;;"
    yield "    --resume) resume=yes ;;"
    yield "    --no-verify) VERIFY=no ;;"
    yield "    --overwrite | --log | --tell)"
    yield '      [ $# -gt 1 ] || wrong "$1 wants a word behind it"'
    yield "      case $1 in --overwrite) overwrite=$2 ;; --log) log=$2 ;; --tell) tell=$2 ;; esac"
    yield "      shift ;;"
    yield "    --) shift; break ;;"
    yield "    -) break ;;"
    yield '    -*) [ ! -e "./$1" ] || break; wrong "$1 is no option of this script" ;;'
    yield "    *) break ;;"
    yield "  esac"
    yield "  shift"
    yield "done"


def _how_much(carrying: Carrying, told: list[ScriptStep]) -> Iterator[str]:
    """Rows of which nobody can tell what is used, and what a way's name would let one expect, said before."""
    ground = carrying.ground
    left = {one.step.row for one in told if one.is_left and one.step.kind == "copy"}
    carried = {one.step.row for one in told if one.step.kind in ("copy", "move", "read")}
    others = [
        load
        for load in ground.loads
        if family_of(load) == "other" and load.number not in left and (None in carried or load.number in carried)
    ]
    names = [load.row.row.name_and_number for load in others]
    if carrying.way is not None and carrying.way.key == "files":
        yield "File systems go over as they are, by what is in use of them, not file by file."
    if ground.whole_image:
        yield "The source is read whole, past read errors."
    elif names:
        yield f"Read and written whole, used or not: {', '.join(names)}."


def _say(told: ScriptStep) -> str:
    # Not file by file, whatever the way: file systems go over as they are.
    way = "straight" if told.way == "files" and told.step.kind == "copy" else told.way
    text = words_of(told.by.ground, way, told.step).say
    return f"{text} (left for you)" if told.is_left else text


def _ending(told: list[ScriptStep], gaps: list[str]) -> str:
    """What is left to do, said last."""
    left = ["Left for you: " + " ".join(gaps)] if gaps else []
    if any(load.row.kind == "ntfs" and not load.hold.fixed for load in told[0].by.ground.loads):
        left.append(
            "The utility asks for a check of each NTFS that was resized: let the system make it at its first start."
        )
    return " ".join(["Done. Check the result.", *left])
