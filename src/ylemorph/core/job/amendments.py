"""Changes that put the source's survey right by hand: used space, immovable end, what need not go over, its size."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ..disk.check import checked
from ..disk.listing import with_size
from ..disk.model import FileSystem, Lightened, Partition, Survey
from ..errors import BadOption, BadSurvey
from ..sizes import Bytes, format_size
from .change import Applied, Change
from .state import JobState


@dataclass(frozen=True, slots=True)
class SetDiskSize(Change):
    """The source's own size, where a listing had none (rule 1.3)."""

    key: ClassVar[str] = "disk-size"
    sectors: int

    def make(self, state: JobState) -> Applied:
        survey = with_size(source_of(state), self.sectors)
        return Applied(
            state.but(source=survey), f"Size of the source typed as {format_size(survey.disk.size_bytes, 'decimal')}"
        )


@dataclass(frozen=True, slots=True)
class SetUsed(Change):
    """Used space of a partition, None where it is not known; what speaks of another figure goes."""

    key: ClassVar[str] = "used"
    row: int
    used: Bytes | None

    def make(self, state: JobState) -> Applied:
        partition = partition_of(state, self.row)
        fs = partition.filesystem or FileSystem("unknown")  # typing a figure tells nothing of the kind
        size = partition.sectors * source_of(state).disk.logical_sector_bytes
        _check_within(self.used, size, "used")
        if self.used != fs.used_bytes:
            fs = fs.but(
                used_bytes=self.used,
                used_kind="unknown" if self.used is None else "typed",
                usage_map=None,
                last_used_byte=None,
                data_end_byte=None,
                ext=None,
                allocated_bytes=None,
            )
        elif partition.filesystem is None:
            return Applied(state, f"Used space of {_name(partition)} is not known")
        words = "taken out" if self.used is None else f"typed as {format_size(self.used)}"
        return _with(state, self.row, fs, f"Used space of {_name(partition)} {words}")


@dataclass(frozen=True, slots=True)
class SetImmovableEnd(Change):
    """Where data that cannot be moved ends, from the partition's start; 0 clears it (rule 5.3)."""

    key: ClassVar[str] = "immovable"
    row: int
    end: Bytes

    def make(self, state: JobState) -> Applied:
        partition = partition_of(state, self.row)
        size = partition.sectors * source_of(state).disk.logical_sector_bytes
        if self.end > size:
            raise BadSurvey(
                f"{format_size(self.end)} is past the partition's end at {format_size(size)}",
                at="immovable",
                mend="count it from the partition's start",
            )
        fs = (partition.filesystem or FileSystem("unknown")).but(immovable_end_byte=self.end or None)
        words = f"typed as {format_size(self.end)}" if self.end else "cleared"
        return _with(state, self.row, fs, f"Immovable end of {_name(partition)} {words}")


@dataclass(frozen=True, slots=True)
class ListLightened(Change):
    """What of a partition need not go over, folder by folder (rule 5.1)."""

    key: ClassVar[str] = "lightened"
    row: int
    items: tuple[Lightened, ...]

    def make(self, state: JobState) -> Applied:
        partition = partition_of(state, self.row)
        fs = partition.filesystem
        if fs is None or fs.used_bytes is None:
            raise BadSurvey(
                f"the used space of partition {self.row} is not known", at="lightened", mend="type its used space first"
            )
        total = sum(item.bytes for item in self.items)
        if total > fs.used_bytes:
            raise BadSurvey(
                f"{format_size(total)} in the list are more than the {format_size(fs.used_bytes)} used",
                at="lightened",
                mend="list a folder or what is in it, not both",
            )
        name = _name(partition)
        words = f"{format_size(total)} of {name} stay behind" if self.items else f"All of {name} goes over"
        return _with(state, self.row, fs.but(lightened=self.items), words)


def source_of(state: JobState) -> Survey:
    if state.source is None:
        raise BadOption("there is no source yet", mend="read the source first")
    return state.source


def partition_of(state: JobState, number: int) -> Partition:
    for partition in source_of(state).disk.rows:
        if partition.number == number:
            return partition
    raise BadSurvey(f"the disk has no partition {number}", at="row", mend="load the page again")


def _check_within(value: int | None, size: int, at: str) -> None:
    if value is not None and value > size:
        raise BadSurvey(
            f"{format_size(value)} is more than the partition's {format_size(size)}",
            at=at,
            mend="check which of the two is right",
        )


def _name(partition: Partition) -> str:
    return f"{partition.label or 'partition'} ({partition.number})"


def _with(state: JobState, number: int, fs: FileSystem, sentence: str) -> Applied:
    survey = source_of(state)
    partitions = tuple(p.but(filesystem=fs) if p.number == number else p for p in survey.disk.partitions)
    made = replace(survey, disk=checked(survey.disk.but(partitions=partitions)))
    return Applied(state.but(source=made), sentence)
