"""Changes of what is wanted of the plan: its fit, what goes over, what a row may do, other options."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, ClassVar

from ..disk.model import Role
from ..errors import BadOption
from ..fit.fits import FIT_NAMES
from ..fit.options import OPTIONS, Fit, Options
from ..sizes import Bytes, format_size
from .change import Applied, Change, by_number, own_row, pins_without, rows_of_job, with_options
from .state import JobState


@dataclass(frozen=True, slots=True)
class SetFit(Change):
    key: ClassVar[str] = "fit"
    fit: Fit

    def make(self, state: JobState) -> Applied:
        return with_options(state, state.options.but(fit=self.fit), f"Fit set to {FIT_NAMES[self.fit]}")


@dataclass(frozen=True, slots=True)
class TakeRest(Change):
    """One row takes all that is gained, or gives all that is missing."""

    key: ClassVar[str] = "grow"
    row: int

    def make(self, state: JobState) -> Applied:
        row, options = own_row(state, self.row), state.options
        made = options.but(fit="rest-to-one", grow=row.number, pins=pins_without(options, row.number))
        return with_options(state, made, f"{row.name} takes the rest")


@dataclass(frozen=True, slots=True)
class Leave(Change):
    """One or several rows stay behind."""

    key: ClassVar[str] = "leave"
    rows: tuple[int, ...]

    def make(self, state: JobState) -> Applied:
        if not self.rows:
            raise BadOption("no row is named", at="rows", mend="name the rows that stay behind")
        names, options = [], state.options
        for number in self.rows:
            names.append(own_row(state, number).name)
            options = options.but(
                leave=options.leave | {number},
                grow=None if options.grow == number else options.grow,
                free_after=None if options.free_after == number else options.free_after,
            )
        return with_options(state, options, f"{_and(names)} left behind")


def _and(names: Iterable[str]) -> str:
    return " and ".join(names)


@dataclass(frozen=True, slots=True)
class Carry(Change):
    key: ClassVar[str] = "carry"
    row: int

    def make(self, state: JobState) -> Applied:
        row = own_row(state, self.row)
        return with_options(
            state, state.options.but(leave=state.options.leave - {row.number}), f"{row.name} carried again"
        )


@dataclass(frozen=True, slots=True)
class HoldRow(Change):
    key: ClassVar[str] = "hold"
    row: int

    def make(self, state: JobState) -> Applied:
        row, options = own_row(state, self.row), state.options
        made = options.but(
            hold=options.hold | {row.number},
            elastic=options.elastic - {row.number},
            pins=pins_without(options, row.number),
            grow=None if options.grow == row.number else options.grow,
        )
        return with_options(state, made, f"{row.name} held at its source size")


@dataclass(frozen=True, slots=True)
class Release(Change):
    key: ClassVar[str] = "release"
    row: int

    def make(self, state: JobState) -> Applied:
        row, options = own_row(state, self.row), state.options
        made = options.but(hold=options.hold - {row.number})
        if row.role not in ("system", "data"):
            made = made.but(elastic=options.elastic | {row.number})
        return with_options(state, made, f"{row.name} may change its size")


@dataclass(frozen=True, slots=True)
class SetRole(Change):
    key: ClassVar[str] = "role"
    row: int
    role: Role

    def make(self, state: JobState) -> Applied:
        row = own_row(state, self.row)
        roles = by_number({**dict(state.options.roles), row.number: self.role})
        return with_options(state, state.options.but(roles=roles), f"{row.name} is {self.role}")


@dataclass(frozen=True, slots=True)
class Lighten(Change):
    """So many bytes of a row need not go over; 0 takes it back."""

    key: ClassVar[str] = "lighten"
    row: int
    size: Bytes

    def make(self, state: JobState) -> Applied:
        row = own_row(state, self.row)
        lighten = {**dict(state.options.lighten), row.number: self.size}
        kept = by_number({number: size for number, size in lighten.items() if size})
        return with_options(state, state.options.but(lighten=kept), f"{row.name} lightened by {format_size(self.size)}")


@dataclass(frozen=True, slots=True)
class SetGrowth(Change):
    """A row holds so many bytes more every year; None: as its surveys tell."""

    key: ClassVar[str] = "growth"
    row: int
    size: Bytes | None

    def make(self, state: JobState) -> Applied:
        row = own_row(state, self.row)
        growth: dict[int, Bytes | None] = {**dict(state.options.growth), row.number: self.size}
        kept = by_number({number: size for number, size in growth.items() if size is not None})
        words = "as its surveys tell" if self.size is None else f"by {format_size(self.size)} a year"
        return with_options(state, state.options.but(growth=kept), f"{row.name} grows {words}")


@dataclass(frozen=True, slots=True)
class ClearEnd(Change):
    """What cannot be moved at the end of a row is cleared, or counted again (rule 5.3)."""

    key: ClassVar[str] = "cleared"
    row: int
    on: bool = True

    def make(self, state: JobState) -> Applied:
        row, cleared = own_row(state, self.row), state.options.cleared
        made = state.options.but(cleared=cleared | {row.number} if self.on else cleared - {row.number})
        return with_options(state, made, f"Immovable end of {row.name} {'cleared' if self.on else 'counted again'}")


@dataclass(frozen=True, slots=True)
class MoveRow(Change):
    """Move a row on the target by so many places, toward the end where ``places`` is positive (rule 7.1)."""

    key: ClassVar[str] = "move"
    row: int
    places: int

    def make(self, state: JobState) -> Applied:
        rows = [row for row in rows_of_job(state) if row.partition is not None]
        row = own_row(state, self.row)
        carried = [other.number for other in rows if other.carried]
        if row.number not in carried:
            raise BadOption(f"{row.name} has no place on the target", at="row", mend="carry it first")
        place = carried.index(row.number)
        wanted = min(max(place + self.places, 0), len(carried) - 1)
        if wanted == place:
            end = "first" if self.places < 0 else "last"
            raise BadOption(f"{row.name} is the {end} row already", at="row", mend="move it the other way")
        neighbour = next(other.name for other in rows if other.number == carried[wanted])
        carried.insert(wanted, carried.pop(place))
        order = (*carried, *(other.number for other in rows if not other.carried))
        natural = tuple(p.number for p in state.source.disk.rows) if state.source else ()
        made = state.options.but(order=() if _is_natural(order, natural, state.options.leave) else order)
        return with_options(state, made, f"{row.name} moved {'before' if wanted < place else 'behind'} {neighbour}")


def _is_natural(order: tuple[int, ...], natural: tuple[int, ...], leave: frozenset[int]) -> bool:
    """Whether the rows that go over stand in the source's order again."""
    return [n for n in order if n not in leave] == [n for n in natural if n not in leave]


@dataclass(frozen=True, slots=True)
class SetOption(Change):
    """An option that has no change of its own, as the table of options declares it; None: as usual again."""

    key: ClassVar[str] = "option"
    option: str
    value: Any
    shown: str = ""

    def make(self, state: JobState) -> Applied:
        kind = OPTIONS[self.option]
        value = kind.default if self.value is None else self.value
        words = kind.unset_words if value == kind.default else kind.set_words.format(self.shown)
        return with_options(state, kind.put(state.options, value), words)


@dataclass(frozen=True, slots=True)
class Reset(Change):
    key: ClassVar[str] = "reset"

    def make(self, state: JobState) -> Applied:
        old = state.options
        made = Options(fit=old.fit, roles=old.roles, overwrite=old.overwrite, firmware=old.firmware)
        return with_options(state, made, "Everything set by hand taken back")
