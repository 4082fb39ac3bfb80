"""What a step says, what must be true before it, and what can be undone after it: one entry for each kind of step."""

from collections.abc import Callable
from typing import NamedTuple

from ..sizes import Units, format_size
from .ground import Ground, Load
from .sequence import DiskName, Step, StepKind, WayKey


class Words(NamedTuple):
    """A step in words."""

    say: str
    before: tuple[str, ...]
    undo: str


class _Told(NamedTuple):
    """What the sentences of one step are made from."""

    ground: Ground
    way: WayKey
    step: Step
    units: Units

    @property
    def row(self) -> str:
        for row in self.ground.plan.rows:
            if row.number == self.step.row:
                return row.row.name_and_number
        return ""

    @property
    def load(self) -> Load:
        return next(load for load in self.ground.loads if load.number == self.step.row)

    def disk(self, name: DiskName | None) -> str:
        if name == "image":
            return "the image"
        disk = self.ground.plan.source if name == "source" else self.ground.plan.target
        return disk.model or f"the {name}"

    @property
    def where(self) -> str:
        return self.disk(self.step.disk)

    @property
    def there(self) -> str:
        """``on Quillon S2``, ``in the image``."""
        return "in the image" if self.step.disk == "image" else f"on {self.where}"

    @property
    def sizes(self) -> str:
        """``from 420 GiB to 201 GiB``."""
        assert self.step.source is not None
        assert self.step.to is not None
        sector = self.ground.sector
        was, will = (format_size(extent.length * sector, self.units) for extent in (self.step.source, self.step.to))
        return f"from {was} to {will}"


def words_of(ground: Ground, way: WayKey, step: Step, units: Units = "binary") -> Words:
    return _WORDS[step.kind](_Told(ground, way, step, units))


def _read(told: _Told) -> Words:
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
        f"{model} is only read",
    )


def _copy(told: _Told) -> Words:
    step, source, where = told.step, told.disk(told.step.from_disk), told.where
    packs = step.source is not None and step.to is not None and step.to.length < step.source.length
    if step.disk == "image":
        return Words(f"Copy {told.row} from {source} into the image", (), f"{source} is only read")
    undo = f"{source[:1].upper() + source[1:]} is as it was: copy again"
    lighter = _lighter(told) if packs else ()
    if told.way == "files":
        smaller = f", {told.sizes}," if packs else ""
        return Words(f"Make a file system for {told.row}{smaller} on {where} and copy its files", lighter, undo)
    if packs:
        return Words(f"Copy {told.row} to its place on {where}, made smaller on the way {told.sizes}", lighter, undo)
    whole = "" if told.load.by_file else ", sector by sector"
    return Words(f"Copy {told.row} from {source} to its place on {where}{whole}", (), undo)


def _lighter(told: _Told) -> tuple[str, ...]:
    """What stays behind must be taken out before it is made smaller."""
    floors, used = told.load.row.floors, told.load.row.used_bytes
    if floors is None or used is None or used <= floors.carried_bytes:
        return ()
    return (f"{format_size(used - floors.carried_bytes, told.units)} that stay behind are taken out of it",)


def _immovable(told: _Told) -> tuple[str, ...]:
    if told.step.row in told.ground.plan.options.cleared:
        return ("What cannot be moved is cleared: page file and hibernation off, restore points gone",)
    return ()


def _shrink(told: _Told) -> Words:
    packed = told.step.read_bytes
    if packed is None:
        first = "; how much must be packed first is not known"
    else:
        first = f"; {format_size(packed, told.units)} past the new end are packed first" if packed else ""
    before = ["Its file system was checked and is clean", *_lighter(told), *_immovable(told)]
    if told.step.disk == "source":
        before.insert(0, "The backup is there and can be read")
        undo = f"{told.row} can be made larger again; the packing is lost time, not data"
    else:
        undo = f"{told.row} can be made larger again; {told.disk('source')} is as it was"
    return Words(f"Make {told.row} smaller {told.there}, {told.sizes}{first}", tuple(before), undo)


def _grow(told: _Told) -> Words:
    return Words(
        f"Make {told.row} larger {told.there}, {told.sizes}",
        ("The space behind it is free",),
        "It can be made smaller again, which takes longer",
    )


def _move(told: _Told) -> Words:
    step = told.step
    ahead = step.source is not None and step.to is not None and step.to.start < step.source.start
    way = "toward the start" if ahead else "toward the end"
    return Words(
        f"Move {told.row} {told.there} {way}",
        ("Mains, not battery: a move that is cut off loses the row", *_deleted(told)),
        "It can be moved back; cut off in between, write the backup again",
    )


def _deleted(told: _Told) -> tuple[str, ...]:
    gone = [row.row.name_and_number for row in told.ground.plan.rows if not row.carried or row.row.is_made]
    present = [name for name in gone if name]
    return (f"{' and '.join(present)} deleted {told.there}: not as the plan has them",) if present else ()


def _table(told: _Told) -> Words:
    kind = told.ground.plan.frame.table.upper()
    count = sum(goal.extent is not None for goal in told.ground.goals)
    before = () if told.way == "restore" else (f"{told.where} is the right disk, by its serial",)
    if told.way == "restore":
        return Words(
            f"Make the {kind} of {told.where} as planned: {_rows(count)} and no other, with a new identity",
            (),
            "The table can be written again; it holds no files",
        )
    return Words(
        f"Write a new {kind} to {told.where}: {_rows(count)}, with a new identity",
        before,
        f"What {told.where} held is gone",
    )


def _rows(count: int) -> str:
    return "1 row" if count == 1 else f"{count} rows"


def _cut(told: _Told) -> Words:
    return Words(f"Give up everything behind the last row of {told.where}", (), "What was cut off is gone")


def _mend_table(told: _Told) -> Words:
    return Words(
        f"Put the backup copy of the table at the end of {told.where}",
        (),
        "Nothing is lost: the table itself does not change",
    )


def _make(told: _Told) -> Words:
    row = told.ground.plan.row(told.step.row or 0)
    if row.role == "reserved":
        return Words(f"Leave {told.row} {told.there} empty: its place is all it needs", (), "Nothing to undo")
    what = {"swap": "as swap space", "start": "with a FAT32 file system, and put the start files into it"}
    return Words(f"Make {told.row} new {told.there} {what.get(row.role, '')}".rstrip(), (), "It can be made again")


def _check(told: _Told) -> Words:
    return Words(
        f"Check the file system of {told.row} {told.there}",
        (f"{told.row} is not in use",),
        "Nothing changes; where it finds damage, repair that first",
    )


def _identity(told: _Told) -> Words:
    return Words(
        f"Give {told.where} a new identity, so that it does not collide with {told.disk('source')}",
        (),
        "The old identity can be set again",
    )


_WORDS: dict[StepKind, Callable[[_Told], Words]] = {
    "read": _read, "copy": _copy, "shrink": _shrink, "grow": _grow, "move": _move, "table": _table, "cut": _cut,
    "mend-table": _mend_table, "make": _make, "check": _check, "identity": _identity,
}  # fmt: skip
