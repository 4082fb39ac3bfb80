"""A disk as surveyed: geometry, table, partitions, file systems. What is not known is None, never 0."""

from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, Literal, get_args

from .errors import BadSurvey
from .sizes import MAX_BYTES, Bytes, Extent, format_size

Table = Literal["gpt", "mbr", "none"]
Link = Literal["sata", "nvme", "usb2", "usb3", "network", "unknown"]
State = Literal["clean", "dirty", "hibernated", "damaged", "locked", "unknown"]
Flag = Literal["active", "hidden", "required", "no-auto"]
Role = Literal["start", "reserved", "system", "data", "recovery", "tools", "swap", "unknown"]
Kind = Literal[
    "ntfs", "fat16", "fat32", "exfat", "ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "refs",
    "apfs", "hfs+", "swap", "lvm", "luks", "bitlocker", "unknown",
]  # fmt: skip
# What a reader found about the table itself.
TableNote = Literal[
    "primary-damaged", "backup-missing", "backup-misplaced", "copies-differ", "gpt-lost", "no-protective-record",
    "hybrid", "chain-broken", "partition-cut-off", "array-member",
]  # fmt: skip
# What a reader found about a file system beside its state.
FileSystemNote = Literal["backup-boot-missing", "counts-differ", "bigalloc", "stable-inodes"]
HealthState = Literal["good", "worn", "failing", "unknown"]
# Where a figure of used space comes from (rule 5.1b): counted in the file system's own structures; as the mounted
# system counts it; typed by a person.
UsedKind = Literal["counted", "mounted", "typed", "unknown"]
ROLES: tuple[Role, ...] = get_args(Role)
STATES: tuple[State, ...] = get_args(State)

EXTENDED_TYPES = frozenset(("0x05", "0x0F", "0x85"))
MOST_TEXT = 400  # characters of a label, a name or a model
MOST_NUMBER = 9999  # of a partition


def fact(default: Any = ..., *, least: int = 0, most: int = MAX_BYTES, later: bool = False, given: bool = False) -> Any:
    """One fact of a survey and its bounds; the reader, the writer and the JSON Schema of a survey derive from these.

    ``most`` bounds a number or the length of a list. ``later``: not in the first version of the format, so written only
    where it says something. ``given``: a survey must state it, although the value has a usual one.
    """
    metadata = {"least": least, "most": most, "later": later, "given": given}
    return field(metadata=metadata) if default is ... else field(default=default, metadata=metadata)


@dataclass(frozen=True, slots=True)
class Lightened:
    """A folder or file that need not go over (rule 5.1)."""

    name: str
    bytes: Bytes = fact()


@dataclass(frozen=True, slots=True)
class UsageMap:
    """Used bytes in equal stretches of a partition, first to last; the last stretch may be short."""

    bucket_bytes: Bytes = fact(least=1)
    used: tuple[int, ...] = fact(most=65_536)


Backups = Literal["every", "sparse", "two"]


@dataclass(frozen=True, slots=True)
class ExtLayout:
    """Figures of an ext file system from which its least size follows (rule 5.3), in blocks unless named otherwise.

    ``data_blocks``: in use by files, folders and the journal, without the tables of the groups. ``descriptor_blocks``:
    behind each copy of the superblock, kept ones too. ``backups``: which groups hold such a copy. ``flex_groups``:
    groups whose tables stand together. ``meta_from``: first group whose descriptors stand in groups of ``meta_groups``.
    """

    block_bytes: Bytes = fact(least=1024, most=65_536)
    blocks: int = fact(least=1)
    first_block: int = fact(most=1)
    blocks_per_group: int = fact(least=1, most=2**32)
    inodes_per_group: int = fact(least=1, most=2**32)
    inodes_used: int = fact()
    inode_table_blocks: int = fact(most=2**32)
    data_blocks: int = fact()
    descriptor_blocks: int = fact(0, most=2**32)
    backups: Backups = fact("sparse")
    flex_groups: int = fact(1, least=1, most=2**31)
    extents: bool = fact(True)
    meta_from: int | None = fact(None)
    meta_groups: int = fact(1, least=1, most=65_536)


@dataclass(frozen=True, slots=True)
class FileSystem:
    """What a partition holds. All sizes in bytes, offsets from the partition's start.

    ``data_end_byte`` is ``last_used_byte`` without the file system's own records, ``end_owner`` says whose the last
    byte is; ``detail`` says what a kind alone does not; ``system_hint`` names what an operating system leaves there.
    ``allocated_bytes``: of the device, given to chunks whether full or not (btrfs).
    """

    kind: Kind
    label: str = ""
    uuid: str = ""
    cluster_bytes: Bytes | None = fact(None, least=1)
    size_bytes: Bytes | None = None
    used_bytes: Bytes | None = None
    last_used_byte: Bytes | None = None
    immovable_end_byte: Bytes | None = None
    state: State = "unknown"
    usage_map: UsageMap | None = None
    lightened: tuple[Lightened, ...] = fact((), most=10_000)
    data_end_byte: Bytes | None = fact(None, later=True)
    end_owner: str = fact("", later=True)
    detail: str = fact("", later=True)
    system_hint: str = fact("", later=True)
    used_kind: UsedKind = fact("unknown", later=True)
    allocated_bytes: Bytes | None = fact(None, later=True)
    ext: ExtLayout | None = fact(None, later=True)
    notes: tuple[FileSystemNote, ...] = fact((), most=20, later=True)

    def but(self, **changes: Any) -> "FileSystem":
        return replace(self, **changes)


