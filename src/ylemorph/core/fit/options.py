"""What the user wants of a plan: one table of options. A value; it never looks at a disk.

An option is one field of ``Options`` (or of the values inside it). Reader, writer, command-line flag, JSON schema, the
changes of a job and the workshop's defaults derive from what is declared here.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field, fields, is_dataclass, replace
from operator import attrgetter
from typing import Any, Literal, NamedTuple, get_args

from ..disk.model import Role
from ..sizes import DEFAULT_GRAIN, Bytes, GiB, MiB

Fit = Literal["same", "proportional", "rest-to-one", "even-fill", "snug"]
TableChoice = Literal["keep", "gpt", "mbr"]
IdentityChoice = Literal["as-needed", "keep", "new"]
Firmware = Literal["unknown", "uefi", "legacy"]
InPlace = Literal["no", "yes"]
FITS: tuple[Fit, ...] = get_args(Fit)
TABLE_CHOICES: tuple[TableChoice, ...] = get_args(TableChoice)
IDENTITY_CHOICES: tuple[IdentityChoice, ...] = get_args(IdentityChoice)
FIRMWARES: tuple[Firmware, ...] = get_args(Firmware)
IN_PLACE: tuple[InPlace, ...] = get_args(InPlace)

# What a value is: one of some words; the number of a row; a set of rows; rows in order; a size or a role for each of
# some rows; a percentage; a size; a size or a share of the target; text.
ValueKind = Literal[
    "choice", "row", "rows", "order", "row-sizes", "row-roles", "percent", "size", "size-or-share", "text"
]
# Whom an option speaks of. What belongs to rows or the source goes with another source, what belongs to the target
# with another target; ``workshop`` options have a default there, with which a new job begins. Facts of the bench are
# declared alike.
Scope = Literal["rows", "source", "target", "job", "workshop", "bench"]
MOST_HEADROOM_HUNDREDTHS = 1000_00
LEAST_GRAIN = 4096
MOST_GRAIN = GiB


class OptionKind(NamedTuple):
    """One option. ``path``: where it stands in ``Options``; ``set_words`` and ``unset_words``: what history keeps.

    ``most`` bounds a percentage in hundredths, or a size in bytes together with ``least``.
    """

    key: str
    path: tuple[str, ...]
    kind: ValueKind
    scope: Scope
    help: str
    default: Any
    choices: tuple[str, ...] = ()
    metavar: str = ""
    set_words: str = ""
    unset_words: str = ""
    least: int = 0
    most: int = 2**63 - 1

    def of(self, options: Any) -> Any:
        value: Any = options
        for name in self.path:
            value = getattr(value, name)
        return value

    def put(self, options: Any, value: Any) -> Any:
        """``options`` with another value of this option."""
        if len(self.path) == 1:
            return options.but(**{self.path[0]: value})
        outer, inner = self.path
        return options.but(**{outer: replace(getattr(options, outer), **{inner: value})})

    def rows_of(self, value: Any) -> Iterator[int]:
        """The numbers of the rows that a value names."""
        if self.kind == "row":
            yield from () if value is None else (value,)
        elif self.kind in ("rows", "order"):
            yield from value
        elif self.kind in ("row-sizes", "row-roles"):
            yield from (number for number, _ in value)


def option(default: Any, kind: ValueKind, scope: Scope, help: str, *, key: str = "", **more: Any) -> Any:
    """A field that is an option; ``more`` are further fields of ``OptionKind``."""
    return field(default=default, metadata={"kind": kind, "scope": scope, "help": help, "key": key, **more})


@dataclass(frozen=True, slots=True)
class Headroom:
    """Rule 5.4: a share of the used space in hundredths of a percent, and minima in bytes."""

    hundredths: int = option(
        1500,
        "percent",
        "workshop",
        "Comfort headroom in percent of the used space.",
        key="headroom",
        metavar="PCT",
        most=MOST_HEADROOM_HUNDREDTHS,
        set_words="Headroom set to {} %",
        unset_words="Headroom as usual",
    )
    system_bytes: int = option(
        5 * GiB,
        "size",
        "workshop",
        "Least headroom of a system row.",
        key="headroom_system",
        metavar="SIZE",
        set_words="Headroom of system rows at least {}",
        unset_words="Headroom of system rows as usual",
    )
    data_bytes: int = option(
        512 * MiB,
        "size",
        "workshop",
        "Least headroom of a data row.",
        key="headroom_data",
        metavar="SIZE",
        set_words="Headroom of data rows at least {}",
        unset_words="Headroom of data rows as usual",
    )

    @property
    def percent(self) -> float:
        return self.hundredths / 100


class Tail(NamedTuple):
    """Space kept empty at the end: bytes, or hundredths of a percent of the usable capacity."""

    bytes: int = 0
    hundredths: int = 0


@dataclass(frozen=True, slots=True)
class Options:
    """The flags of ``ylemorph plan``; numbers are partition numbers of the source, sizes are bytes."""

    fit: Fit = option("proportional", "choice", "job", "How spare or missing space is shared out.", choices=FITS)
    grow: int | None = option(None, "row", "rows", "The row that takes the rest, with --fit rest-to-one.", metavar="N")
    pins: tuple[tuple[int, Bytes], ...] = option(
        (), "row-sizes", "rows", "Set a row's size by hand.", key="pin", metavar="N=SIZE"
    )
    leave: frozenset[int] = option(frozenset(), "rows", "rows", "Leave a row behind.", metavar="N")
    hold: frozenset[int] = option(frozenset(), "rows", "rows", "Keep a row at its source size.", metavar="N")
    elastic: frozenset[int] = option(frozenset(), "rows", "rows", "Let a row change its size.", metavar="N")
    roles: tuple[tuple[int, Role], ...] = option(
        (), "row-roles", "rows", "Say what a row is.", key="role", metavar="N=ROLE"
    )
    lighten: tuple[tuple[int, Bytes], ...] = option(
        (), "row-sizes", "rows", "So much of a row stays behind.", metavar="N=SIZE"
    )
    cleared: frozenset[int] = option(frozenset(), "rows", "rows", "A row's immovable end is cleared.", metavar="N")
    headroom: Headroom = Headroom()
    tail: Tail = option(
        Tail(),
        "size-or-share",
        "job",
        "Space kept empty at the end.",
        metavar="SIZE",
        set_words="Tail reserve set to {}",
        unset_words="No tail reserve",
    )
    free_after: int | None = option(
        None,
        "row",
        "rows",
        "Free space stands after this row.",
        metavar="N",
        set_words="Free space after row {}",
        unset_words="Free space at the end",
    )
    table: TableChoice = option(
        "keep",
        "choice",
        "source",
        "Partition table of the target.",
        choices=TABLE_CHOICES,
        set_words="Table set to {}",
        unset_words="Table kept",
    )
    identity: IdentityChoice = option(
        "as-needed",
        "choice",
        "source",
        "Identity of the target: kept where a system goes over unless given.",
        choices=IDENTITY_CHOICES,
        set_words="Identity set to {}",
        unset_words="Identity as needed",
    )
    grain_bytes: Bytes = option(
        DEFAULT_GRAIN, "size", "workshop", "Alignment unit, 1MiB unless given.", key="grain", metavar="SIZE",
        least=LEAST_GRAIN, most=MOST_GRAIN, set_words="Grain set to {}", unset_words="Grain as usual",
    )  # fmt: skip
    growth: tuple[tuple[int, Bytes], ...] = option(
        (), "row-sizes", "rows", "So much more a row holds every year.", metavar="N=SIZE"
    )
    order: tuple[int, ...] = option(
        (),
        "order",
        "rows",
        "Order of the rows on the target.",
        metavar="N,N,…",
        set_words="Order set to {}",
        unset_words="Order as on the source",
    )
    overwrite: str = option(
        "", "text", "target", "What confirms a target that holds something: its contents may go.", metavar="TEXT"
    )
    in_place: InPlace = option(
        "no",
        "choice",
        "target",
        "Whether the target is the source itself, refitted where it is.",
        choices=IN_PLACE,
        set_words="Refitted on the same disk: {}",
        unset_words="The target is another disk",
    )
    firmware: Firmware = option(
        "unknown",
        "choice",
        "source",
        "In which mode the machine starts.",
        choices=FIRMWARES,
        set_words="Machine starts in {} mode",
        unset_words="Not known how the machine starts",
    )

    def but(self, **changes: Any) -> "Options":
        return replace(self, **changes)

    @property
    def names_rows(self) -> bool:
        """Whether any option speaks of a row by its number."""
        return _row_values(self) != _NO_ROWS

    def without(self, *scopes: Scope) -> "Options":
        """The options with those of some scopes as usual again."""
        made = self
        for kind in OPTIONS.values():
            if kind.scope in scopes:
                made = kind.put(made, kind.default)
        return made


def kinds_of(declared: type, path: tuple[str, ...] = ()) -> Iterator[OptionKind]:
    """What the fields of ``declared``, and of the values in it, say of themselves."""
    for entry in fields(declared):
        if is_dataclass(entry.default) and not entry.metadata:
            yield from kinds_of(type(entry.default), (*path, entry.name))
            continue
        more = dict(entry.metadata)
        key = more.pop("key") or entry.name
        yield OptionKind(key=key, path=(*path, entry.name), default=entry.default, **more)


OPTIONS: dict[str, OptionKind] = {kind.key: kind for kind in kinds_of(Options)}
ROW_OPTIONS = tuple(kind for kind in OPTIONS.values() if kind.scope == "rows")
_row_values = attrgetter(*(".".join(kind.path) for kind in ROW_OPTIONS))  # the quickest way to ask for them all
_NO_ROWS = _row_values(Options())
WORKSHOP_KEYS = tuple(key for key, kind in OPTIONS.items() if kind.scope == "workshop")
