"""What the source screen says of each row before a target is known: its floors, and what stands in their way."""

from typing import NamedTuple

from ..disk.filesystems import BLOCKING, KIND_NAMES, is_estimate, kind_of, state_of
from ..disk.model import Disk
from ..sizes import Units, format_size
from .frame import planned_table
from .options import Options
from .packing import bytes_past
from .rows import Row, rows_of


class RowLook(NamedTuple):
    """Floors in bytes, None where nothing may be resized; ``past`` is what lies past the hard floor, None: unknown."""

    row: Row
    hard_bytes: int | None
    comfort_bytes: int | None
    past_bytes: int | None

    def sentence(self, units: Units = "binary") -> str:
        """How small the row could be, and what has to happen first."""
        fixed = self._fixed()
        if fixed or self.hard_bytes is None:
            return fixed
        least = format_size(self.hard_bytes, units)
        if self.row.fs is not None and is_estimate(self.row.fs):
            least = f"about {least}"
        if self.row.floors is not None and self.row.floors.binding == "immovable":
            return f"It cannot go under {least}: something that cannot be moved ends there." + self._told(units)
        return self._chunks(units) + self._with_past(least, units) + self._told(units)

    def _told(self, units: Units) -> str:
        """What the running system itself says, where it was asked."""
        fs = self.row.fs
        if fs is None or fs.told_least_bytes is None:
            return ""
        least = format_size(fs.told_least_bytes, units)
        if fs.told_by == "windows":
            pinned = f"; {', '.join(fs.pinning)} stays where it is" if fs.pinning else ""
            return f" Windows itself makes it no smaller than {least}{pinned}."
        return f" Its own resizer says {least}."

    def _chunks(self, units: Units) -> str:
        """btrfs: what files use says little, what is given to chunks counts."""
        fs = self.row.fs
        if fs is None or fs.allocated_bytes is None or fs.used_bytes is None:
            return ""
        used, given = format_size(fs.used_bytes, units), format_size(fs.allocated_bytes, units)
        return f"Files use {used}, and {given} are given to chunks. "

    def _with_past(self, least: str, units: Units) -> str:
        if self.past_bytes is None:
            return f"It could go down to {least}. How much lies past that is not known."
        if self.past_bytes == 0:
            return f"It could go down to {least}, and nothing lies past that."
        past = format_size(self.past_bytes, units)
        return f"{past} lie past {least} and must be packed before it can be that small."

    def _fixed(self) -> str:
        """Why the row cannot be made smaller at all; empty where it can."""
        row = self.row
        if row.partition is None or row.is_made:
            return "It is made new on the target."
        state, kind = state_of(row.partition), kind_of(row.partition)
        if state in BLOCKING:
            return f"It is {state} and stays as it is."
        if row.used_unknown or (row.floors is None and row.ability.larger):
            return "Its used space is not known, so it stays as large as it is."
        if row.floors is None:
            known = kind != "unknown"
            return f"{KIND_NAMES[kind]} cannot be resized." if known else "Nothing is known of what it holds."
        if not row.ability.smaller:
            return f"{KIND_NAMES[kind]} cannot be made smaller."
        return "It is too full to be made smaller." if row.floors.binding == "source" else ""


def look_at(source: Disk, options: Options) -> tuple[RowLook, ...]:
    """Each row of the source under the job's headroom and roles (rules 5.3, 5.4 and 9.2)."""
    rows, _ = rows_of(source, planned_table(source.table, options), options)
    return tuple(_look(row, options.grain_bytes) for row in rows)


def _look(row: Row, grain: int) -> RowLook:
    if row.floors is None or row.is_made:
        return RowLook(row, None, None, None)
    hard, comfort = row.floors.hard * grain, row.floors.comfort * grain
    return RowLook(row, hard, comfort, bytes_past(row.partition, hard, row.source_bytes))
