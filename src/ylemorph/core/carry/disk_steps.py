"""Kinds of steps about a whole disk: their words, what they do to the model, what they take."""

from typing import assert_never

from ..plain import sentence_case
from ..sizes import Extent
from .model import Model, TableNow, Unsafe, other_disk
from .sequence import DiskStepKind, Step
from .step_record import StepRecord, changes_nothing
from .told import Told, Words
from .typed import start_commands

# --- read -------------------------------------------------------------------------------------------------------------


def _read_words(told: Told) -> Words:
    model = told.disk("source")
    if told.way == "restore":
        return Words(
            f"Write the backup of {model} to {told.where}; it comes out at the old sizes",
            (f"{told.where} is the right disk, by its serial", "The backup can be read"),
            f"What {told.where} held is gone; the backup is as it was",
        )
    return Words(
        f"Read {model} whole into an image, past read errors, once",
        ("Nothing else is read from it before",),
        f"{sentence_case(model)} is only read",
    )


def _read(model: Model, number: int, step: Step) -> None:
    name, onto, extent = other_disk(step), step.disk, step.to
    assert extent is not None
    if step.source != extent or extent.start:
        raise Unsafe("a disk is read from its first sector on, and in place")
    model.reach(name, extent, rows=False)
    model.reach(onto, extent, rows=False)
    giver, taker = model.disks[name], model.disks[onto]
    brought = []
    for content in giver.contents:
        if content.extent.stop <= extent.stop:
            brought.append(content)
        elif content.extent.start < extent.stop:
            brought.append(content._replace(damaged_by=content.damaged_by or number))
    model.write(onto, extent, number)
    taker.contents = [c for c in taker.contents if c.extent.stop > extent.stop] + brought
    taker.code = giver.code
    taker.table = None
    if giver.table is not None:
        whole = giver.sectors == taker.sectors == extent.stop
        taker.table = TableNow(giver.table.rows, giver.table.planned, giver.table.backup and (whole or not model.gpt))


READ = StepRecord(
    fixed=(5, 60),
    needs=("from_disk", "to"),
    words=_read_words,
    effect=_read,
    doubt="places and table",
    two_disks=True,
    settled=lambda step: step._replace(source=step.source or step.to),
    takes="disk",
)


# --- table ------------------------------------------------------------------------------------------------------------


def _table_words(told: Told) -> Words:
    kind = told.ground.plan.frame.table.upper()
    count = sum(goal.extent is not None for goal in told.ground.goals)
    in_place = told.way in ("restore", "finish")
    before = () if in_place else (f"{told.where} is the right disk, by its serial",)
    identity = f"the identity of {told.disk('source')}" if told.ground.plan.identity == "keep" else "a new identity"
    if in_place:
        return Words(
            f"Make the {kind} of {told.where} as planned: {_rows(count)} and no other, with {identity}",
            (),
            "The table can be written again; it holds no files",
        )
    return Words(
        f"Write a new {kind} to {told.where}: {_rows(count)}, with {identity}",
        before,
        f"What {told.where} held is gone",
    )


def _rows(count: int) -> str:
    return "1 row" if count == 1 else f"{count} rows"


def _table(model: Model, number: int, step: Step) -> None:
    """Both copies of a GPT, or the record of an MBR and one before each logical."""
    disk = model.disks[step.disk]
    model.write_ends(step.disk, number)
    if not model.gpt:
        before = model.grain_sectors[step.disk]
        for goal in model.sequence.goals:
            if goal.logical and goal.extent is not None and goal.extent.start >= before:
                start = goal.extent.start - before
                model.write(step.disk, Extent(start, start + 1), number)
    rows = frozenset(goal.row for goal in model.sequence.goals if goal.extent is not None)
    disk.table = TableNow(rows, planned=step.disk == "target", backup=True)


TABLE = StepRecord(
    fixed=(2, 60),
    needs=(),
    words=_table_words,
    effect=_table,
    doubt="places and table",
)


# --- cut --------------------------------------------------------------------------------------------------------------


