"""A survey put right by hand: used space, the immovable end, what need not go over, the disk's size."""

import re
from dataclasses import replace
from typing import NamedTuple

from ...formats.options import target_from_text
from ...formats.typed_rows import read_number, read_used
from ..disk.check import checked
from ..disk.listing import with_size
from ..disk.model import FileSystem, Lightened, Partition, Survey
from ..errors import BadSurvey, YlemorphError
from ..sizes import Bytes, format_size

MOST_LINES = 10_000
# ``du -b`` writes bytes, a tab and the path; a person writes the size with a unit before or after the name.
_DU_LINE = re.compile(r"^\s*(\d+)\s+(\S.*)$")
_SIZE_FIRST = re.compile(r"^\s*([\d.,]+\s*[KMGTP](?:i?B)?)\s+(\S.*)$", re.IGNORECASE)
_SIZE_LAST = re.compile(r"^\s*(\S.*?)[\s:=]+([\d.,]+\s*[KMGTP]?(?:i?B)?)\s*$", re.IGNORECASE)


class Amended(NamedTuple):
    """The survey as it is now, and what was done in words."""

    survey: Survey
    sentence: str


def type_size(survey: Survey, text: str) -> Amended:
    """The disk's own size, where a listing had none: a nominal size or sectors (rule 1.3)."""
    try:
        wanted = target_from_text(text, survey.disk.logical_sector_bytes)
        made = with_size(survey, wanted.sectors)
    except YlemorphError as error:
        raise BadSurvey(error.problem, at="size", mend=error.mend) from None
    return Amended(made, f"Size of the source typed as {format_size(wanted.size_bytes, 'decimal')}")


def type_used(survey: Survey, number: int, text: str, bare: str) -> Amended:
    """Used space of a partition; its usage map goes, since it speaks of another figure."""
    partition = _partition(survey, number)
    fs = partition.filesystem or FileSystem("unknown")  # typing a figure tells nothing of the kind
    size = partition.sectors * survey.disk.logical_sector_bytes
    used = read_used(text, size, "used", bare)
    if used is not None and used > size:
        raise BadSurvey(
            f"{format_size(used)} is more than the partition's {format_size(size)}",
            at="used",
            mend="check which of the two is right",
        )
    if used != fs.used_bytes:
        fs = fs.but(
            used_bytes=None if used is None else Bytes(used),
            usage_map=None,
            last_used_byte=None,
            data_end_byte=None,
            used_kind="unknown" if used is None else "typed",
            ext=None,
            allocated_bytes=None,
        )
    if fs == FileSystem("unknown"):
        return Amended(survey, f"Used space of {_name(partition)} is not known")
    said = "taken out" if used is None else f"typed as {format_size(used)}"
    return Amended(_with(survey, number, fs), f"Used space of {_name(partition)} {said}")


def type_immovable(survey: Survey, number: int, text: str, bare: str) -> Amended:
    """Where data that cannot be moved ends, from the partition's start; empty clears it (rule 5.3)."""
    partition = _partition(survey, number)
    size = partition.sectors * survey.disk.logical_sector_bytes
    end = read_number(text, "immovable", bare)
    if end > size:
        raise BadSurvey(
            f"{format_size(end)} is past the partition's end at {format_size(size)}",
            at="immovable",
            mend="count it from the partition's start",
        )
    fs = (partition.filesystem or FileSystem("unknown")).but(immovable_end_byte=Bytes(end) if end else None)
    said = f"typed as {format_size(end)}" if end else "cleared"
    return Amended(_with(survey, number, fs), f"Immovable end of {_name(partition)} {said}")


def list_lightened(survey: Survey, number: int, text: str) -> Amended:
    """What need not go over: a line each with size and name, typed or from ``du -b`` (rule 5.1)."""
    partition = _partition(survey, number)
    fs = partition.filesystem
    if fs is None or fs.used_bytes is None:
        raise BadSurvey(
            f"the used space of partition {number} is not known", at="lightened", mend="type its used space first"
        )
    items = read_lightened(text)
    total = sum(item.bytes for item in items)
    if total > fs.used_bytes:
        raise BadSurvey(
            f"{format_size(total)} in the list are more than the {format_size(fs.used_bytes)} used",
            at="lightened",
            mend="list a folder or what is in it, not both",
        )
    said = (
        f"{format_size(total)} of {_name(partition)} stay behind" if items else f"All of {_name(partition)} goes over"
    )
    return Amended(_with(survey, number, fs.but(lightened=items)), said)


def read_lightened(text: str) -> tuple[Lightened, ...]:
    """Names and sizes; ``du``'s lines in bytes, or with a unit before or after the name. Raises BadSurvey by line."""
    lines = text.splitlines()
    if len(lines) > MOST_LINES:
        raise BadSurvey(f"{len(lines)} lines are too many", at="lightened", mend="list folders rather than files")
    found = []
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        first, du, last = _SIZE_FIRST.match(line), _DU_LINE.match(line), _SIZE_LAST.match(line)
        name, size = (
            (first[2], first[1]) if first else (du[2], du[1]) if du else (last[1], last[2]) if last else ("", "")
        )
        if not name:
            raise BadSurvey(
                f"“{line.strip()[:40]}” has no size", at=f"lightened, line {number}", mend="write: old videos 38 GiB"
            )
        value = read_number(size, f"lightened, line {number}", "b")
        found.append(Lightened(name.strip()[:400], Bytes(value)))
    return tuple(found)


def _partition(survey: Survey, number: int) -> Partition:
    for partition in survey.disk.rows:
        if partition.number == number:
            return partition
    raise BadSurvey(f"the disk has no partition {number}", at="number", mend="load the page again")


def _name(partition: Partition) -> str:
    return f"{partition.label or 'partition'} ({partition.number})"


def _with(survey: Survey, number: int, fs: FileSystem) -> Survey:
    partitions = tuple(p.but(filesystem=fs) if p.number == number else p for p in survey.disk.partitions)
    return replace(survey, disk=checked(replace(survey.disk, partitions=partitions)))
