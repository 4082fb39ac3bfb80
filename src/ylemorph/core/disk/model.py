"""A disk as surveyed: geometry, table, partitions, file systems. What is not known is None, never 0."""

from dataclasses import dataclass, field, replace
from typing import Any, Literal, get_args

from ..sizes import MAX_BYTES, Bytes, Extent

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
    "hybrid", "chain-broken", "partition-cut-off", "array-member", "partitions-overlap",
]  # fmt: skip
# What a reader found about a file system beside its state.
FileSystemNote = Literal["backup-boot-missing", "counts-differ", "bigalloc", "stable-inodes"]
HealthState = Literal["good", "worn", "failing", "unknown"]
# Where a figure of used space comes from (rule 5.1b): counted in the file system's own structures; as the mounted
# system counts it; typed by a person.
UsedKind = Literal["counted", "mounted", "typed", "unknown"]
# Who says how small a file system can be made: the running Windows of its own shrink, or the resizer's own estimate.
ToldBy = Literal["windows", "resizer", "unknown"]
# Whether the bytes on the disk are encrypted by the system that runs from it, and whether it guards them now.
Encryption = Literal["unknown", "none", "paused", "active"]
ROLES: tuple[Role, ...] = get_args(Role)
STATES: tuple[State, ...] = get_args(State)

EXTENDED_TYPES = frozenset(("0x05", "0x0F", "0x85"))
MOST_TEXT = 400  # characters of a label, a name or a model
MOST_NUMBER = 9999  # of a partition


def fact(
    default: Any = ...,
    *,
    least: int = 0,
    most: int = MAX_BYTES,
    later: bool = False,
    given: bool = False,
    nothing: Any = None,
) -> Any:
    """One fact of a survey and its bounds; the reader, the writer and the JSON Schema of a survey derive from these.

    ``most`` bounds a number or the length of a list. ``later``: not in the first version of the format, so written only
    where it says something. ``given``: a survey must state it, although the value has a usual one. ``nothing``: what a
    null says where it is written: that it was looked for and is not there.
    """
    metadata = {"least": least, "most": most, "later": later, "given": given, "nothing": nothing}
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
    groups whose tables stand together; ``flex``: whether the volume says so at all, be it of one group alone, since the
    resizer then keeps one more. ``meta_from``: first group whose descriptors stand in groups of ``meta_groups``.
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
    flex: bool = fact(False)


@dataclass(frozen=True, slots=True)
class NamedPlace:
    """What start data name (rule 14.6): a disk by its GUID or its signature (``0x1a2b3c4d``), and on it a row, on a GPT
    by its GUID, on an MBR by the byte where it starts."""

    disk: str = fact()
    partition: str = fact("")
    start_byte: Bytes | None = fact(None)


@dataclass(frozen=True, slots=True)
class Inside:
    """A volume that lies within a partition: of LVM, of an opened LUKS, of an array. ``layout`` says how it lies there;
    ``kind``, ``label`` and ``used_bytes`` are those of its file system."""

    name: str
    size_bytes: Bytes = fact()
    layout: str = fact("")
    kind: Kind = fact("unknown")
    label: str = fact("")
    used_bytes: Bytes | None = fact(None)


@dataclass(frozen=True, slots=True)
class FileSystem:
    """What a partition holds. All sizes in bytes, offsets from the partition's start.

    ``data_end_byte`` is ``last_used_byte`` without the file system's own records, ``end_owner`` says whose the last
    byte is; ``detail`` says what a kind alone does not; ``system_hint`` names what an operating system leaves there.
    ``allocated_bytes``: of the device, given to chunks whether full or not, and ``least_bytes`` what follows from where
    they stand (btrfs). ``files``: files and folders, as its records in use tell. ``named_start_lba``: where the
    volume starts as its boot sector says, and as that sector's copy says. ``fallback_loader``: whether firmware that
    knows nothing of this disk finds a loader in it (rule 14.2). ``start_data``: what a Windows' start data in it name,
    nothing where there are none or they cannot be read. ``told_least_bytes``: how small ``told_by`` says that it can be
    made; ``pinning``: files that its system keeps where they are. ``encryption``: of one that is open, so that what it
    holds is known although its bytes on the disk cannot be read. ``inside``: volumes that lie within it.
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
    least_bytes: Bytes | None = fact(None, later=True)
    files: int | None = fact(None, later=True)
    notes: tuple[FileSystemNote, ...] = fact((), most=20, later=True)
    named_start_lba: int | None = fact(None, later=True)
    copy_named_start_lba: int | None = fact(None, later=True)
    fallback_loader: bool | None = fact(None, later=True)
    start_data: tuple[NamedPlace, ...] = fact((), most=1000, later=True)
    told_least_bytes: Bytes | None = fact(None, later=True)
    told_by: ToldBy = fact("unknown", later=True)
    pinning: tuple[str, ...] = fact((), most=100, later=True)
    encryption: Encryption = fact("unknown", later=True)
    inside: tuple[Inside, ...] = fact((), most=1000, later=True)

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
class StartCode:
    """What a legacy start runs before any file system: how many sectors it reaches over, from the first sector on.

    ``sha256``: of bytes 0 to 439 of the first sector and of all that follows that sector up to there, in hex.
    ``loader_lba``: the sector at which it goes on, where that is the start of a row made for it (rule 14.1);
    ``rest_sha256``: then as ``sha256``, with the bytes that say so as zeros.
    """

    sectors: int = fact()
    sha256: str = fact()
    loader_lba: int | None = fact(None, later=True)
    rest_sha256: str = fact("", later=True)


NO_CODE = StartCode(0, "")


@dataclass(frozen=True, slots=True)
class OldMark:
    """A mark of what stood there before (rule 16.6): what it is of, the disk's byte where it stands, and the row whose
    end that is."""

    what: str = fact()
    byte: Bytes = fact()
    row: int | None = fact(None, least=1)


@dataclass(frozen=True, slots=True)
class Disk:
    """One disk. ``sectors`` counts logical sectors; ``partitions`` stand in the order of their starts.

    ``filesystem`` is what covers the whole disk where there is no table. ``read_rates``: bytes a second that it gave at
    some places, one after the other, on the machine that surveyed it.
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
    start_code: StartCode | None = fact(None, later=True, nothing=NO_CODE)
    old_marks: tuple[OldMark, ...] = fact((), most=1000, later=True)
    read_rates: tuple[int, ...] = fact((), most=20, later=True)

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
    def rows(self) -> tuple[Partition, ...]:
        """The partitions that can be rows of a plan: all but the extended container."""
        if self.table != "mbr":
            return self.partitions
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
