"""The steps as a POSIX shell script for an ordinary Linux with its own utilities; it only prints without ``--go``.

What those utilities cannot do is said before anything begins, and left as a named gap.
"""

from collections.abc import Callable, Iterator
from importlib.resources import files
from typing import NamedTuple

from ...core.carry.carrying import Carrying
from ...core.carry.ground import Load
from ...core.carry.sequence import Step, StepKind, WayKey
from ...core.carry.ways import WAY_KINDS
from ...core.carry.words import words_of
from ...core.disk.filesystems import EXT_KINDS, KIND_NAMES
from ...core.errors import BadOption
from ...core.fit.entries import planned_entries
from ...core.plain import plain_line
from ...core.sizes import format_size
from .sfdisk import plan_to_script

END_OF_TABLE = "END-OF-TABLE"
FIT_TOOLS = {"ext": ("resize2fs", "e2fsck"), "ntfs": ("ntfsresize",)}


class _Told(NamedTuple):
    """One step on its way into the script. ``numbers``: of the entries in the target's table, by row."""

    carrying: Carrying
    way: WayKey
    step: Step
    gaps: frozenset[int]
    numbers: dict[int, int]

    @property
    def sector(self) -> int:
        return self.carrying.ground.sector

    @property
    def row(self) -> int:
        assert self.step.row is not None
        return self.step.row

    @property
    def load(self) -> Load:
        return next(load for load in self.carrying.ground.loads if load.number == self.row)

    @property
    def family(self) -> str:
        return _family(self.load) or "other"

    @property
    def old(self) -> tuple[int, int]:
        """Where it stands and how long it is, in bytes."""
        assert self.step.source is not None
        return self.step.source.start * self.sector, self.step.source.length * self.sector

    @property
    def new(self) -> tuple[int, int]:
        assert self.step.to is not None
        return self.step.to.start * self.sector, self.step.to.length * self.sector

    @property
    def entry(self) -> int:
        """The row's number in the table of the disk that the step is about."""
        return self.numbers.get(self.row, self.row) if self.step.disk == "target" else self.row


def _family(load: Load) -> str | None:
    """Which utility resizes it: ``ext``, ``ntfs``, or None."""
    kind = load.row.kind
    return "ext" if kind in EXT_KINDS else "ntfs" if kind == "ntfs" else None


def script_of(carrying: Carrying) -> str:
    """The script. Raises BadOption where the plan has no steps."""
    way, sequence = carrying.way, carrying.sequence
    if way is None or sequence is None:
        raise BadOption("there is no way to carry this plan out", at="--format", mend="mend the plan first")
    gaps = list(_gaps(carrying))
    without = frozenset(number for number, _ in gaps)
    numbers = {entry.row: entry.number for entry in planned_entries(carrying.ground.plan) if entry.row is not None}
    told = [_Told(carrying, way.key, step, without, numbers) for step in sequence.steps]
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
        lines += [f"step {number} {_quoted(_say(one))}", *_DONE[one.step.kind](one), ""]
    lines += ["finished=yes", "now=done", f"say {_quoted(_ending(told, gaps))}"]
    return "\n".join(lines) + "\n"


def _head(carrying: Carrying, told: list[_Told], gaps: list[str]) -> Iterator[str]:
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
    yield f"TOOLS={_quoted(' '.join(_tools(told)))}"
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


def _say(told: _Told) -> str:
    text = words_of(told.carrying.ground, told.way, told.step).say
    return f"{text} (left for you)" if _is_left(told) else text


def _ending(told: list[_Told], gaps: list[tuple[int, str]]) -> str:
    """What is left to do, said last."""
    left = ["Left for you: " + " ".join(text for _, text in gaps)] if gaps else []
    if any(load.row.kind == "ntfs" and not load.hold.fixed for load in told[0].carrying.ground.loads):
        left.append(
            "The utility asks for a check of each NTFS that was resized: let the system make it at its first start."
        )
    return " ".join(["Done. Check the result.", *left])


# --- what the utilities cannot do -------------------------------------------------------------------------------------


def _gaps(carrying: Carrying) -> Iterator[tuple[int, str]]:
    """Rows, and what is left to a person, said before anything begins."""
    for load in carrying.ground.loads:
        row, fixed = load.row, load.hold.fixed
        if fixed or _family(load):
            continue
        kind, name = KIND_NAMES[row.kind], row.row.name_and_number
        size = format_size(row.size_bytes or 0)
        if load.goal.length < load.hold.extent.length:
            yield (
                load.number,
                f"{name}: {kind} cannot be made smaller here; its place of {size} stays empty for its files.",
            )
        else:
            yield (
                load.number,
                f"{name}: {kind} cannot be made larger here; it is copied and fills {size} once you extend it.",
            )
    for row, _ in carrying.ground.made:
        if row.role == "start":
            yield row.number, f"{row.row.name_and_number}: made new and empty; put the start files into it."


