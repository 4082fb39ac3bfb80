"""What the start of a machine asks of a plan (rules 7.3, 7.3b and 14): identity, rows that stay, what goes with them.

Identity is the GPT's GUID or the MBR's signature, and on a GPT the GUIDs of the partitions. The start data of a system
name it, so a disk with another one does not start; two disks with one and the same must never be attached at once.
"""

from collections.abc import Iterable, Sequence
from typing import Literal, NamedTuple

from ..disk.model import Disk
from ..disk.roles import BIOS_BOOT, WINDOWS_KINDS
from ..disk.starting import named_rows, names_its_start, starting_of
from ..disk.tables import PlannedTable
from .frame import Frame
from .options import Options
from .place import Placed, Wanted
from .rows import Row

# --- identity ---------------------------------------------------------------------------------------------------------

Identity = Literal["keep", "new"]


def planned_identity(source: Disk, table: PlannedTable, carried: Iterable[Row], options: Options) -> Identity:
    """Kept where a system goes over, new where none does; a table of another kind cannot have the old one."""
    if source.table != table:
        return "new"
    if options.in_place == "yes":
        return "keep"
    if options.identity != "as-needed":
        return options.identity
    return "keep" if any(row.role == "system" for row in carried) else "new"


# --- rows that stay ---------------------------------------------------------------------------------------------------

# What names the place: the start data of a legacy Windows, or the loader in a BIOS boot row.
Stay = Literal["start-data", "loader"]


def staying(source: Disk, table: PlannedTable, carried: Iterable[Row]) -> dict[int, Stay]:
    """By the row's number. A table of another kind has other start data anyway."""
    rows = [row for row in carried if row.partition is not None and not row.is_made]
    if source.table != table:
        return {}
    if table == "gpt":
        return {row.number: "loader" for row in rows if row.partition is not None and row.partition.type == BIOS_BOOT}
    if not any(row.role == "system" and row.fs is not None and row.fs.kind in WINDOWS_KINDS for row in rows):
        return {}
    return {row.number: "start-data" for row in rows if row.role in ("start", "system")}


def wanted_starts(
    source: Disk, stays: dict[int, Stay], carried: Iterable[Row], grain_bytes: int
) -> tuple[Wanted | None, ...] | None:
    """The start in grains and how much it counts for each row, the system most; None for one that starts off the
    grain, since on the target every row starts on it."""
    if not stays:
        return None
    sector = source.logical_sector_bytes

    def wanted(row: Row) -> Wanted | None:
        if row.number not in stays or row.partition is None:
            return None
        grain, rest = divmod(row.partition.first_lba * sector, grain_bytes)
        return None if rest else Wanted(grain, len(stays) if row.role == "system" else 1)

    return tuple([wanted(row) for row in carried])


# --- what goes over ---------------------------------------------------------------------------------------------------


class Moved(NamedTuple):
    """A row that something names by its place, and that stands elsewhere on the target; LBAs of either disk."""

    row: Row
    was: int
    now: int


class Lost(NamedTuple):
    """A row that the source's start data name and that will not be what they name; ``why`` in words."""

    row: Row
    why: str


class PlannedStart(NamedTuple):
    """``code``: the code of the first sector goes over, and what stands behind it as far as ``reach`` sectors; None
    where it is not known whether there is any. ``cut``: the target's first row stands where that code would.

    ``named``: rows whose boot sector names where they start; ``perhaps``: rows of an MBR of which that is not known.
    ``moved_data`` and ``moved_loaders``: rows that start data or a loader in them name, and that had to move;
    ``patched``: whether such a loader's numbers are known, so that they can be set anew. ``knows_data``: start data
    were read, and name rows of this disk; ``lost``: those rows of them that will not be found.
    """

    code: bool | None = False
    reach: int = 0
    cut: bool = False
    named: tuple[Moved, ...] = ()
    perhaps: tuple[Moved, ...] = ()
    moved_data: tuple[Moved, ...] = ()
    moved_loaders: tuple[Moved, ...] = ()
    patched: bool = False
    knows_data: bool = False
    lost: tuple[Lost, ...] = ()

    @property
    def placed_reach(self) -> int:
        """How far the code can stand on the target: the first sector alone where the first row stands in its way."""
        return 1 if self.cut else self.reach

    @property
    def loader_now(self) -> int | None:
        """Where a loader stands whose numbers are set anew."""
        return self.moved_loaders[0].now if self.patched else None

    @property
    def renamed(self) -> bool:
        """Whether something names, or may name, a place that is no longer the row's."""
        return any(m.was != m.now for m in (*self.named, *self.perhaps)) or self.patched


