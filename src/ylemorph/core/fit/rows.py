"""The rows of a plan before they are sized: role, floors, what is carried, held, pinned or elastic (rules 3 to 6)."""

from typing import NamedTuple

from ..disk.filesystems import (
    BLOCKING,
    FIXED,
    HAS_LEAST,
    WITHOUT_SLACK,
    Ability,
    ability_of,
    ceiling_bytes,
    kind_of,
    least_bytes,
    shed_bytes,
    state_of,
)
from ..disk.model import Disk, FileSystem, Partition, Role
from ..disk.roles import WINDOWS_KINDS, Roles, propose_roles
from ..disk.tables import GPT_ENTRIES, MBR_ENTRIES, PlannedTable
from ..errors import BadOption, OutOfBounds
from ..plain import plain_line
from ..sizes import Bytes, MiB, div_up, format_size
from .floors import Floors, floors_of
from .options import ROW_OPTIONS, Options

ELASTIC_ROLES = frozenset(("system", "data"))

# Rows that rule 7.4 adds to a disk that goes from MBR to GPT (Microsoft hardware documentation, from memory).
START_ROW_BYTES = 260 * MiB
RESERVED_ROW_BYTES = 16 * MiB


class Row(NamedTuple):
    """One partition on its way to the target. ``base``, ``ceiling`` and ``pin`` in grains, the rest in bytes."""

    number: int
    partition: Partition | None  # None for a row that is added (rule 7.4)
    fs: FileSystem | None
    role: Role
    ability: Ability
    carried: bool
    elastic: bool
    logical: bool
    source_bytes: int
    base: int
    ceiling: int
    pin: int | None
    floors: Floors | None  # None where nothing is known of what it holds, or where it may not be resized
    used_unknown: bool = False
    dropped: bool = False  # left behind by the change of table, not by the user

    @property
    def is_made(self) -> bool:
        return self.ability.made_new

    @property
    def label(self) -> str:
        text = (self.partition.label if self.partition else "") or ROLE_NAMES[self.role]
        return f"{self.number} {plain_line(text)}"

    @property
    def name(self) -> str:
        """The row's name in a sentence: ``Desk``."""
        return self.label.split(" ", 1)[1]

    @property
    def name_and_number(self) -> str:
        """The row's name where it must be told apart: ``Desk (3)``."""
        return f"{self.label.split(' ', 1)[1]} ({self.number})"


ROLE_NAMES: dict[Role, str] = {
    "start": "Start",
    "reserved": "Reserved",
    "system": "System",
    "data": "Data",
    "recovery": "Recovery",
    "tools": "Tools",
    "swap": "Swap",
    "unknown": "Partition",
}


def rows_of(disk: Disk, table: PlannedTable, options: Options) -> tuple[list[Row], Roles]:
    """Rows in their order on the target. Raises BadOption or OutOfBounds where an option cannot be followed."""
    _check_numbers(disk, options)
    roles = propose_roles(disk, dict(options.roles))
    reader = _RowReader(disk, table, options, roles)
    rows = [reader.row(partition) for partition in _in_order(disk.rows, options.order)]
    if table == "gpt" and disk.table == "mbr":
        rows = _as_gpt(rows, options.grain_bytes)
    if table == "mbr" and disk.table == "gpt":
        _check_as_mbr(rows)
    _check_table_limits(rows, table)
    return rows, roles


def _in_order(partitions: tuple[Partition, ...], order: tuple[int, ...]) -> list[Partition]:
    """Source order, or the user's; rows that the user's order does not name follow in source order."""
    if not order:
        return list(partitions)
    place = {number: i for i, number in enumerate(order)}
    return sorted(partitions, key=lambda p: place.get(p.number, len(place)))


def _check_numbers(disk: Disk, options: Options) -> None:
    if not options.names_rows:
        return
    known = {p.number for p in disk.rows}
    for kind in ROW_OPTIONS:
        for number in kind.rows_of(kind.of(options)):
            if number not in known:
                raise BadOption(
                    f"the source has no partition {number}",
                    at=f"options.{kind.key}",
                    mend="use one of " + ", ".join(map(str, sorted(known))) if known else "drop the option",
                )
    for number in options.hold & ({n for n, _ in options.pins} | options.elastic):
        raise BadOption(
            f"partition {number} is held and also pinned or elastic", at="options.hold", mend="take one of the two out"
        )