@dataclass(frozen=True, slots=True)
class Partition:
    """One entry of the table. ``type`` is a GPT GUID in upper case or an MBR type as ``0x07``; LBAs are the disk's."""

    number: int = fact(least=1, most=MOST_NUMBER)
    first_lba: int = fact()
    sectors: int = fact()
    type: str = fact()
    logical: bool = False
    name: str = ""
    flags: frozenset[Flag] = fact(frozenset(), most=20)
    role: Role | None = None
    filesystem: FileSystem | None = None
    uuid: str = fact("", later=True)

    def but(self, **changes: Any) -> "Partition":
        return replace(self, **changes)

    @property
    def extent(self) -> Extent:
        return Extent(self.first_lba, self.first_lba + self.sectors)

    @property
    def is_container(self) -> bool:
        """The extended entry of an MBR disk: it holds logicals and is no row of its own."""
        return self.type in EXTENDED_TYPES

    @property
    def label(self) -> str:
        return (self.filesystem.label if self.filesystem else "") or self.name


@dataclass(frozen=True, slots=True)
class Health:
    """What a disk says of itself; ``None`` where it does not say. ``worn_percent`` is of its rated writes."""

    state: HealthState = fact("unknown", given=True)
    hours: int | None = None
    reallocated_sectors: int | None = None
    pending_sectors: int | None = None
    worn_percent: int | None = fact(None, most=255)


@dataclass(frozen=True, slots=True)
class Disk:
    """One disk. ``sectors`` counts logical sectors; ``partitions`` stand in the order of their starts.

    ``filesystem`` is what covers the whole disk where there is no table.
    """

    sectors: int = fact()
    logical_sector_bytes: int = fact(512, least=1, given=True)
    physical_sector_bytes: int | None = fact(None, least=1)
    model: str = ""
    serial: str = ""
    link: Link = "unknown"
    rotational: bool | None = None
    table: Table = "none"
    table_id: str = ""
    partitions: tuple[Partition, ...] = fact((), most=1024)
    table_notes: tuple[TableNote, ...] = fact((), most=20, later=True)
    filesystem: FileSystem | None = fact(None, later=True)
    health: Health | None = fact(None, later=True)

    def but(self, **changes: Any) -> "Disk":
        return replace(self, **changes)

    @property
    def size_bytes(self) -> int:
        return self.sectors * self.logical_sector_bytes

    @property
    def holds_something(self) -> bool:
        """Whether overwriting it would lose anything: partitions, a file system without a table, a lost table."""
        return bool(self.partitions or self.filesystem or "gpt-lost" in self.table_notes)

    @property
    def proof(self) -> str:
        """What a person types to confirm that this disk is meant: the last four of its serial, else of its identity."""
        known = self.serial or self.table_id or str(self.sectors)
        return "".join(c for c in known if c.isalnum())[-4:].upper()

    @property
    def rows(self) -> tuple[Partition, ...]:
        """The partitions that can be rows of a plan: all but the extended container."""
        return tuple([p for p in self.partitions if p.type not in EXTENDED_TYPES])


@dataclass(frozen=True, slots=True)
class Survey:
    """A disk and when it was looked at (RFC 3339 text, or empty where unknown)."""

    disk: Disk
    taken: str = ""


def known(value: object) -> bool:
    """Whether a fact says anything: what is not known is None, empty text or an empty list, never 0."""
    return value is not None and value not in ("", (), frozenset())


SECTOR_SIZES = (512, 1024, 2048, 4096)
MAX_PRIMARIES = 4


def checked(disk: Disk) -> Disk:
    """``disk`` with its partitions in the order of their starts. Raises BadSurvey where it contradicts itself."""
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
    _check_numbers(disk)
    places = {p.number: i for i, p in enumerate(disk.partitions)}
    for index, partition in enumerate(disk.partitions):
        _check_partition(disk, partition, f"disk.partitions[{index}]")
    ordered = tuple(sorted(disk.partitions, key=lambda p: (p.first_lba, not p.is_container)))
    _check_overlaps(ordered, places)
    _check_mbr(disk, ordered, places)
    return replace(disk, partitions=ordered)


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


def _check_filesystem(disk: Disk, partition: Partition, fs: FileSystem, at: str) -> None:
    size = partition.sectors * disk.logical_sector_bytes
    for name in ("size_bytes", "used_bytes", "last_used_byte", "immovable_end_byte", "allocated_bytes"):
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


def _check_mbr(disk: Disk, ordered: tuple[Partition, ...], places: dict[int, int]) -> None:
    if disk.table != "mbr":
        return
    logicals = [p for p in ordered if p.logical]
    containers = [p for p in ordered if p.is_container]
    primaries = [p for p in ordered if not (p.logical or p.is_container)]
    if len(containers) > 1:
        raise BadSurvey(
            "an MBR holds one extended partition only", at="disk.partitions", mend="leave the second one out"
        )
    if len(primaries) + bool(logicals or containers) > MAX_PRIMARIES:
        raise BadSurvey(
            f"an MBR holds four entries, this one has {len(primaries)} primaries"
            + (" and an extended partition" if logicals or containers else ""),
            at="disk.partitions",
            mend="mark those inside the extended partition as logical",
        )
    for logical in logicals:
        at = f"disk.partitions[{places[logical.number]}].first_lba"
        for container in containers:
            inside = container.first_lba <= logical.first_lba and logical.extent.stop <= container.extent.stop
            if not inside:
                raise BadSurvey(
                    f"logical partition {logical.number} stands outside the extended partition {container.number}",
                    at=at,
                    mend="correct its start or the extended partition's size",
                )
        for primary in primaries:
            if logicals[0].first_lba < primary.first_lba < logicals[-1].first_lba:
                raise BadSurvey(
                    f"primary partition {primary.number} stands between logical partitions",
                    at=f"disk.partitions[{places[primary.number]}].first_lba",
                    mend="mark it as logical or correct its start",
                )
