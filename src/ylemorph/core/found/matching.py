"""Which partitions of a disk that was read are rows of a plan, and which of these are whole (rule 15).

A row is known by its partition's GUID, else by its file system's identity: that is certain. Else by kind, size and
order among those that are left: that is likely, and is asked about. On a disk that carries the source's own identity
its place is certain, too.
"""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from ..disk.filesystems import kind_of, state_of
from ..disk.model import Disk, Partition
from ..fit.entries import planned_entries
from ..fit.plan import Plan, PlanRow
from ..sizes import Extent, MiB, div_up

# Clearly less than went over: tables that a smaller file system does not have explain no more than this.
SHORT_PERCENT, SHORT_LEAST = 70, 64 * MiB  # common practice, no source
NO_TABLE = frozenset(("gpt-lost",))


class FoundRow(NamedTuple):
    """A row as it was found. ``content``: as far as its file system reaches, in LBAs; ``named``: where its boot sector
    says that it starts. ``lacks``: why it is not whole; empty where it is. ``sure``: known by an identity."""

    row: int
    partition: Partition
    content: Extent
    named: int
    lacks: str
    sure: bool

    @property
    def whole(self) -> bool:
        return not self.lacks


class FoundDisk(NamedTuple):
    """``rows`` in the order of the plan. ``others``: partitions that are no row of it. ``unclear``: why it cannot be
    said which partition is which; empty where it can. ``as_table``: the table is the plan's, with its identity;
    ``backup``: and so is its second copy. ``code``: the code before the first row is the source's."""

    disk: Disk
    rows: tuple[FoundRow, ...]
    others: tuple[Partition, ...]
    unclear: str
    as_table: bool
    backup: bool
    code: bool

    @property
    def whole(self) -> tuple[FoundRow, ...]:
        return tuple([row for row in self.rows if row.whole])

    @property
    def unsure(self) -> tuple[FoundRow, ...]:
        return tuple([row for row in self.rows if row.whole and not row.sure])


def found_of(plan: Plan, disk: Disk, again: Iterable[int] = ()) -> FoundDisk | None:
    """What ``disk`` holds of the plan; None where it holds nothing of it, or is another disk than the target.

    Rows of ``again`` are said to be not whole.
    """
    if plan.layout.sizes is None or disk.size_bytes != plan.target.size_bytes:
        return None
    if disk.logical_sector_bytes != plan.source.logical_sector_bytes or not disk.rows:
        return None
    pairs, unclear = _own_rows(plan) if disk == plan.source else _pairs(plan, disk)
    if not pairs and not unclear:
        return None
    leave = frozenset(again)
    rows = tuple(
        _found(plan, row, *pairs[row.number], row.number in leave) for row in _carried(plan) if row.number in pairs
    )
    taken = {id(row.partition) for row in rows}
    others = tuple(partition for partition in disk.rows if id(partition) not in taken)
    backup = not {"backup-missing", "backup-misplaced", "copies-differ", "primary-damaged"} & set(disk.table_notes)
    code = plan.source.start_code
    return FoundDisk(
        disk, rows, others, unclear, _as_table(plan, disk), backup, code is None or disk.start_code == code
    )  # fmt: skip


def _carried(plan: Plan) -> Iterator[PlanRow]:
    return (
        row for row in plan.rows if row.extent is not None and row.row.partition is not None and not row.row.is_made
    )


# --- which is which ---------------------------------------------------------------------------------------------------


def _own_rows(plan: Plan) -> tuple[dict[int, tuple[Partition, bool]], str]:
    """On one disk every row stands where it stands."""
    return {row.number: (row.row.partition, True) for row in _carried(plan) if row.row.partition is not None}, ""


def _pairs(plan: Plan, disk: Disk) -> tuple[dict[int, tuple[Partition, bool]], str]:
    """By the row's number its partition and whether that is sure; and a sentence where two match one row."""
    left, paired = list(disk.rows), dict[int, tuple[Partition, bool]]()
    for known, sure in ((_by_guid, True), (_by_identity, True), (_by_place, True), (_by_looks, False)):
        for row in _carried(plan):
            if row.number in paired:
                continue
            alike = [partition for partition in left if known(plan, row, partition, disk)]
            if len(alike) > 1 and sure:
                at_place = [partition for partition in alike if partition.first_lba == row.first_lba]
                if len(at_place) != 1:
                    names = " and ".join(str(partition.number) for partition in alike)
                    return {}, f"partitions {names} of the target both carry the identity of {row.row.name_and_number}"
                alike = at_place
            if alike:
                paired[row.number] = (alike[0], sure)
                left.remove(alike[0])
    return paired, ""


def _by_guid(_plan: Plan, row: PlanRow, partition: Partition, _disk: Disk) -> bool:
    return bool(row.source_uuid) and partition.uuid.upper() == row.source_uuid.upper()


