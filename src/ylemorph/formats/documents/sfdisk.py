"""A plan as a script for ``sfdisk``, the table utility of util-linux: it writes the target's table, nothing else.

Without a ``label-id`` and the rows' ``uuid`` the utility gives a new identity (rule 7.3).
"""

from ...core.disk.model import Flag
from ...core.fit.entries import Entry, planned_entries
from ...core.fit.plan import Plan

GPT_ATTRIBUTES: dict[Flag, str] = {"required": "RequiredPartition", "hidden": "GUID:62", "no-auto": "GUID:63"}


def plan_to_script(plan: Plan) -> str:
    """The script, sizes in the target's sectors. Raises BadOption for a plan that does not fit."""
    frame = plan.frame
    lines = [f"label: {'dos' if frame.table == 'mbr' else 'gpt'}", "unit: sectors"]
    if plan.identity == "keep" and plan.source.table_id:
        lines.insert(1, f"label-id: {plan.source.table_id}")
    lines += [f"sector-size: {frame.logical_sector_bytes}", ""]
    lines += [f"{entry.number} : {_line(entry)}" for entry in planned_entries(plan)]
    return "\n".join(lines) + "\n"


def _line(entry: Entry) -> str:
    kind = entry.type if "-" in entry.type else f"{int(entry.type, 16):x}"
    parts = [f"start={entry.first_lba}", f"size={entry.sectors}", f"type={kind}"]
    if entry.uuid:
        parts.append(f"uuid={entry.uuid}")
    if entry.name:
        parts.append(f'name="{_quotable(entry.name)}"')
    attributes = [text for flag, text in GPT_ATTRIBUTES.items() if flag in entry.flags]
    if attributes:
        parts.append(f'attrs="{" ".join(attributes)}"')
    if "active" in entry.flags:
        parts.append("bootable")
    return ", ".join(parts)


def _quotable(name: str) -> str:
    """A GPT name without what would end the quoted text."""
    return name.replace("\\", "").replace('"', "").replace("\N{REPLACEMENT CHARACTER}", " ")
