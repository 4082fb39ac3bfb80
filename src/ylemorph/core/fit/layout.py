"""From rows to a layout: what depends on the source alone is prepared once, then laid out on any number of targets."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from ..disk.model import Disk
from ..disk.tables import PlannedTable
from ..errors import BadOption
from .allot import Share
from .fits import FIT_KINDS, Elastic, Group, fit_rows
from .floors import Floors
from .frame import Frame, frame_of, planned_table
from .options import Fit, Options
from .place import Placed, Wanted, place
from .rows import Row, rows_of
from .starting import Identity, PlannedStart, Stay, planned_identity, planned_start, staying, wanted_starts

Verdict = Literal["comfortable", "tight", "does-not-fit"]
VERDICTS: tuple[Verdict, ...] = ("does-not-fit", "tight", "comfortable")  # worst first


def verdict_name(verdict: Verdict | None) -> str:
    """How a verdict is written for people."""
    return "Nothing goes over" if verdict is None else verdict.replace("-", " ").capitalize()


@dataclass(frozen=True)
class Layout:
    """What the rules make of one pair of disks.

    ``sizes`` in grains go with ``carried``; None where it does not fit. The verdict is None where nothing goes over.
    """

    prepared: "Prepared"
    frame: Frame
    fit: Fit
    sizes: tuple[int, ...] | None
    kept: Share
    shortfall: int
    verdict: Verdict | None

    @property
    def rows(self) -> tuple[Row, ...]:
        return self.prepared.rows

    @property
    def carried(self) -> tuple[Row, ...]:
        return self.prepared.carried

    @property
    def in_doubt(self) -> tuple[int, ...]:
        return self.prepared.in_doubt

    @property
    def shortfall_bytes(self) -> int:
        return self.shortfall * self.frame.grain_bytes

    @property
    def must_bytes(self) -> int:
        return self.prepared.must * self.frame.grain_bytes

    @property
    def comfort_bytes(self) -> int:
        return self.prepared.comfort * self.frame.grain_bytes

    @property
    def open_grains(self) -> int:
        """What stays unallocated, the tail reserve with it; 0 where nothing fits."""
        if self.sizes is None:
            return 0
        return self.frame.end - self.frame.first - sum(self.sizes) - self.prepared.records

    @cached_property
    def placed(self) -> Placed | None:
        if self.sizes is None:
            return None
        logical = [row.logical for row in self.carried]
        return place(self.frame, self.sizes, logical, self.prepared.free_index, self.prepared.wanted_starts)

    @cached_property
    def starting(self) -> PlannedStart:
        made = self.prepared
        return planned_start(made.source, self.frame, made.rows, self.placed, made.staying, made.identity)


class Prepared:
    """A source under options, before any target: rows, floors, roles, and what the fits ask of them (rules 3 to 6).

    Raises BadOption or OutOfBounds where an option cannot be followed.
    """

    def __init__(self, source: Disk, options: Options) -> None:
        self.source = source
        self.options = options
        self.table: PlannedTable = planned_table(source.table, options)
        rows, roles = rows_of(source, self.table, options)
        self.rows = tuple(rows)
        self.in_doubt = roles.in_doubt
        self.carried = tuple([row for row in rows if row.carried])
        self.shared: list[Row] = []
        elastic: list[Elastic] = []
        self._places: list[int | None] = []  # sizes of the rows that take no part in the sharing
        self._comforts: list[int] = []
        self.records = sum([row.logical for row in self.carried])  # grains of the tables of logicals (rule 2.3)
        fixed, over_hard, over_comfort = self.records, 0, 0
        for row in self.carried:
            floors, place = row.floors, row.base if row.pin is None else row.pin
            if not row.elastic or floors is None:
                self._comforts.append(0)
            else:
                self._comforts.append(floors.comfort)
                if row.pin is None:
                    self.shared.append(row)
                    self._places.append(None)
                    elastic.append(_as_elastic(row, floors))
                    continue
                # What is needed does not depend on pins: a pinned row counts with its floors.
                over_hard += place - min(floors.hard, row.ceiling)
                over_comfort += place - min(floors.comfort, row.ceiling)
            fixed += place
            self._places.append(place)
        self.fixed = fixed
        self.group = Group(elastic)
        self.must = fixed + self.group.hard - over_hard
        self.comfort = fixed + self.group.low - over_comfort
        self.free_index = _free_index(self.carried, options)
        self._chosen = _chosen(self.shared, options)

    @cached_property
    def identity(self) -> Identity:
        return planned_identity(self.source, self.table, self.carried, self.options)

    @cached_property
    def staying(self) -> dict[int, Stay]:
        """Rows that start data or a loader name by their place, by number (rules 7.3b and 14.1)."""
        return staying(self.source, self.table, self.carried)

    @cached_property
    def wanted_starts(self) -> tuple[Wanted | None, ...] | None:
        """For each carried row the grain at which it should stay; None where none should. On one disk every row should,
        so that little is moved."""
        stays = self.staying
        if self.options.in_place == "yes" and self.source.table == self.table:
            own: dict[int, Stay] = {row.number: "start-data" for row in self.carried if not row.is_made}
            stays = own | stays
        return wanted_starts(self.source, stays, self.carried, self.options.grain_bytes)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Prepared):
            return NotImplemented
        return (self.source, self.options, self.rows) == (other.source, other.options, other.rows)

    __hash__ = None  # type: ignore[assignment]  # a value like the options that it holds

    def on(self, target: Disk | Frame, fit: Fit | None = None) -> Layout:
        """Rules 2, 6 and 7 on one target, under the fit of the options or another."""
        frame = target if isinstance(target, Frame) else self.frame(target)
        chosen_fit = fit or self.options.fit
        capacity = frame.end - frame.first - frame.tail - self.fixed
        fitted = fit_rows(chosen_fit, capacity, self.group, self._named(chosen_fit))
        sizes = None if fitted.sizes is None else self._all_sizes(fitted.sizes)
        return Layout(self, frame, chosen_fit, sizes, fitted.kept, fitted.shortfall, self._verdict(sizes))

    def verdict_in(self, grains: int, fit: Fit) -> Verdict | None:
        """The verdict in so many usable grains, whatever disk has them."""
        fitted = fit_rows(fit, grains - self.fixed, self.group, self._named(fit))
        return self._verdict(None if fitted.sizes is None else self._all_sizes(fitted.sizes))

    def frame(self, target: Disk) -> Frame:
        """What of the target can hold rows, for any number of fits."""
        return frame_of(target, self.table, self.options)

    def _named(self, fit: Fit) -> int | None:
        """The index of the row that takes the rest. Raises BadOption where the named one cannot."""
        if self.options.grow is not None and self._chosen is None and FIT_KINDS[fit].takes_one:
            raise BadOption(
                f"partition {self.options.grow} is held, pinned or left behind and cannot take the rest",
                at="options.grow",
                mend="name an elastic row or let this one go",
            )
        return self._chosen

    def _all_sizes(self, shares: tuple[int, ...]) -> tuple[int, ...]:
        if len(shares) == len(self._places):
            return shares
        given = iter(shares)
        return tuple([next(given) if place is None else place for place in self._places])

    def _verdict(self, sizes: tuple[int, ...] | None) -> Verdict | None:
        """Rules 6.5 and 6.5b."""
        if not self.carried:
            return None
        if sizes is None:
            return "does-not-fit"
        for size, comfort in zip(sizes, self._comforts, strict=True):
            if size < comfort:
                return "tight"
        return "comfortable"


def lay_out(source: Disk, target: Disk, options: Options) -> Layout:
    """Rules 2 to 7 for one pair. Raises BadOption or OutOfBounds where an option cannot be followed."""
    return Prepared(source, options).on(target)


def _as_elastic(row: Row, floors: Floors) -> Elastic:
    low = floors.comfort if floors.comfort < row.ceiling else row.ceiling
    return Elastic(row.base, floors.hard, low, row.ceiling, floors.carried_bytes, row.role == "system")


def _chosen(shared: list[Row], options: Options) -> int | None:
    if options.grow is None:
        return None
    return next((index for index, row in enumerate(shared) if row.number == options.grow), None)


def _free_index(carried: tuple[Row, ...], options: Options) -> int | None:
    if options.free_after is None:
        return None
    for index, row in enumerate(carried):
        if row.number == options.free_after:
            return index
    raise BadOption(
        f"partition {options.free_after} is left behind, so no free space can stand after it",
        at="options.free_after",
        mend="name a row that is carried",
    )
