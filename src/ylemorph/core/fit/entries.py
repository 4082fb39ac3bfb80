"""The entries of the target's table as a plan has them, for whatever writes that table."""

import uuid
from typing import NamedTuple

from ..disk.model import Flag, Partition
from ..disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP, MICROSOFT_RESERVED, RECOVERY
from ..disk.tables import GPT_ENTRIES
from ..errors import BadOption
from ..plain import plain_line
from .plan import Plan, PlanRow

# Types where the table changes: by role first, then by what the row holds.
GPT_BY_ROLE = {"start": EFI_SYSTEM, "reserved": MICROSOFT_RESERVED, "recovery": RECOVERY, "swap": LINUX_SWAP}
MBR_BY_ROLE = {"start": "0xEF", "recovery": "0x27", "swap": "0x82"}
LINUX_KINDS = frozenset(("ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "lvm", "luks"))
EXTENDED = "0x0F"


class Entry(NamedTuple):
    """One entry: LBAs of the target; ``type`` a GUID or ``0x07``; ``uuid`` empty where it gets a new one.

    ``row``: the plan's row that it holds; None for the extended one.
    """

    number: int
    first_lba: int
    sectors: int
    type: str
    logical: bool = False
    name: str = ""
    flags: frozenset[Flag] = frozenset()
    uuid: str = ""
    row: int | None = None


def planned_entries(plan: Plan) -> list[Entry]:
    """The entries by their number, an extended one with them. Raises BadOption for a plan that has no layout."""
    if plan.layout.sizes is None:
        raise BadOption("a plan that does not fit has no table", at="--format", mend="mend the plan first")
    rows = [row for row in plan.rows if row.carried]
    numbers = _numbers(rows, plan.frame.table)
    entries = {numbers[row.number]: _entry(plan, row, numbers[row.number]) for row in rows}
    logicals = [row for row in rows if row.logical]
    if logicals:
        number = _container_number(plan, entries)
        entries[number] = _container(plan, logicals, number)
    return _each_identity_once([entries[number] for number in sorted(entries)])


def _each_identity_once(entries: list[Entry]) -> list[Entry]:
    """Rows keep their identity (rule 7.3), but no two have the same, and what is none is left out."""
    taken: set[str] = set()
    made = []
    for entry in entries:
        own = _identity(entry.uuid)
        made.append(entry._replace(uuid="" if own in taken else own))
        taken.add(own)
    return made


def _identity(text: str) -> str:
    try:
        return str(uuid.UUID(text)).upper()
    except ValueError:
        return ""


def _numbers(rows: list[PlanRow], table: str) -> dict[int, int]:
    """The source's numbers; counted anew where the table has no such numbers: an MBR's primaries are 1 to 4."""
    most = GPT_ENTRIES if table == "gpt" else 4
    if all(row.number <= most or row.logical for row in rows):
        return {row.number: row.number for row in rows}
    return {row.number: place for place, row in enumerate(rows, 1)}


def _entry(plan: Plan, row: PlanRow, number: int) -> Entry:
    partition = row.row.partition
    made = Entry(number, row.first_lba or 0, row.sectors or 0, _type(plan, row), row.logical, row=row.number)
    if partition is None:
        return made
    if plan.frame.table == "gpt":
        return made._replace(name=plain_line(partition.name), flags=partition.flags - {"active"},
                             uuid=partition.uuid if plan.identity == "keep" else "")  # fmt: skip
    return made._replace(flags=partition.flags & {"active"})


def _type(plan: Plan, row: PlanRow) -> str:
    partition = row.row.partition
    gpt = plan.frame.table == "gpt"
    if partition is not None and partition.type.startswith("0x") != gpt:
        return partition.type
    linux = row.kind in LINUX_KINDS
    if gpt:
        return GPT_BY_ROLE.get(row.role, LINUX_DATA if linux else BASIC_DATA)
    return MBR_BY_ROLE.get(row.role, "0x83" if linux else "0x07")


def _container(plan: Plan, logicals: list[PlanRow], number: int) -> Entry:
    """The extended partition: from the first logical's record to the end of the last."""
    first, last = logicals[0], logicals[-1]
    start = (first.first_lba or 0) - plan.frame.grain_sectors
    stop = (last.first_lba or 0) + (last.sectors or 0)
    return Entry(number, start, stop - start, EXTENDED)


def _container_number(plan: Plan, taken: dict[int, Entry]) -> int:
    known: list[Partition] = [p for p in plan.source.partitions if p.is_container]
    free = [number for number in (4, 3, 2, 1) if number not in taken]
    return known[0].number if known and known[0].number in free else free[0]
