"""A disk from a listing that leaves things out: what is missing is named, and two listings can be merged.

A listing is what a utility or a person wrote down; unlike a survey it may lack the disk's size or the used space.
"""

import re
from collections.abc import Iterable
from dataclasses import fields, replace
from typing import Any, NamedTuple

from ..errors import BadSurvey
from ..sizes import format_size
from .check import checked
from .filesystems import ABILITIES, is_sealed
from .model import MOST_NUMBER, Disk, FileSystem, Partition, Survey, known
from .roles import ROLE_BY_TYPE
from .usual_sizes import smallest_holding

# A type as an MBR and as a GPT has it.
TYPE_SHAPE = (re.compile(r"0x[0-9A-F]{2}"), re.compile(r"[0-9A-F]{8}(?:-[0-9A-F]{4}){3}-[0-9A-F]{12}"))


class Listed(NamedTuple):
    """A disk of a listing: what the listing calls it, its survey, and sentences on what it leaves open."""

    name: str
    survey: Survey
    missing: tuple[str, ...]


class Unreadable(NamedTuple):
    """A disk of a listing that cannot be used, and why; it does not spoil the others."""

    name: str
    error: BadSurvey


def complete_listing(name: str, disk: Disk, *, size_known: bool = True, taken: str = "") -> Listed:
    """Check the disk and say what is missing. Where its own size is not known, the smallest usual size is taken."""
    disk = replace(disk, partitions=tuple(_with_places(disk.partitions)))
    missing = []
    if not size_known:
        held = max((p.extent.stop for p in disk.partitions), default=0) * disk.logical_sector_bytes
        if not held:
            raise BadSurvey("the listing has neither partitions nor a size", mend="take the listing of the whole disk")
        disk = replace(disk, sectors=smallest_holding(held, disk.logical_sector_bytes).sectors)
        missing.append(
            f"The disk's own size is not in the listing. It is taken as {format_size(disk.size_bytes, 'decimal')}, the "
            "smallest usual size that holds these partitions."
        )
    disk = checked(disk)
    for partition in disk.partitions:
        if not 1 <= partition.number <= MOST_NUMBER:
            raise BadSurvey(
                f"{partition.number} is no number of a partition", mend="number them from 1, or leave the numbers out"
            )
        if not TYPE_SHAPE[disk.table == "gpt"].fullmatch(partition.type):
            raise BadSurvey(
                f"partition {partition.number} has the type “{partition.type[:40]}”, which a "
                f"{'GPT' if disk.table == 'gpt' else 'MBR'} does not know",
                mend="take the listing again as an administrator (root)",
            )
    without = [p.number for p in disk.rows if _wants_used(p)]
    if without:
        numbers = ", ".join(map(str, without))
        missing.append(
            f"The used space of {'partition' if len(without) == 1 else 'partitions'} {numbers} is not in the listing: "
            "add a second listing that has it, or type it."
        )
    return Listed(name, Survey(disk, taken), tuple(missing))


def _wants_used(partition: Partition) -> bool:
    """Whether a row would change its size if only its used space were known (rule 4.2)."""
    fs = partition.filesystem
    if (partition.role or ROLE_BY_TYPE.get(partition.type, "data")) not in ("system", "data"):
        return False
    return fs is not None and fs.used_bytes is None and ABILITIES[fs.kind].larger and fs.kind != "swap"


def _with_places(partitions: Iterable[Partition]) -> Iterable[Partition]:
    """Logicals are those inside the extended partition, whose size some listings give as that of its first record."""
    every = list(partitions)
    container = next((p for p in every if p.is_container), None)
    if container is None:
        return every
    inner = [p for p in every if p.number > 4 and p.first_lba > container.first_lba]
    stop = max([container.extent.stop, *(p.extent.stop for p in inner)])
    container_whole = container.but(sectors=stop - container.first_lba)
    return [
        container_whole
        if p is container
        else p.but(logical=p.first_lba > container.first_lba and p.extent.stop <= stop)
        for p in every
    ]


def with_size(survey: Survey, sectors: int) -> Survey:
    """The survey with the disk's size as typed."""
    return replace(survey, disk=checked(replace(survey.disk, sectors=sectors)))


class Merged(NamedTuple):
    """Two surveys as one, and a sentence for each fact in which they differ."""

    survey: Survey
    conflicts: tuple[str, ...]


