"""The shelf as CSV and JSON. A column is one entry of ``COLUMNS``: what it is called, how it is read and written."""

import csv
import io
import re
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from ...core.buy.shelf import FORMS, MOST_PRICE, MOST_SHELF, FormFactor, ShelfDisk
from ...core.disk.model import Disk, Link
from ...core.errors import BadOption, YlemorphError
from ...core.plain import plain_line
from ...core.sizes import GB
from ..documents.cells import Cell, to_csv, unguarded
from ..listings.typed_rows import plain_number
from .targets import target_from_text

LINK_WORDS: dict[str, Link] = {
    "sata": "sata", "nvme": "nvme", "pcie": "nvme", "usb2": "usb2", "usb 2": "usb2", "usb3": "usb3", "usb 3": "usb3",
    "network": "network", "unknown": "unknown", "": "unknown",
}  # fmt: skip
FORM_WORDS: dict[str, FormFactor] = {
    **{form: form for form in FORMS},
    "": "unknown",
    "3.5": "3.5-inch",
    "2.5": "2.5-inch",
    '3.5"': "3.5-inch",
    '2.5"': "2.5-inch",
    "m2": "m.2",
}
MOST_NAME = 120
MOST_NOTE = 400
DELIMITERS = "\t;,|"


class Column(NamedTuple):
    """One column: its header, other spellings, the text that is written of a disk, and a help for people."""

    key: str
    spellings: tuple[str, ...]
    write: Callable[[ShelfDisk], Cell]
    help: str


def size_text(disk: Disk) -> str:
    """As it is typed: the size on the label where the sectors are those of one, else the sectors."""
    label = round(disk.size_bytes / GB)
    for text in (f"{label}GB", f"{label // 10 * 10}GB"):
        if label and target_from_text(text, disk.logical_sector_bytes).sectors == disk.sectors:
            return text
    return f"{disk.sectors}s"


COLUMNS = (
    Column("name", ("disk", "model"), lambda item: item.name, "what it is called"),
    Column("size", ("capacity", "sectors"), lambda item: size_text(item.disk), "480GB on the label, or 937703088s"),
    Column(
        "sector_bytes", ("sector", "logical_sector_bytes"), lambda item: item.disk.logical_sector_bytes, "512 or 4096"
    ),
    Column("link", ("interface",), lambda item: item.link, "sata, nvme, usb3"),
    Column("form", ("form factor", "form_factor"), lambda item: item.form, "3.5-inch, 2.5-inch, m.2"),
    Column("price", (), lambda item: None if item.price is None else item.price / 100, "for one, with two digits"),
    Column("currency", (), lambda item: item.currency, "EUR"),
    Column("stock", ("in stock", "count"), lambda item: item.stock, "how many there are; empty: enough"),
    Column("note", ("notes", "remark"), lambda item: item.note, ""),
)
BY_SPELLING = {word: column.key for column in COLUMNS for word in (column.key, *column.spellings)}


def shelf_to_csv(shelf: Sequence[ShelfDisk]) -> str:
    return to_csv([column.key for column in COLUMNS], [[column.write(item) for column in COLUMNS] for item in shelf])


def shelf_disk_from(texts: Mapping[str, str], at: str = "") -> ShelfDisk:
    """One disk from its cells as text. Raises BadOption with the cell's place."""

    def place(key: str) -> str:
        return f"{at}, column {key}" if at else key

    def refuse(key: str, problem: str, mend: str) -> BadOption:
        return BadOption(problem, at=place(key), mend=mend)

    def cell(key: str, most: int = MOST_NAME) -> str:
        text = plain_line(unguarded(texts.get(key, "").strip()))
        if len(text) > most:
            raise refuse(key, f"it has {len(text)} characters", f"keep it under {most}")
        return text

    name = cell("name")
    if not name:
        raise refuse("name", "the name is missing", "give each disk a name")
    sector = cell("sector_bytes") or "512"
    if sector not in ("512", "4096"):
        raise refuse("sector_bytes", f"“{sector}” is no sector size", "write 512 or 4096")
    link, form = LINK_WORDS.get(cell("link").lower()), FORM_WORDS.get(cell("form").lower())
    if link is None:
        raise refuse("link", f"“{cell('link')}” is no link", "write " + ", ".join(sorted(set(LINK_WORDS.values()))))
    if form is None:
        raise refuse("form", f"“{cell('form')}” is no form factor", "write " + ", ".join(FORMS))
    try:
        text = cell("size")
        disk = target_from_text(plain_number(text, place("size")) if not text.endswith("s") else text, int(sector))
    except YlemorphError as error:
        raise refuse(
            "size", error.problem if cell("size") else "the size is missing", "write 480GB or 937703088s"
        ) from None
    price = _price(cell("price"), place("price"))
    currency = cell("currency").upper()
    if price is not None and not re.fullmatch(r"[A-Z]{3}|", currency):
        raise refuse("currency", f"“{currency[:20]}” is no currency", "write three letters, such as EUR")
    return ShelfDisk(
        name,
        disk.but(link=link, physical_sector_bytes=4096),
        form,
        price,
        currency if price is not None else "",
        _stock(cell("stock"), place("stock")),
        cell("note", MOST_NOTE),
    )