class _RowReader:
    """Reads one partition after the other under the same options."""

    def __init__(self, disk: Disk, table: PlannedTable, options: Options, roles: Roles) -> None:
        self.disk = disk
        self.sector = disk.logical_sector_bytes
        self.keeps_logicals = table == "mbr"
        self.options = options
        self.roles = roles.by_number
        self.pins = dict(options.pins)
        self.lighten = dict(options.lighten)
        self.grain = options.grain_bytes

    def row(self, partition: Partition) -> Row:
        number, fs, options = partition.number, partition.filesystem, self.options
        role = self.roles[number]
        ability = ability_of(partition, reserved=role == "reserved")
        source_bytes, grain = partition.sectors * self.sector, self.grain
        base = ceiling = div_up(source_bytes, grain)
        used = 0 if ability.made_new else fs.used_bytes if fs is not None else None
        resizable = ability.smaller or ability.larger
        may_change = role in ELASTIC_ROLES or number in options.elastic
        elastic = resizable and used is not None and may_change and number not in options.hold
        if not elastic and number in options.elastic:
            raise BadOption(why_held(partition), at=f"options.elastic[{number}]", mend="hold it or leave it behind")
        floors = None
        if resizable:
            if used is not None:
                floors = floors_for(partition, role, ability, source_bytes, options, self.lighten.get(number, 0))
            limit = ceiling_bytes(self.disk, partition, ability) // grain
            ceiling = limit if limit > base else base
        pin = self._pin(partition, floors, base, ceiling) if number in self.pins else None
        carried, logical = number not in options.leave, partition.logical and self.keeps_logicals
        return Row(
            number, partition, fs, role, ability, carried, elastic, logical, source_bytes, base, ceiling, pin, floors,
            used is None and may_change, False,
        )  # fmt: skip

    def _pin(self, partition: Partition, floors: Floors | None, base: int, ceiling: int) -> int:
        """The pin in grains, rounded up, within its bounds (rule 6)."""
        wanted = self.pins[partition.number]
        size = max(1, div_up(wanted, self.grain))
        least = floors.hard if floors else base
        if least <= size <= ceiling:
            return size
        bound, word = (least, "under") if size < least else (ceiling, "over")
        if floors is None:
            reason = why_held(partition)
        else:
            reason = "its hard floor" if word == "under" else "the most its file system can fill"
        raise OutOfBounds(
            f"{format_size(wanted)} is {word} {format_size(bound * self.grain)}, {reason}",
            at=f"options.pin[{partition.number}]",
            mend=f"give at {'least' if word == 'under' else 'most'} {bound * self.grain // MiB} MiB",
            bound_bytes=bound * self.grain,
        )


def floors_for(
    partition: Partition, role: Role, ability: Ability, source_bytes: int, options: Options, lightened: int
) -> Floors:
    """Rule 5 with ``lightened`` bytes taken out by an option; what is made new carries nothing, nothing holds it up."""
    carried, immovable, minimum, shed = 0, 0, 0, 0
    fs = partition.filesystem
    if fs is not None and not ability.made_new:
        carried = fs.used_bytes or 0
        if fs.lightened:
            lightened += sum([item.bytes for item in fs.lightened])
        if partition.number not in options.cleared:
            immovable = fs.immovable_end_byte or 0
        if fs.kind in HAS_LEAST or fs.told_by == "resizer":
            minimum, shed = least_bytes(fs, source_bytes, lightened), shed_bytes(fs, lightened)
        carried -= lightened
    return floors_of(
        carried if carried > 0 else 0,
        source_bytes,
        role,
        ability.smaller,
        immovable,
        minimum,
        options.headroom,
        options.grain_bytes,
        shed,
        is_exact=fs is not None and fs.kind in WITHOUT_SLACK,
    )


def why_held(partition: Partition) -> str:
    """Why a partition keeps its size, in words."""
    state, fs = state_of(partition), partition.filesystem
    if state in BLOCKING:
        return f"partition {partition.number} is {state} and may not be resized"
    if not any(ability_of(partition, reserved=False)[:2]):
        return f"the file system of partition {partition.number} cannot be resized"
    if fs is None or fs.used_bytes is None:
        return f"the used space of partition {partition.number} is not known"
    return f"partition {partition.number} is held"


def _as_gpt(rows: list[Row], grain: Bytes) -> list[Row]:
    """MBR to GPT: a start row and, for Windows, a reserved row are made; the old start row is dropped (rule 7.4)."""
    if not any(row.role == "system" and row.carried for row in rows):
        return rows
    windows = any(row.role == "system" and row.partition and kind_of(row.partition) in WINDOWS_KINDS for row in rows)
    number = max(row.number for row in rows) + 1
    made = [_made_row(number, "start", START_ROW_BYTES, grain)]
    if windows:
        made.append(_made_row(number + 1, "reserved", RESERVED_ROW_BYTES, grain))
    return made + [_dropped(row) if row.role == "start" else row for row in rows]


def _made_row(number: int, role: Role, size: int, grain: Bytes) -> Row:
    grains = div_up(size, grain)
    made = FIXED._replace(made_new=True)
    return Row(number, None, None, role, made, True, False, False, 0, grains, grains, None, None)


def _dropped(row: Row) -> Row:
    return row._replace(carried=False, elastic=False, logical=False, pin=None, dropped=row.carried)


def _check_as_mbr(rows: list[Row]) -> None:
    if any(row.role == "system" and row.carried for row in rows):
        raise BadOption(
            "a disk with a system row cannot go from GPT to MBR",
            at="options.table",
            mend="keep the table, or leave the system row behind",
        )


def _check_table_limits(rows: list[Row], table: PlannedTable) -> None:
    carried = [row for row in rows if row.carried]
    if table == "gpt" and len(carried) > GPT_ENTRIES:
        raise BadOption(
            f"{len(carried)} rows are more than the {GPT_ENTRIES} of a GPT",
            at="options.table",
            mend="leave some behind",
        )
    if table == "mbr":
        places = [i for i, row in enumerate(carried) if row.logical]
        primaries = len(carried) - len(places)
        if primaries + bool(places) > MBR_ENTRIES:
            raise BadOption(
                f"an MBR holds four entries and {primaries} rows need one each"
                + (", besides the extended partition" if places else ""),
                at="options.table",
                mend="leave some behind or change the table to gpt",
            )
        if places and places[-1] - places[0] + 1 != len(places):
            raise BadOption(
                "the logical rows must stand next to each other", at="options.order", mend="move the primary rows out"
            )
