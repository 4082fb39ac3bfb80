"""Tables for the terminal (rich), plain where they are piped."""

import io
from collections.abc import Iterable, Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text


def plain_table(header: Sequence[tuple[str, bool]], rows: Iterable[Sequence[str]], width: int = 400) -> str:
    """Columns as (heading, whether figures stand to the right), and the cells as text."""
    out = io.StringIO()
    console = Console(file=out, width=width, highlight=False, emoji=False)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="")
    for heading, right in header:
        table.add_column(heading, justify="right" if right else "left", no_wrap=True)
    for row in rows:
        table.add_row(*(Text(cell) for cell in row))
    console.print(table)
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines()) + "\n"
