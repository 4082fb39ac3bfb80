"""A plan as a table for the terminal (rich), plain where it is piped."""

import io
import shutil

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ...core.disk.model import Disk
from ...core.fit.fits import FIT_NAMES
from ...core.fit.layout import verdict_name
from ...core.fit.plan import Plan, PlanRow
from ...core.plain import plain_line
from ...core.sizes import both_sizes, format_size

_SIGNS = {"shrinks": "▼", "grows": "▲", "holds": "=", "left": "–", "made": "+"}
_STYLES = {"shrinks": "magenta", "grows": "cyan", "holds": "", "left": "dim", "made": "yellow"}


def plan_to_text(plan: Plan, source: Disk, target: Disk, *, terminal: bool) -> str:
    """Lines for reading; colour and borders only where ``terminal``."""
    out = io.StringIO()
    width = shutil.get_terminal_size((110, 40)).columns if terminal else 150
    console = Console(file=out, force_terminal=terminal, width=max(80, width), highlight=False, emoji=False)
    console.print(Text(f"{verdict_name(plan.verdict)} · {FIT_NAMES[plan.fit]}{_kept(plan)}", style="bold"))
    for word, disk in (("from", source), ("to", target)):
        console.print(Text(f"{word:>4}  {plain_line(disk.model) or 'disk'} · {both_sizes(disk.size_bytes)}"))
    if plan.verdict == "does-not-fit":
        console.print(Text(f"      {format_size(plan.shortfall_bytes)} short"))
    console.print(_rows_table(plan, terminal=terminal))
    for extent in plan.unallocated:
        size = extent.length * plan.frame.logical_sector_bytes
        console.print(Text(f"unallocated  {format_size(size)} from sector {extent.start}"))
    for finding in plan.findings:
        console.print(Text(f"{finding.level:<5} {finding.text()} {finding.do()}"))
    if plan.remedies:
        console.print(Text("What would make it fit", style="bold"))
    for remedy in plan.remedies:
        console.print(Text(f"  {remedy.text()} Then: {verdict_name(remedy.verdict_after).lower()}."))
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines()) + "\n"


def _kept(plan: Plan) -> str:
    if plan.verdict != "tight" or plan.headroom_kept == 1:
        return ""
    return f" · headroom cut to {int(plan.headroom_kept * 100)} %"


def _rows_table(plan: Plan, *, terminal: bool) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold" if terminal else "")
    table.add_column("row")
    table.add_column("role")
    for heading in ("was", "used", "floor", "comfort", "will be", "free"):
        table.add_column(heading, justify="right")
    table.add_column("change")
    for row in plan.rows:
        table.add_row(*(Text(cell) for cell in _cells(row)), style=_STYLES[row.change] if terminal else "")
    return table


def _cells(row: PlanRow) -> tuple[str, ...]:
    sizes = (
        row.source_bytes,
        row.used_bytes,
        row.hard_floor_bytes,
        row.comfort_floor_bytes,
        row.size_bytes,
        row.free_after_bytes,
    )
    words = {"left": "left behind", "made": "made new"}.get(row.change, row.change)
    pinned = ", pinned" if row.pinned else ""
    return (
        row.label,
        row.role,
        *("" if size is None else format_size(size) for size in sizes),
        f"{_SIGNS[row.change]} {words}{pinned}" if row.size_bytes is not None or not row.carried else "",
    )