def _cut_words(told: Told) -> Words:
    return Words(f"Give up everything behind the last row of {told.where}", (), "What was cut off is gone")


def _cut(model: Model, number: int, step: Step) -> None:
    disk, extent = model.disks[step.disk], step.to
    assert extent is not None
    model.reach(step.disk, extent, rows=False)
    model.write(step.disk, Extent(extent.stop, disk.sectors), number)
    disk.contents = [content for content in disk.contents if content.extent.start < extent.stop]
    if extent.stop < disk.sectors and disk.table is not None and model.gpt:
        disk.table.backup = False
    disk.sectors = extent.stop


CUT = StepRecord(
    fixed=(1, 10),
    needs=("to",),
    words=_cut_words,
    effect=_cut,
    doubt="places",
    settled=lambda step: step._replace(to=Extent(0, step.to.length) if step.to else None),
)


# --- mend-table -------------------------------------------------------------------------------------------------------


def _mend_table_words(told: Told) -> Words:
    return Words(
        f"Put the backup copy of the table at the end of {told.where}",
        (),
        "Nothing is lost: the table itself does not change",
    )


def _mend_table(model: Model, number: int, step: Step) -> None:
    disk = model.disks[step.disk]
    if disk.table is None:
        raise Unsafe(f"the {step.disk} has no table that could be mended")
    model.write_ends(step.disk, number, only_backup=True)
    disk.table.backup = True


MEND_TABLE = StepRecord(
    fixed=(2, 60),
    needs=(),
    words=_mend_table_words,
    effect=_mend_table,
    doubt="places",
)


# --- identity ---------------------------------------------------------------------------------------------------------


def _identity_words(told: Told) -> Words:
    return Words(
        f"Give {told.where} a new identity, so that it does not collide with {told.disk('source')}",
        (),
        "The old identity can be set again",
    )


IDENTITY = StepRecord(
    fixed=(1, 30),
    needs=(),
    words=_identity_words,
    effect=changes_nothing,
    doubt="nothing",
)


# --- start-code -------------------------------------------------------------------------------------------------------


def _start_code_words(told: Told) -> Words:
    start, step = told.ground.plan.starting, told.step
    parts = []
    if step.from_disk is not None:
        behind = f" and the {start.reach - 1} sectors behind it" if start.reach > 1 and not start.cut else ""
        parts.append(f"Copy the code of the first sector{behind} from {told.disk(step.from_disk)} {told.onto}")
    parts += [f"let {m.row.name_and_number} name its new start, sector {m.now}" for m in start.named if m.was != m.now]
    if start.patched:
        parts += [f"let the loader name its new place, sector {moved.now}" for moved in start.moved_loaders]
    say = "; ".join(parts) or f"Look whether a row {told.there} names another start than its own, and mend that"
    return Words(
        sentence_case(say),
        ("The table is written: some tools blank the code when they write one",),
        "It can be done again; no file is touched",
        start_commands(start, told.ground.sector, copies=step.from_disk is not None) if step.disk == "target" else (),
    )


def _start_code(model: Model, _number: int, step: Step) -> None:
    """Neither table nor rows move. Without a disk to take it from only the places that are named are mended."""
    disk = model.disks[step.disk]
    if step.from_disk is not None:
        if not model.disks[step.from_disk].code:
            raise Unsafe(f"there is no code on the {step.from_disk} that could be copied")
        disk.code = True
    disk.contents = [content._replace(named=content.extent.start) for content in disk.contents]


START_CODE = StepRecord(
    fixed=(1, 60),
    needs=(),
    words=_start_code_words,
    effect=_start_code,
    doubt="nothing",
)


def record_of(kind: DiskStepKind) -> StepRecord:
    match kind:
        case "read":
            return READ
        case "table":
            return TABLE
        case "cut":
            return CUT
        case "mend-table":
            return MEND_TABLE
        case "identity":
            return IDENTITY
        case "start-code":
            return START_CODE
        case _:
            assert_never(kind)
