"""A table with a header line, as a spreadsheet or a script writes it: one line a partition, sizes with units.

Columns, in any order and in any of these spellings; ``size`` is needed, a bare number is bytes:
number (no, partition), start (in sectors), size, used, free, filesystem (fs, type), label (name), role, state.

With a column ``machine`` the table holds many disks, a line for each of their partitions; ``serial``, ``model``,
``disk`` (its size) and ``taken`` speak of the disk and count from the first line that has them.

Tables that Windows' own cmdlets write are read too, with their names of columns: number, offset, size, what is free.
"""

import csv
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

from ...core.disk.listing import Listed, Unreadable
from ...core.disk.model import Table
from ...core.errors import BadSurvey
from .typed_rows import MOST_ROWS, TypedRow, typed_disk

COLUMNS: dict[str, str] = {
    "number": "number", "no": "number", "no.": "number", "nr": "number", "partition": "number", "row": "number",
    "start": "start", "first_lba": "start",
    "size": "size", "used": "used", "free": "free",
    "filesystem": "filesystem", "file system": "filesystem", "fs": "filesystem", "type": "filesystem",
    "label": "label", "name": "label", "role": "role", "state": "state",
    "machine": "machine", "computer": "machine", "host": "machine",
    "serial": "serial", "model": "model", "disk": "disk", "disk size": "disk", "taken": "taken",
}  # fmt: skip
# As Windows' own cmdlets and classes call their properties in a table of partitions or volumes, starts in bytes.
WINDOWS_COLUMNS: dict[str, str] = {
    "partitionnumber": "number", "offset": "offset", "startingoffset": "offset", "capacity": "size",
    "sizeremaining": "free", "freespace": "free", "free space": "free", "filesystemlabel": "label",
    "volumename": "label", "driveletter": "letter", "filesystemtype": "filesystem", "disknumber": "machine",
    "type": "windows type",
}  # fmt: skip
WINDOWS_TYPES = {"system": "start", "reserved": "reserved", "recovery": "recovery"}
OF_DISK = ("machine", "serial", "model", "disk", "taken")
MOST_LINES = 200_000  # of a table of many disks
DELIMITERS = "\t;,|"


def looks_like_rows(text: str) -> bool:
    """A first line with a column called size and at least one more that is known."""
    names = _names(text)
    return "size" in names and len([name for name in names if name]) >= 2


class _Line(NamedTuple):
    """A line of the table: its number as a person counts, and its cells by column."""

    number: int
    cells: dict[str, str]


def read_rows(text: str, *, table: Table = "gpt", size: str = "") -> Iterator[Listed | Unreadable]:
    """One disk, or many where there is a column ``machine``. Raises BadSurvey with line and column."""
    lines = [(at, line) for at, line in enumerate(text.splitlines(), 1) if line.strip() and line.lstrip()[0] != "#"]
    names = _names(lines[0][1])
    rows = _lines([line for _, line in lines[1:]], [at for at, _ in lines[1:]], names, _delimiter(lines[0][1]))
    if "machine" not in names:
        if len(rows) > MOST_ROWS:
            raise BadSurvey(
                f"{len(rows)} lines are more than the {MOST_ROWS} partitions of a table", mend="check the file"
            )
        yield _disk(rows, table, size)
        return
    machines: dict[str, list[_Line]] = {}
    for line in rows:
        machines.setdefault(line.cells.get("machine", "").strip(), []).append(line)
    for name, own in machines.items():
        if not name:
            wrong = BadSurvey("the machine is missing", at=f"line {own[0].number}, column machine", mend="name it")
            yield Unreadable("a line without a name", wrong)
            continue
        try:
            yield _machine(name, own, table, size)
        except BadSurvey as error:
            yield Unreadable(name, error)


def _machine(name: str, lines: Sequence[_Line], table: Table, size: str) -> Listed:
    of_disk = {key: next((line.cells[key] for line in lines if line.cells.get(key)), "") for key in OF_DISK}
    made = _disk(lines, table, of_disk["disk"] or size)
    disk = made.survey.disk.but(serial=of_disk["serial"].strip(), model=of_disk["model"].strip())
    taken = of_disk["taken"].strip()
    if taken and not re.fullmatch(r"\d{4}-\d\d-\d\d(T\d\d:\d\d(:\d\d)?Z?)?", taken):
        raise BadSurvey(
            f"“{taken[:40]}” is no date", at=f"line {lines[0].number}, column taken", mend="write 2026-11-23"
        )
    return made._replace(name=name, survey=replace(made.survey, disk=disk, taken=taken))


def _lines(lines: list[str], numbers: list[int], names: list[str], delimiter: str) -> list[_Line]:
    if len(lines) > MOST_LINES:
        raise BadSurvey(f"{len(lines)} lines are more than the {MOST_LINES} of a table", mend="split the file")
    found = []
    try:
        for number, line in zip(numbers, lines, strict=True):
            cells = next(csv.reader(io.StringIO(line), delimiter=delimiter), [])
            if len(cells) > len(names):
                raise BadSurvey(
                    f"it has {len(cells)} cells, the header {len(names)}",
                    at=f"line {number}",
                    mend="put sizes with a comma in quotes",
                )
            filled = {name: cell for name, cell in zip(names, cells, strict=False) if name and cell.strip()}
            found.append(_Line(number, filled))
    except csv.Error as error:
        raise BadSurvey(f"it cannot be read as a table ({error})", mend="check quotes and separators") from None
    return found


def _disk(lines: Sequence[_Line], table: Table, size: str) -> Listed:
    typed = []
    for line in lines:
        fields = {name: cell for name, cell in line.cells.items() if name not in OF_DISK}
        letter, offset = fields.pop("letter", "").strip(": "), fields.pop("offset", "").strip()
        if letter and not fields.get("label"):
            fields["label"] = letter
        if offset:
            fields["start"] = f"{offset}B"
        role = WINDOWS_TYPES.get(fields.pop("windows type", "").strip().lower())
        if role and "role" not in fields:
            fields["role"] = role
        free = fields.pop("free", "")
        if free and "used" not in fields:
            fields["used"] = f"{free} free"
        typed.append(TypedRow(**{"size": "", **fields}))
    try:
        return typed_disk(typed, size=size, table=table, bare="b")
    except BadSurvey as error:
        raise BadSurvey(error.problem, at=_place(error.at, lines), mend=error.mend) from None


def _delimiter(header: str) -> str:
    return max(DELIMITERS, key=header.count)


def _names(text: str) -> list[str]:
    first = next((line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    try:
        cells = next(csv.reader([first], delimiter=_delimiter(first)), [])
    except csv.Error:
        return []
    words = [cell.strip().lower() for cell in cells]
    of_windows = not {"partitionnumber", "sizeremaining", "driveletter", "startingoffset"}.isdisjoint(words)
    columns = COLUMNS | WINDOWS_COLUMNS if of_windows else COLUMNS
    return [columns.get(word, "") for word in words]


def _place(at: str, lines: Sequence[_Line]) -> str:
    """``rows[2].size`` as a person counts the lines of the file; the size of the disk is one of its columns."""
    row, _, column = at.removeprefix("rows[").partition("].")
    if column and row.isdigit() and int(row) < len(lines):
        return f"line {lines[int(row)].number}, column {column}"
    return f"line {lines[0].number}, column disk" if at == "size" and lines and "disk" in lines[0].cells else at
