"""Whether a disk contradicts itself: overlaps, what lies outside, more than its table can hold."""

from dataclasses import fields, replace
from itertools import pairwise
from typing import Any, TypeVar

from ..errors import BadSurvey
from ..plain import plain_line
from ..sizes import MAX_BYTES, format_size
from .model import SECTOR_SIZES, Disk, FileSystem, Lightened, Partition

MAX_PRIMARIES = 4
Part = TypeVar("Part", Disk, Partition, FileSystem, Lightened)
# The texts of each part of a survey: a label may hold anything, and must read as what it is wherever it is shown.
TEXTS = {kind: [f.name for f in fields(kind) if f.type is str] for kind in (Disk, Partition, FileSystem, Lightened)}


def checked(disk: Disk) -> Disk:
    """``disk`` with its partitions in the order of their starts and its texts made harmless.

    Raises BadSurvey where it contradicts itself.
    """
    if disk.sectors <= 0:
        raise BadSurvey("a disk must have at least one sector", at="disk.sectors", mend="give the disk's sector count")
    if disk.logical_sector_bytes not in SECTOR_SIZES:
        raise BadSurvey(
            f"{disk.logical_sector_bytes} is not a sector size", at="disk.logical_sector_bytes", mend="use 512 or 4096"
        )
    if disk.size_bytes > MAX_BYTES:
        raise BadSurvey(
            "the disk would be over 2^63 - 1 bytes", at="disk.sectors", mend="check the count and the sector size"
        )
    if 0 in disk.read_rates:
        at = f"disk.read_rates[{disk.read_rates.index(0)}]"
        raise BadSurvey("a disk gives at least a byte a second", at=at, mend="leave out rates that are not known")
    _check_numbers(disk)
    places = {p.number: i for i, p in enumerate(disk.partitions)}
    for index, partition in enumerate(disk.partitions):
        _check_partition(disk, partition, f"disk.partitions[{index}]")
    ordered = tuple(sorted(map(_plain_partition, disk.partitions), key=lambda p: (p.first_lba, not p.is_container)))
    _check_overlaps(ordered, places)
    if disk.table == "mbr":
        _check_mbr(ordered, places)
    return _plain(disk).but(partitions=ordered)


def _plain(part: Part) -> Part:
    texts = ((name, getattr(part, name)) for name in TEXTS[type(part)])
    # Whichever of the part's texts they are: names are only known when the table is read.
    changed: dict[str, Any] = {name: plain_line(text) for name, text in texts if not text.isprintable()}
    return replace(part, **changed) if changed else part


def _plain_partition(partition: Partition) -> Partition:
    made, fs = _plain(partition), partition.filesystem
    if fs is None:
        return made
    plain = _plain(fs)
    lightened = tuple(map(_plain, fs.lightened))
    if lightened != fs.lightened:
        plain = plain.but(lightened=lightened)
    return made if plain is fs else made.but(filesystem=plain)


def _check_numbers(disk: Disk) -> None:
    if disk.table == "none" and disk.partitions:
        raise BadSurvey("a disk without a table cannot have partitions", at="disk.table", mend="say gpt or mbr")
    if disk.table == "gpt" and len(disk.partitions) > 128:
        raise BadSurvey(
            f"{len(disk.partitions)} partitions are more than the 128 of a GPT",
            at="disk.partitions",
            mend="check the listing",
        )
    seen: dict[int, int] = {}
    for index, partition in enumerate(disk.partitions):
        if partition.number in seen:
            raise BadSurvey(
                f"number {partition.number} is already taken by disk.partitions[{seen[partition.number]}]",
                at=f"disk.partitions[{index}].number",
                mend="give each partition a number of its own",
            )
        seen[partition.number] = index