def _by_identity(_plan: Plan, row: PlanRow, partition: Partition, _disk: Disk) -> bool:
    here, there = row.row.fs, partition.filesystem
    if here is None or there is None:
        return False
    return here.kind == there.kind and bool(here.uuid) and here.uuid.upper() == there.uuid.upper()


def _by_place(plan: Plan, row: PlanRow, partition: Partition, disk: Disk) -> bool:
    """On a disk that carries the source's identity: of one kind, where the row will be or was."""
    source = row.row.partition
    places = (row.first_lba, source.first_lba if source else None)
    return _same_identity(plan.source, disk) and partition.first_lba in places and _may_be(row, partition)


def _may_be(row: PlanRow, partition: Partition) -> bool:
    """Of one kind, and no two identities that differ."""
    source = row.row.partition
    if source is None or kind_of(source) != kind_of(partition) or kind_of(partition) in ("unknown", "swap"):
        return False
    identities = (row.row.fs.uuid if row.row.fs else "", partition.filesystem.uuid if partition.filesystem else "")
    return not all(identities)


def _by_looks(plan: Plan, row: PlanRow, partition: Partition, _disk: Disk) -> bool:
    """And as long as the row was or will be."""
    if not _may_be(row, partition):
        return False
    sizes = (row.source_bytes, row.size_bytes or 0)
    grain = plan.frame.grain_bytes
    return any(abs(partition.sectors * plan.source.logical_sector_bytes - size) < grain for size in sizes)


# --- what is whole ----------------------------------------------------------------------------------------------------


def _found(plan: Plan, row: PlanRow, partition: Partition, sure: bool, again: bool) -> FoundRow:
    content = _content(plan, row, partition)
    fs = partition.filesystem
    named = fs.named_start_lba if fs is not None and fs.named_start_lba is not None else partition.first_lba
    lacks = "it is to be copied again" if again else _lacks(plan, row, partition, content)
    return FoundRow(row.number, partition, content, named, lacks, sure)


def _content(plan: Plan, row: PlanRow, partition: Partition) -> Extent:
    """As long as its file system, in whole grains; of one that keeps its length, as long as on the source."""
    fs, per_grain = partition.filesystem, plan.frame.grain_sectors
    length = partition.sectors
    source = row.row.partition
    if row.extent is not None and row.extent.length == row.row.base and source is not None:
        length = min(length, source.sectors)
    elif fs is not None and fs.size_bytes is not None:
        whole = div_up(div_up(fs.size_bytes, plan.source.logical_sector_bytes), per_grain) * per_grain
        length = min(length, whole)
    return Extent(partition.first_lba, partition.first_lba + length)


def _lacks(plan: Plan, row: PlanRow, partition: Partition, content: Extent) -> str:
    """Why it is not whole, as far as can be seen from outside; empty where nothing is seen."""
    return next((words for lacks, words in _doubts(plan, row, partition, content) if lacks), "")


def _doubts(plan: Plan, row: PlanRow, partition: Partition, content: Extent) -> Iterator[tuple[bool, str]]:
    sector, source, fs = plan.source.logical_sector_bytes, row.row.partition, partition.filesystem
    assert source is not None
    assert row.extent is not None
    size, used, files = (None, None, None) if fs is None else (fs.size_bytes, fs.used_bytes, fs.files)
    yield kind_of(source) != kind_of(partition), "it holds something else"
    yield state_of(partition) == "damaged", "it is damaged"
    yield size is not None and size > partition.sectors * sector, "its file system is cut off"
    fixed = row.extent.length == row.row.base
    yield fixed and content.length < source.sectors, "it is shorter than on the source"
    held = max(0, row.floors.carried_bytes - row.floors.shed_bytes) if row.floors is not None else 0
    short = used is not None and used < held * SHORT_PERCENT // 100 and held - used > SHORT_LEAST
    yield short, "it holds clearly less than went over"
    yield files is not None and row.files is not None and files < row.files, "it holds fewer files than went over"
    yield content.length * sector < held, "it is too short for what it holds"


# --- the table --------------------------------------------------------------------------------------------------------


def _as_table(plan: Plan, disk: Disk) -> bool:
    """Whether every entry stands as planned, and no other, under the identity that the plan asks for."""
    if disk.table != plan.frame.table or NO_TABLE & set(disk.table_notes):
        return False
    kept = plan.identity == "keep"
    if bool(_same_identity(plan.source, disk)) != kept and (kept or disk.table_id):
        return False
    wanted = {
        (entry.first_lba, entry.sectors, entry.type, entry.flags)
        for entry in planned_entries(plan)
        if entry.row is not None
    }
    return wanted == {(p.first_lba, p.sectors, p.type, p.flags) for p in disk.rows}


def _same_identity(source: Disk, disk: Disk) -> bool:
    return bool(source.table_id) and source.table_id == disk.table_id
