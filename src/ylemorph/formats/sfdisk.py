"""A plan as a script for ``sfdisk``, the table utility of util-linux: it writes the target's table, nothing else.

Without a ``label-id`` the utility gives the disk a new identity (rule 7.3).
"""

from ..core.disk.model import Flag, Partition
from ..core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP, MICROSOFT_RESERVED, RECOVERY
from ..core.errors import BadOption
from ..core.fit.plan import Plan, PlanRow
from ..core.plain import plain_line

# Types where the table changes: by role first, then by what the row holds.
GPT_BY_ROLE = {"start": EFI_SYSTEM, "reserved": MICROSOFT_RESERVED, "recovery": RECOVERY, "swap": LINUX_SWAP}
MBR_BY_ROLE = {"start": "0xEF", "recovery": "0x27", "swap": "0x82"}
LINUX_KINDS = frozenset(("ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "lvm", "luks"))
GPT_ATTRIBUTES: dict[Flag, str] = {"required": "RequiredPartition", "hidden": "GUID:62", "no-auto": "GUID:63"}
EXTENDED = "f"


def plan_to_script(plan: Plan) -> str:
    """The script, sizes in the target's sectors. Raises BadOption for a plan that does not fit."""
    if plan.verdict == "does-not-fit":
        raise BadOption("a plan that does not fit has no table", at="--format", mend="mend the plan first")
    frame = plan.frame
    lines = [f"label: {'dos' if frame.table == 'mbr' else 'gpt'}", "unit: sectors"]
    lines += [f"sector-size: {frame.logical_sector_bytes}", ""]
    rows = [row for row in plan.rows if row.carried]
    numbers = _numbers(rows, frame.table)
    entries = {numbers[row.number]: _entry(plan, row) for row in rows}
    logicals = [row for row in rows if row.logical]
    if logicals:
        entries[_container_number(plan, entries)] = _container(plan, logicals)
    lines += [f"{number} : {entries[number]}" for number in sorted(entries)]
    return "\n".join(lines) + "\n"


def _numbers(rows: list[PlanRow], table: str) -> dict[int, int]:
    """The source's numbers; a disk that goes to MBR is counted anew, since its primaries are 1 to 4."""
    if table == "gpt" or all(row.number <= 4 or row.logical for row in rows):
        return {row.number: row.number for row in rows}
    return {row.number: place for place, row in enumerate(rows, 1)}


def _entry(plan: Plan, row: PlanRow) -> str:
    partition = row.row.partition
    parts = [f"start={row.first_lba}", f"size={row.sectors}", f"type={_type(plan, row)}"]
    if partition is not None and plan.frame.table == "gpt":
        if partition.name:
            parts.append(f'name="{_plain(partition.name)}"')
        attributes = [text for flag, text in GPT_ATTRIBUTES.items() if flag in partition.flags]
        if attributes:
            parts.append(f'attrs="{" ".join(attributes)}"')
    elif partition is not None and "active" in partition.flags:
        parts.append("bootable")
    return ", ".join(parts)


def _type(plan: Plan, row: PlanRow) -> str:
    partition = row.row.partition
    gpt = plan.frame.table == "gpt"
    if partition is not None and partition.type.startswith("0x") != gpt:
        return partition.type.removeprefix("0x").lower() if not gpt else partition.type
    linux = row.kind in LINUX_KINDS
    if gpt:
        return GPT_BY_ROLE.get(row.role, LINUX_DATA if linux else BASIC_DATA)
    return MBR_BY_ROLE.get(row.role, "0x83" if linux else "0x07").removeprefix("0x").lower()


def _container(plan: Plan, logicals: list[PlanRow]) -> str:
    """The extended partition: from the first logical's record to the end of the last."""
    first, last = logicals[0], logicals[-1]
    start = (first.first_lba or 0) - plan.frame.grain_sectors
    stop = (last.first_lba or 0) + (last.sectors or 0)
    return f"start={start}, size={stop - start}, type={EXTENDED}"


def _container_number(plan: Plan, taken: dict[int, str]) -> int:
    known: list[Partition] = [p for p in plan.source.partitions if p.is_container]
    free = [number for number in (4, 3, 2, 1) if number not in taken]
    return known[0].number if known and known[0].number in free else free[0]


def _plain(name: str) -> str:
    """A GPT name without what would end the quoted text."""
    return plain_line(name).replace("\\", "").replace('"', "").replace("\N{REPLACEMENT CHARACTER}", " ")