NOTHING = PlannedStart()


def planned_start(
    source: Disk, frame: Frame, rows: Sequence[Row], placed: Placed | None, stays: dict[int, Stay], identity: Identity
) -> PlannedStart:
    """Nothing where nothing fits. A table of another kind has another way to start, so no code goes over to it."""
    if placed is None:
        return NOTHING
    carried = [row for row in rows if row.carried]
    named: list[Moved] = []
    perhaps: list[Moved] = []
    data: list[Moved] = []
    loaders: list[Moved] = []
    for row, extent in zip(carried, placed.rows, strict=True):
        if row.partition is None or row.is_made:
            continue
        place = Moved(row, row.partition.first_lba, extent.start * frame.grain_sectors)
        names = names_its_start(row.partition)
        if names:
            named.append(place)
        elif names is None and frame.table == "mbr":  # a start in UEFI mode never asks for it
            perhaps.append(place)
        if place.was != place.now and row.number in stays:
            (data if stays[row.number] == "start-data" else loaders).append(place)
    first = min([extent.start - row.logical for row, extent in zip(carried, placed.rows, strict=True)], default=0)
    code, reach = _code(source, frame, carried)
    known = source.start_code.loader_lba if source.start_code is not None else None
    return PlannedStart(
        code,
        reach,
        reach > first * frame.grain_sectors,
        tuple(named),
        tuple(perhaps),
        tuple(data),
        tuple(loaders),
        any(place.was == known for place in loaders),
        *_start_data(source, frame, rows, placed, identity),
    )


def _start_data(
    source: Disk, frame: Frame, rows: Sequence[Row], placed: Placed, identity: Identity
) -> tuple[bool, tuple[Lost, ...]]:
    """Whether start data name rows of this disk, and those that will not be what they name. What they name elsewhere,
    or did long ago, is none of this disk's."""
    named = named_rows(source)
    if not named or source.table != frame.table:
        return bool(named), ()
    starts = iter(placed.rows)
    lost = []
    for row in rows:
        now = next(starts).start * frame.grain_sectors if row.carried else None
        if row.partition is None or row.partition.number not in named:
            continue
        if now is None or row.is_made:
            lost.append(Lost(row, "it is left behind" if now is None else "it is made new"))
        elif identity == "new":
            lost.append(Lost(row, "the target gets a new identity"))
        elif frame.table == "mbr" and now != row.partition.first_lba:
            lost.append(Lost(row, f"it moves from sector {row.partition.first_lba} to {now}"))
    return True, tuple(lost)


def _code(source: Disk, frame: Frame, carried: Sequence[Row]) -> tuple[bool | None, int]:
    """Whether code goes over, and its reach in sectors. On a GPT it only starts what a BIOS boot row goes on with."""
    if source.table != frame.table:
        return False, 0
    bios = any(row.partition is not None and row.partition.type == BIOS_BOOT for row in carried)
    if frame.table == "gpt" and not bios:
        return False, 0
    start, code = starting_of(source), source.start_code
    starts = bios or start.core_sectors > 0 or any(_starts(row) for row in carried)
    if code is None or not starts:
        return (None if starts else False), 0
    return code.sectors > 0, code.sectors


def _starts(row: Row) -> bool:
    marked = row.partition is not None and "active" in row.partition.flags
    return marked or row.role in ("start", "system")