def _check_partition(disk: Disk, partition: Partition, at: str) -> None:
    stop = partition.extent.stop
    if partition.sectors <= 0:
        raise BadSurvey(
            "a partition must have at least one sector", at=f"{at}.sectors", mend="correct it or leave the entry out"
        )
    if partition.first_lba <= 0:
        raise BadSurvey(
            "a partition cannot begin before sector 1, where the table stands",
            at=f"{at}.first_lba",
            mend="correct the start",
        )
    if stop > disk.sectors:
        raise BadSurvey(
            f"partition {partition.number} ends at sector {stop}, past the disk's end at {disk.sectors}",
            at=f"{at}.sectors",
            mend="check the disk's sector count and the partition's size",
        )
    if partition.logical and disk.table != "mbr":
        raise BadSurvey("only an MBR disk has logical partitions", at=f"{at}.logical", mend="say false")
    if partition.is_container and disk.table != "mbr":
        raise BadSurvey("only an MBR disk has an extended partition", at=f"{at}.type", mend="give the GPT type GUID")
    if partition.filesystem is not None:
        _check_filesystem(disk, partition, partition.filesystem, f"{at}.filesystem")


# Figures of a file system that are never more than its partition.
WITHIN_ITS_SIZE = (
    "size_bytes", "used_bytes", "last_used_byte", "immovable_end_byte", "allocated_bytes", "least_bytes",
    "told_least_bytes",
)  # fmt: skip


def _check_filesystem(disk: Disk, partition: Partition, fs: FileSystem, at: str) -> None:
    size = partition.sectors * disk.logical_sector_bytes
    for name in WITHIN_ITS_SIZE:
        value = getattr(fs, name)
        if value is not None and value > size:
            raise BadSurvey(
                f"{format_size(value)} is more than the partition's {format_size(size)}",
                at=f"{at}.{name}",
                mend="check which of the two is right",
            )


def _check_overlaps(ordered: tuple[Partition, ...], places: dict[int, int]) -> None:
    containers = [p for p in ordered if p.is_container]
    for kind in (containers, [p for p in ordered if not p.is_container]):
        for before, after in pairwise(kind):
            if after.first_lba < before.extent.stop:
                raise _overlap(before, after, places)
    for container in containers:
        for partition in ordered:
            apart = partition.first_lba >= container.extent.stop or partition.extent.stop <= container.first_lba
            if not (partition.logical or partition.is_container or apart):
                raise _overlap(container, partition, places)


def _overlap(before: Partition, after: Partition, places: dict[int, int]) -> BadSurvey:
    return BadSurvey(
        f"partition {after.number} begins at sector {after.first_lba}, "
        f"inside partition {before.number} that ends at {before.extent.stop - 1}",
        at=f"disk.partitions[{places[after.number]}].first_lba",
        mend="correct one of the two",
    )


def _check_mbr(ordered: tuple[Partition, ...], places: dict[int, int]) -> None:
    logicals = [p for p in ordered if p.logical]
    containers = [p for p in ordered if p.is_container]
    primaries = [p for p in ordered if not (p.logical or p.is_container)]
    _check_entries(len(primaries), len(containers), has_extended=bool(logicals or containers))
    for container in containers:
        _check_inside(container, logicals, places)
    if logicals:
        _check_between(primaries, logicals, places)


def _check_entries(primaries: int, containers: int, *, has_extended: bool) -> None:
    if containers > 1:
        raise BadSurvey(
            "an MBR holds one extended partition only", at="disk.partitions", mend="leave the second one out"
        )
    if primaries + has_extended > MAX_PRIMARIES:
        more = " and an extended partition" if has_extended else ""
        raise BadSurvey(
            f"an MBR holds four entries, this one has {primaries} primaries{more}",
            at="disk.partitions",
            mend="mark those inside the extended partition as logical",
        )


def _check_inside(container: Partition, logicals: list[Partition], places: dict[int, int]) -> None:
    for logical in logicals:
        if logical.first_lba < container.first_lba or logical.extent.stop > container.extent.stop:
            raise BadSurvey(
                f"logical partition {logical.number} stands outside the extended partition {container.number}",
                at=f"disk.partitions[{places[logical.number]}].first_lba",
                mend="correct its start or the extended partition's size",
            )


def _check_between(primaries: list[Partition], logicals: list[Partition], places: dict[int, int]) -> None:
    for primary in primaries:
        if logicals[0].first_lba < primary.first_lba < logicals[-1].first_lba:
            raise BadSurvey(
                f"primary partition {primary.number} stands between logical partitions",
                at=f"disk.partitions[{places[primary.number]}].first_lba",
                mend="mark it as logical or correct its start",
            )