def merge(first: Survey, second: Survey) -> Merged:
    """Fill what ``first`` leaves open from ``second``, partitions matched by start, else by number and size.

    Where both know a fact of a file system and differ, the second is taken and the difference said. Raises BadSurvey
    where no partition matches: they are listings of two disks.
    """
    if not second.disk.partitions and second.disk.table == "none":
        return _with_facts(first, second)
    pairs = {p.number: _match(p, first.disk, second.disk) for p in first.disk.partitions}
    if first.disk.rows and not any(pairs.values()):
        raise BadSurvey(
            "none of its partitions starts where one of the disk does",
            mend="take a second listing of the same disk, or replace the survey as a whole",
        )
    conflicts: list[str] = []
    partitions = tuple(_merged(p, pairs[p.number], conflicts) for p in first.disk.partitions)
    for number in sorted(p.number for p in first.disk.rows if pairs[p.number] is None):
        conflicts.append(f"Partition {number} is not in the second listing and stays as it was.")
    disk = _filled(first.disk, second.disk).but(partitions=partitions)
    return Merged(Survey(checked(disk), second.taken or first.taken), tuple(conflicts))


# Facts of a disk that stay as they are when a second listing fills in the rest.
_GEOMETRY = frozenset(("sectors", "logical_sector_bytes", "table", "partitions", "table_notes", "filesystem"))


def _filled(a: Disk, b: Disk) -> Disk:
    return a.but(
        **{f.name: _either(getattr(a, f.name), getattr(b, f.name)) for f in fields(Disk) if f.name not in _GEOMETRY}
    )


def _with_facts(first: Survey, second: Survey) -> Merged:
    """A second listing that speaks of the disk alone: the same disk by its serial, or at least of the same size."""
    a, b = first.disk, second.disk
    same_serial = bool(a.serial and a.serial == b.serial)
    if not same_serial and (a.size_bytes != b.size_bytes or (a.serial and b.serial)):
        raise BadSurvey(
            f"it speaks of another disk ({b.model or 'no model'}, {format_size(b.size_bytes, 'decimal')})",
            mend="take the listing of the same disk",
        )
    disk = _filled(a, b).but(health=b.health or a.health)
    conflicts: tuple[str, ...] = ()
    if a.size_bytes != b.size_bytes and a.logical_sector_bytes == b.logical_sector_bytes:
        disk = disk.but(sectors=b.sectors)
        was, now = (format_size(d.size_bytes, "decimal") for d in (a, b))
        conflicts = (f"The disk's size was {was} and is {now} in the second listing, which is taken.",)
    return Merged(Survey(checked(disk), second.taken or first.taken), conflicts)


def _match(partition: Partition, first: Disk, second: Disk) -> Partition | None:
    """The same partition in the other listing: same start, else same number, and about the same size."""
    byte, size = (value * first.logical_sector_bytes for value in (partition.first_lba, partition.sectors))
    near = [
        other
        for other in second.partitions
        if abs(other.sectors * second.logical_sector_bytes - size) <= max(1 << 20, size // 100)
    ]
    by_start = [other for other in near if other.first_lba * second.logical_sector_bytes == byte]
    by_number = [other for other in near if other.number == partition.number]
    return next(iter(by_start + by_number), None)


def _merged(partition: Partition, other: Partition | None, conflicts: list[str]) -> Partition:
    if other is None:
        return partition
    return partition.but(
        name=partition.name or other.name,
        uuid=partition.uuid or other.uuid,
        role=partition.role or other.role,
        flags=partition.flags | other.flags,
        filesystem=_merged_filesystem(partition, partition.filesystem, other.filesystem, conflicts),
    )


# Facts of a file system that two listings can state: the field, what it is called.
_FACTS = (
    ("kind", "file system"), ("label", "label"), ("used_bytes", "used space"), ("state", "state"),
    ("told_least_bytes", "least size that its system gives"), ("encryption", "encryption"),
)  # fmt: skip
# Figures that go with one figure of used space and contradict another.
_WITH_USED = ("usage_map", "used_kind", "ext", "allocated_bytes")


def _merged_filesystem(
    partition: Partition, a: FileSystem | None, b: FileSystem | None, conflicts: list[str]
) -> FileSystem | None:
    if a is None or b is None:
        return a or b
    opened = next((fs for fs, other in ((a, b), (b, a)) if is_sealed(fs) and other.kind == "bitlocker"), None)
    if opened is not None:
        return opened  # one volume: read from outside it is locked, listed by its own system it is open
    changes = {f.name: _either(getattr(a, f.name), getattr(b, f.name)) for f in fields(FileSystem)}
    for field, words in _FACTS:
        one, two = getattr(a, field), getattr(b, field)
        if _says(two):
            changes[field] = two
            if _says(one) and one != two:
                conflicts.append(
                    f"Partition {partition.number}: the {words} was {_said(one)} and is {_said(two)} in the second "
                    "listing, which is taken."
                )
    if changes["used_bytes"] != a.used_bytes:
        changes |= {field: getattr(b, field) for field in _WITH_USED}
    return a.but(**changes)


def _says(value: object) -> bool:
    return known(value) and value != "unknown"


def _either(one: Any, two: Any) -> Any:
    return one if _says(one) or not known(two) else two


def _said(value: object) -> str:
    return format_size(value) if isinstance(value, int) else f"“{value}”"