def _price(text: str, at: str) -> int | None:
    if not text:
        return None
    figure = plain_number(text, at).strip()
    if not re.fullmatch(r"\d{1,9}(\.\d{1,2})?", figure):
        raise BadOption(f"“{text[:40]}” is no price", at=at, mend="write 79.90, and the currency beside it")
    whole, _, part = figure.partition(".")
    price = int(whole) * 100 + int(part.ljust(2, "0") or 0)
    if price > MOST_PRICE:
        raise BadOption("the price is out of range", at=at, mend="check it")
    return price


def _stock(text: str, at: str) -> int | None:
    if not text:
        return None
    if not re.fullmatch(r"\d{1,6}", text):
        raise BadOption(f"“{text[:40]}” is no count", at=at, mend="write a whole number, or leave it empty for enough")
    return int(text)


def read_shelf(text: str) -> list[ShelfDisk]:
    """From CSV with a header line, whatever separates the cells. Raises BadOption with line and column."""
    lines = [(at, line) for at, line in enumerate(text.removeprefix("\ufeff").splitlines(), 1) if line.strip()]
    if not lines:
        raise BadOption("there is nothing in it", at="shelf", mend="give a line a disk, under a header line")
    delimiter = max(DELIMITERS, key=lines[0][1].count)
    header = [BY_SPELLING.get(cell.strip().lower(), "") for cell in _cells(lines[0][1], delimiter, "line 1")]
    for needed in ("name", "size"):
        if needed not in header:
            raise BadOption(
                f"there is no column “{needed}”",
                at="line 1",
                mend="give a header line with " + ", ".join(column.key for column in COLUMNS),
            )
    if len(lines) - 1 > MOST_SHELF:
        raise BadOption(f"{len(lines) - 1} disks are more than {MOST_SHELF}", at="shelf", mend="give a part of them")
    made = []
    for at, line in lines[1:]:
        cells = _cells(line, delimiter, f"line {at}")
        if len(cells) > len(header):
            raise BadOption(
                f"it has {len(cells)} cells, the header {len(header)}",
                at=f"line {at}",
                mend="put a price with a comma in quotes, or separate the cells by semicolons",
            )
        made.append(shelf_disk_from(dict(zip(header, cells, strict=False)), f"line {at}"))
    names = [item.name for item in made]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise BadOption(f"“{twice}” stands there twice", at="shelf", mend="give each disk a name of its own")
    return made


def _cells(line: str, delimiter: str, at: str) -> list[str]:
    try:
        return next(csv.reader(io.StringIO(line), delimiter=delimiter), [])
    except csv.Error as error:
        raise BadOption(f"it cannot be read as a table ({error})", at=at, mend="check quotes and separators") from None


def shelf_disk_to_texts(item: ShelfDisk) -> dict[str, str]:
    """The cells of one disk as text, as they are kept; ``shelf_disk_from`` reads them back equal."""
    texts: dict[str, Cell] = {column.key: column.write(item) for column in COLUMNS}
    texts["price"] = None if item.price is None else f"{item.price // 100}.{item.price % 100:02}"
    return {key: "" if value is None else str(value) for key, value in texts.items()}
