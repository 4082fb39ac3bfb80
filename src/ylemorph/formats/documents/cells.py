"""Tables for spreadsheets: CSV whose text cannot become a formula, and sheets with figures as figures."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import IO, Any

Cell = str | int | float | None
# A spreadsheet takes a cell that begins so for a formula; a quote before it makes it text again.
FORMULA = ("=", "+", "-", "@", "\t", "\r")
GUARD = "'"


def guarded(cell: Cell) -> Cell:
    """Text that a spreadsheet would calculate, as text; figures stay figures."""
    return GUARD + cell if isinstance(cell, str) and cell.startswith(FORMULA) else cell


def unguarded(text: str) -> str:
    return text[1:] if text.startswith(GUARD) and text[1:].startswith(FORMULA) else text


def to_csv(header: Sequence[str] | None, rows: Iterable[Sequence[Cell]]) -> str:
    """RFC 4180 with a header line unless there is none, lines ended by a line feed."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    if header is not None:
        writer.writerow(header)
    writer.writerows(
        [guarded(cell) if type(cell) is str and cell[:1] in FORMULA else cell for cell in row] for row in rows
    )
    return out.getvalue()


def write_sheet(file: IO[bytes], title: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> None:
    """An Office Open XML workbook (ECMA-376) with one sheet; text is always text, whatever it begins with."""
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    book = Workbook(write_only=True)
    sheet = book.create_sheet(title)
    sheet.freeze_panes = "B2"

    def as_cell(value: Cell) -> Any:
        if not isinstance(value, str):
            return value
        cell = WriteOnlyCell(sheet, value="".join(c for c in value if c >= " " or c in "\t\n"))
        cell.data_type = "s"
        return cell

    head = [WriteOnlyCell(sheet, value=name) for name in header]
    for cell in head:
        cell.font = Font(bold=True)
    sheet.append(head)
    for row in rows:
        sheet.append([as_cell(value) for value in row])
    book.save(file)