def _is_left(told: _Told) -> bool:
    """A step on a row that these utilities cannot resize; copied as a whole it still can be where it grows."""
    step = told.step
    if step.row not in told.gaps or step.kind in ("make", "check", "move", "table"):
        return False
    if step.kind == "grow":
        return True
    load = told.load
    return load.goal.length < load.hold.extent.length


# --- each kind of step ------------------------------------------------------------------------------------------------


def _read(told: _Told) -> list[str]:
    _, length = told.new
    if told.step.disk == "target":
        return ['empty "$TARGET"', f'to_target "$SOURCE" 0 0 {length}', 'seen "$TARGET"']
    return [
        'dd if="$SOURCE" of="$WORK/source.img" bs=64K conv=noerror,sync,sparse status=none',
        'stretch "$WORK/source.img" "$SOURCE_BYTES"',
    ]


def _copy(told: _Told) -> list[str]:
    if _is_left(told):
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


def _resize(told: _Told) -> list[str]:
    if _is_left(told):
        return []
    (start, old), (_, new), number = told.old, told.new, told.row
    if told.step.disk == "image":
        return [f"work_file {number} {start} {old}", f'fit {told.family} "$WORK/row-{number}.img" {new}']
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    return [f"fit_there {disk} {told.entry} {told.family} {start} {old} {new}"]


def _move(told: _Told) -> list[str]:
    return [f"slide {told.old[0]} {told.new[0]} {told.old[1]}"]


def _table(told: _Told) -> list[str]:
    script = plan_to_script(told.carrying.ground.plan)
    blank = [] if told.way == "restore" else ['empty "$TARGET"']
    return [
        *blank, f'sfdisk --quiet --wipe always --wipe-partitions never "$TARGET" <<\'{END_OF_TABLE}\'',
        *script.splitlines(), END_OF_TABLE,
    ]  # fmt: skip


def _make(told: _Told) -> list[str]:
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


def _check(told: _Told) -> list[str]:
    if told.step.row is None or told.family == "other":
        return []
    start, length = told.old
    if told.step.disk == "image":
        return [f"work_file {told.row} {start} {length}", f'ask {told.family} "$WORK/row-{told.row}.img"']
    disk = '"$SOURCE"' if told.step.disk == "source" else '"$TARGET"'
    return [f"ask_there {disk} {told.entry} {told.family} {start}"]


_MEND = ['sfdisk --quiet --relocate gpt-bak-std "$TARGET"', 'seen "$TARGET"']
_DONE: dict[StepKind, Callable[[_Told], list[str]]] = {
    "read": _read, "copy": _copy, "shrink": _resize, "grow": _resize, "move": _move, "table": _table, "make": _make,
    "check": _check, "mend-table": lambda _told: _MEND, "cut": lambda _told: [],
    "identity": lambda _told: [],  # a table without a label-id gets a new one
}  # fmt: skip


# --- what it needs ----------------------------------------------------------------------------------------------------


def room_needed(told: list[_Told]) -> tuple[int, int]:
    """Bytes that work files take at most: between devices, and where one of the disks is a file."""
    standing: dict[int, int] = {}
    between = in_files = 0
    for one in told:
        step, passing, for_file = one.step, 0, 0
        if _is_left(one) or step.to is None:
            continue
        old = one.old[1] if step.source else 0
        new = one.new[1]
        if step.kind == "read" and step.disk == "image":
            standing[0] = new
        elif step.kind == "make":
            for_file = new
        elif step.row is not None and step.disk == "image":
            standing[step.row] = max(old, new)
        elif step.kind == "copy" and step.from_disk == "image":
            passing = 0 if step.row in standing else old
        elif step.kind == "copy" and new < old:
            passing = old
        elif step.kind in ("shrink", "grow"):
            for_file = max(old, new)
        kept = sum(standing.values())
        between, in_files = max(between, kept + passing), max(in_files, kept + passing + for_file)
        if step.kind == "copy" and step.from_disk == "image" and step.row is not None:
            standing.pop(step.row, None)
    return between, max(between, in_files)


def _tools(told: list[_Told]) -> list[str]:
    tools = {"sfdisk", "dd"}
    for one in told:
        step = one.step
        if step.kind == "make":
            role = one.carrying.ground.plan.row(one.row).role
            tools |= {"start": {"mkfs.fat"}, "reserved": set()}.get(role, {"mkswap"})
        elif step.row is not None and not _is_left(one) and step.kind in ("copy", "shrink", "grow", "check"):
            resizes = step.source and step.to and step.source.length != step.to.length
            if resizes or step.kind == "check":
                tools |= set(FIT_TOOLS.get(one.family, ()))
    return sorted(tools)


def _quoted(text: str) -> str:
    """For the shell, as one word, whatever it holds."""
    return "'" + plain_line(text).replace("'", "'\\''") + "'"
