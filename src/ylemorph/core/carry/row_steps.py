"""Kinds of steps about one row: their words, what they do to the model, what they take."""

from typing import assert_never

from ..plain import sentence_case
from ..sizes import format_size
from .model import Model, Unsafe, other_disk
from .sequence import RowStepKind, Step
from .step_record import StepRecord, changes_nothing
from .told import Told, Words

PACKING_WAYS = frozenset(("straight", "files", "finish"))  # where a copy may make a row smaller on its way


# --- copy -------------------------------------------------------------------------------------------------------------


def _copy_words(told: Told) -> Words:
    step, source, where = told.step, told.disk(told.step.from_disk), told.where
    packs = step.source is not None and step.to is not None and step.to.length < step.source.length
    if step.disk == "image":
        return Words(f"Copy {told.row} from {source} into the image", (), f"{sentence_case(source)} is only read")
    undo = f"{sentence_case(source)} is as it was: copy again"
    lighter = told.lighter if packs else ()
    if told.way == "files":
        smaller = f", {told.sizes}," if packs else ""
        return Words(f"Make a file system for {told.row}{smaller} on {where} and copy its files", lighter, undo)
    if packs:
        return Words(f"Copy {told.row} to its place on {where}, made smaller on the way {told.sizes}", lighter, undo)
    whole = "" if told.load.by_file else ", sector by sector"
    return Words(f"Copy {told.row} from {source} to its place on {where}{whole}", (), undo)


def _copy(model: Model, number: int, step: Step) -> None:
    name, extent = other_disk(step), step.to
    assert extent is not None
    content = model.disks[name].contents[model.found(name, step.row, step.source)]
    hold = model.holds[content.row]
    before = content.extent.length * model.disks[name].shape.sector_bytes
    after = extent.length * model.disks[step.disk].shape.sector_bytes
    if after > before:
        raise Unsafe("a copy is not longer than what is copied")
    if after < before and (hold.fixed or model.sequence.way not in PACKING_WAYS):
        raise Unsafe(f"row {hold.row} may not be made shorter on its way")
    model.roomy(hold, after)
    model.reach(step.disk, extent)
    # Files copied into a new file system: that one names where it was made.
    named = extent.start if model.sequence.way == "files" else content.named
    model.put(step.disk, content.row, extent, number, named)


COPY = StepRecord(
    fixed=(2, 30),
    needs=("row", "from_disk", "source", "to"),
    words=_copy_words,
    effect=_copy,
    doubt="places",
    held=True,
    takes="carried",
)


# --- shrink -----------------------------------------------------------------------------------------------------------


def _shrink_words(told: Told) -> Words:
    packed = told.step.read_bytes
    if packed is None:
        first = "; how much must be packed first is not known"
    else:
        first = f"; {format_size(packed, told.units)} past the new end are packed first" if packed else ""
    before = ["Its file system was checked and is clean", *told.lighter, *told.immovable, *told.sealed]
    if told.step.disk == "source":
        before.insert(0, "The backup is there and can be read")
        undo = f"{told.row} can be made larger again; the packing is lost time, not data"
    else:
        undo = f"{told.row} can be made larger again; {told.disk('source')} is as it was"
    return Words(f"Make {told.row} smaller {told.there}, {told.sizes}{first}", tuple(before), undo, told.by_lvm)


def _shrink(model: Model, number: int, step: Step) -> None:
    if step.source and step.to and step.to.length > step.source.length:
        raise Unsafe("this makes the row larger")
    model.resized(step, number)


SHRINK = StepRecord(
    fixed=(20, 300),
    needs=("row", "source", "to"),
    words=_shrink_words,
    effect=_shrink,
    doubt="places",
    held=True,
    takes="smaller",
)


# --- grow -------------------------------------------------------------------------------------------------------------


def _grow_words(told: Told) -> Words:
    return Words(
        f"Make {told.row} larger {told.there}, {told.sizes}",
        ("The space behind it is free", *told.sealed),
        "It can be made smaller again, which takes longer",
        told.by_lvm,
    )


def _grow(model: Model, number: int, step: Step) -> None:
    if step.source and step.to and step.to.length < step.source.length:
        raise Unsafe("this makes the row smaller")
    model.resized(step, number)


GROW = StepRecord(
    fixed=(5, 120),
    needs=("row", "source", "to"),
    words=_grow_words,
    effect=_grow,
    doubt="places",
    held=True,
    takes="larger",
)


# --- move -------------------------------------------------------------------------------------------------------------


def _move_words(told: Told) -> Words:
    step = told.step
    ahead = step.source is not None and step.to is not None and step.to.start < step.source.start
    way = "toward the start" if ahead else "toward the end"
    return Words(
        f"Move {told.row} {told.there} {way}",
        ("Mains, not battery: a move that is cut off loses the row", *told.deleted),
        "It can be moved back; cut off in between, write the backup again",
    )


def _move(model: Model, number: int, step: Step) -> None:
    content = model.take(step.disk, step.row, step.source)
    assert step.to is not None
    if step.to.length != content.extent.length:
        raise Unsafe("a move keeps the length")
    model.reach(step.disk, step.to)
    model.put(step.disk, content.row, step.to, number, content.named)


MOVE = StepRecord(
    fixed=(5, 60),
    needs=("row", "source", "to"),
    words=_move_words,
    effect=_move,
    doubt="places",
    held=True,
    takes="moved",
)


# --- make -------------------------------------------------------------------------------------------------------------


def _make_words(told: Told) -> Words:
    row = told.ground.plan.row(told.step.row or 0)
    if row.role == "reserved":
        return Words(f"Leave {told.row} {told.there} empty: its place is all it needs", (), "Nothing to undo")
    what = {"swap": "as swap space", "start": "with a FAT32 file system, and put the start files into it"}
    return Words(f"Make {told.row} new {told.there} {what.get(row.role, '')}".rstrip(), (), "It can be made again")


def _make(model: Model, number: int, step: Step) -> None:
    assert step.to is not None
    assert step.row is not None
    model.reach(step.disk, step.to)
    model.write(step.disk, step.to, number)
    table = model.disks[step.disk].table
    if table is not None:
        table.rows |= {step.row}


MAKE = StepRecord(
    fixed=(1, 30),
    needs=("row", "to"),
    words=_make_words,
    effect=_make,
    doubt="places",
)


# --- check ------------------------------------------------------------------------------------------------------------


def _check_words(told: Told) -> Words:
    return Words(
        f"Check the file system of {told.row} {told.there}",
        (f"{told.row} is not in use",),
        "Nothing changes; where it finds damage, repair that first",
    )


CHECK = StepRecord(
    fixed=(15, 600),
    needs=(),
    words=_check_words,
    effect=changes_nothing,
    doubt="nothing",
    takes="looked at",
)


def record_of(kind: RowStepKind) -> StepRecord:
    match kind:
        case "copy":
            return COPY
        case "shrink":
            return SHRINK
        case "grow":
            return GROW
        case "move":
            return MOVE
        case "make":
            return MAKE
        case "check":
            return CHECK
        case _:
            assert_never(kind)
