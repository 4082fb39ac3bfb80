"""A table with a header line, as a spreadsheet or a script writes it: one line a partition, sizes with units.

Columns, in any order and in any of these spellings; ``size`` is needed, a bare number is bytes:
number (no, partition), start (in sectors), size, used, free, filesystem (fs, type), label (name), role, state.
"""

import csv
import io

from ..core.disk.listing import Listed
from ..core.disk.model import Table
from ..core.errors import BadSurvey
from .typed_rows import MOST_ROWS, TypedRow, typed_disk

COLUMNS: dict[str, str] = {
    "number": "number", "no": "number", "no.": "number", "nr": "number", "partition": "number", "row": "number",
    "start": "start", "first_lba": "start",
    "size": "size", "used": "used", "free": "free",
    "filesystem": "filesystem", "file system": "filesystem", "fs": "filesystem", "type": "filesystem",
    "label": "label", "name": "label", "role": "role", "state": "state",
}  # fmt: skip
DELIMITERS = "\t;,|"


def looks_like_rows(text: str) -> bool:
    """A first line with a column called size and at least one more that is known."""
    names = _names(text)
    return "size" in names and len([name for name in names if name]) >= 2


def read_rows(text: str, *, table: Table = "gpt", size: str = "") -> Listed:
    """Raises BadSurvey with line and column."""
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    delimiter = _delimiter(lines[0])
    names = _names(lines[0])
    try:
        rows = list(csv.reader(io.StringIO("\n".join(lines[1:])), delimiter=delimiter))
    except csv.Error as error:
        raise BadSurvey(f"it cannot be read as a table ({error})", mend="check quotes and separators") from None
    if len(rows) > MOST_ROWS:
        raise BadSurvey(f"{len(rows)} lines are more than the {MOST_ROWS} partitions of a table", mend="check the file")
    typed = []
    for number, cells in enumerate(rows, 2):
        if len(cells) > len(names):
            raise BadSurvey(
                f"it has {len(cells)} cells, the header {len(names)}",
                at=f"line {number}",
                mend="put sizes with a comma in quotes",
            )
        fields = {name: cell for name, cell in zip(names, cells, strict=False) if name and cell.strip()}
        free = fields.pop("free", "")
        if free and "used" not in fields:
            fields["used"] = f"{free} free"
        typed.append(TypedRow(**{"size": "", **fields}))
    try:
        return typed_disk(typed, size=size, table=table, bare="b")
    except BadSurvey as error:
        raise BadSurvey(error.problem, at=_place(error.at), mend=error.mend) from None


def _delimiter(header: str) -> str:
    return max(DELIMITERS, key=header.count)


def _names(text: str) -> list[str]:
    first = next((line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    try:
        cells = next(csv.reader([first], delimiter=_delimiter(first)), [])
    except csv.Error:
        return []
    return [COLUMNS.get(cell.strip().lower(), "") for cell in cells]


def _place(at: str) -> str:
    """``rows[2].size`` as a person counts: the header is line 1."""
    row, _, column = at.removeprefix("rows[").partition("].")
    return f"line {int(row) + 2}, column {column}" if column and row.isdigit() else at
