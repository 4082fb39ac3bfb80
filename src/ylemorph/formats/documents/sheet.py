"""The work sheet as PDF: everything that goes to the bench, on one or two A4 pages. Lengths are millimetres."""

from typing import Any, NamedTuple

from ...core.carry.carrying import Carrying
from ...core.carry.check_lists import When
from ...core.carry.sequence import Step
from ...core.carry.step_kinds import words_of
from ...core.carry.times import time_range
from ...core.carry.typed import figures_of
from ...core.carry.will_start import will_start
from ...core.disk.filesystems import KIND_NAMES
from ...core.disk.model import Disk
from ...core.fit.fits import FIT_NAMES
from ...core.fit.layout import verdict_name
from ...core.fit.plan import PlanRow
from ...core.script.price import price_for
from ...core.sizes import MiB, both_sizes, format_size
from .lines import SYSTEMS, lines_of
from .paper import INK, MUTED, SMALL, Paper
from .steps_text import figure_text, headline

LEFT, TOP, WIDTH, BOTTOM = 14, 12, 182, 14
LINE = 4.0  # height of a line
RULE = (221, 214, 200)
COLOURS = {
    "shrinks": (142, 59, 111),
    "grows": (28, 122, 114),
    "holds": (89, 97, 110),
    "made": (150, 96, 15),
    "left": (108, 106, 100),
}
PICTURE, COLUMN = 46, 13  # height of the picture, width of a disk in it


class Heading(NamedTuple):
    """What people call the job."""

    name: str = ""
    code: str = ""
    machine: str = ""


class _Sheet(Paper):
    def begin(self) -> None:
        self.set_margins(LEFT, TOP, LEFT)
        self.set_auto_page_break(True, BOTTOM)
        self.add_page()

    def footer(self) -> None:
        self.set_y(-10)
        self.font(muted=True)
        self.cell(WIDTH, LINE, f"{self.fitting(str(self.title), 150)} · page {self.page_no()} of {{nb}}", align="R")

    def say(self, text: str, width: float = WIDTH, indent: float = 0) -> None:
        """A paragraph at the left margin."""
        self.set_x(LEFT + indent)
        self.multi_cell(width - indent, LINE, self.known(text), align="L", new_x="LMARGIN", new_y="NEXT")

    def head(self, text: str) -> None:
        self.ln(1.6)
        if self.get_y() > self.h - BOTTOM - 3 * LINE:
            self.add_page()
        self.font(9, "B")
        self.say(text)
        self.set_draw_color(*RULE)
        self.line(LEFT, self.get_y(), LEFT + WIDTH, self.get_y())
        self.ln(0.8)

    def box(self, x: float, y: float) -> None:
        """An empty box to tick."""
        self.set_draw_color(*INK)
        self.rect(x, y + 0.7, 2.5, 2.5)


def sheet_pdf(made: Carrying, heading: Heading = Heading()) -> bytes:  # noqa: B008  # an empty value, never changed
    """The sheet of a plan and its steps."""
    words = [heading.name or "Work sheet", heading.code, heading.machine]
    sheet = _Sheet(" · ".join(word for word in words if word))
    sheet.font(14, "B")
    sheet.multi_cell(WIDTH, 7, sheet.known(str(sheet.title)), new_x="LMARGIN", new_y="NEXT")
    plan = made.ground.plan
    sheet.font(9)
    sheet.say(f"{verdict_name(plan.verdict)} · {FIT_NAMES[plan.fit]} · {plan.frame.table.upper()}")
    sheet.font(9, "B")
    sheet.say(headline(made))
    price = price_for(made.ground, made.way.key) if made.way else None
    if price is not None:
        sheet.font(9)
        sheet.say(f"By our script: {price.sentence(made.units)}")
        sheet.font(9, "B")
    sheet.say(will_start(made.ground.plan).line)
    _disks(sheet, made)
    _rows(sheet, made)
    _findings(sheet, made)
    _lines(sheet, made, "before", "Before")
    _steps(sheet, made)
    _lines(sheet, made, "after", "Afterwards")
    return bytes(sheet.output())


def _disks(sheet: _Sheet, made: Carrying) -> None:
    """Both disks with their signs and sizes, beside the picture to scale."""
    sheet.ln(2)
    top = sheet.get_y()
    for word, disk in (("Source", made.ground.plan.source), ("Target", made.ground.plan.target)):
        sheet.font(SMALL, muted=True)
        sheet.say(word)
        sheet.font(9, "B")
        sheet.say(disk.model or "not named", WIDTH - 70)
        sheet.font(SMALL)
        for text in _disk_lines(disk):
            sheet.say(text, WIDTH - 70)
        sheet.ln(1)
    _picture(sheet, made, LEFT + WIDTH - 64, top)
    sheet.set_y(max(sheet.get_y(), top + PICTURE + 5))


def _disk_lines(disk: Disk) -> list[str]:
    return [
        f"Serial {disk.serial or 'not known'} · {disk.table.upper() if disk.table != 'none' else 'no table'}",
        f"{both_sizes(disk.size_bytes)} · {disk.sectors} sectors of {disk.logical_sector_bytes} bytes",
    ]


def _picture(sheet: _Sheet, made: Carrying, x: float, top: float) -> None:
    """Before and after on one scale; the colour tells what happens to a row."""
    plan = made.ground.plan
    scale = PICTURE / max(plan.source.size_bytes, plan.target.size_bytes, 1)
    for place, (disk, word) in enumerate(((plan.source, "before"), (plan.target, "after"))):
        left = x + place * (COLUMN + 18)
        sheet.font(6.6, muted=True)
        sheet.set_xy(left, top)
        sheet.cell(COLUMN, 3, word, align="C")
        sheet.set_draw_color(*MUTED)
        sheet.set_dash_pattern(0.6, 0.6)
        sheet.rect(left, top + 4, COLUMN, max(0.6, disk.size_bytes * scale))
        sheet.set_dash_pattern()
        for row in plan.rows:
            at = _extent(row, first=place == 0)
            if at is not None:
                _block(sheet, row, left, top + 4 + at[0] * scale, max(0.5, at[1] * scale - 0.15))


def _extent(row: PlanRow, *, first: bool) -> tuple[int, int] | None:
    """Start and size in bytes on the source or on the target."""
    partition, sector = row.row.partition, row.frame.logical_sector_bytes
    if first:
        if partition is None:
            return None
        size = row.source_bytes
        return partition.first_lba * (size // partition.sectors if partition.sectors else sector), size
    if row.first_lba is None or row.size_bytes is None:
        return None
    return row.first_lba * sector, row.size_bytes


def _block(sheet: _Sheet, row: PlanRow, x: float, y: float, height: float) -> None:
    sheet.set_fill_color(*COLOURS[row.change])
    sheet.rect(x, y, COLUMN, height, style="F")
    if height > 2.4:
        sheet.set_xy(x + COLUMN + 0.5, y + height / 2 - 1.5)
        sheet.font(6.6)
        sheet.cell(16, 3, sheet.fitting(row.label, 16))


COLUMNS: tuple[tuple[str, float, str], ...] = (
    ("Row", 38, "L"),
    ("Kind", 17, "L"),
    ("What", 16, "L"),
    ("Was", 18, "R"),
    ("Will be", 18, "R"),
    ("Exactly, MiB", 22, "R"),
    ("First sector", 25, "R"),
    ("Sectors", 28, "R"),
)


def _rows(sheet: _Sheet, made: Carrying) -> None:
    sheet.head("Rows")
    sheet.font(SMALL, muted=True)
    _cells(sheet, [name for name, _, _ in COLUMNS])
    for row in made.ground.plan.rows:
        sheet.font(SMALL, "B" if row.change in ("shrinks", "grows") else "")
        _cells(sheet, _row_cells(row))


def _row_cells(row: PlanRow) -> list[str]:
    kind = KIND_NAMES[row.kind] if row.kind != "unknown" else row.role
    what = {"left": "left behind", "made": "made new"}.get(row.change, row.change)
    size = row.size_bytes
    was = format_size(row.source_bytes) if row.source_bytes else ""
    if size is None:
        return [row.label, kind, what, was, "", "", "", ""]
    exact = str(size // MiB) if size % MiB == 0 else f"{size / MiB:.3f}"
    return [row.label, kind, what, was, format_size(size), exact, str(row.first_lba), str(row.sectors)]


def _cells(sheet: _Sheet, texts: list[str]) -> None:
    sheet.set_x(LEFT)
    for (_, width, align), text in zip(COLUMNS, texts, strict=True):
        sheet.cell(width, LINE, sheet.fitting(text, width - 1), align=align)
    sheet.ln(LINE)


def _findings(sheet: _Sheet, made: Carrying) -> None:
    findings = made.ground.plan.findings
    if not findings:
        return
    sheet.head("To beware of")
    sheet.font()
    for finding in findings:
        sheet.say(f"{finding.level.upper()}  {finding.text()} {finding.do()}")


def _lines(sheet: _Sheet, made: Carrying, when: When, title: str) -> None:
    """A check list in two columns."""
    items = [item for item in made.lists if item.when == when]
    if not items:
        return
    sheet.head(title)
    sheet.font()
    half = WIDTH / 2
    for place in range(0, len(items), 2):
        if sheet.get_y() > sheet.h - BOTTOM - LINE:
            sheet.add_page()
        y = sheet.get_y()
        for side, item in enumerate(items[place : place + 2]):
            x = LEFT + side * half
            sheet.box(x, y)
            sheet.set_xy(x + 4, y)
            sheet.cell(half - 5, LINE, sheet.fitting(item.text, half - 6))
        sheet.set_y(y + LINE)


def _steps(sheet: _Sheet, made: Carrying) -> None:
    way = made.way
    if way is None or way.steps is None:
        return
    sheet.head("Steps")
    for number, step in enumerate(way.steps, 1):
        _step(sheet, made, number, step)


def _by_hand(made: Carrying, step: Step) -> list[str]:
    """What changes its length, by each system that has something for it; the whole lines stand on the screen."""
    return [f"{SYSTEMS[one.system]}: {'; '.join(one.own)}" for one in lines_of(made, step) if one.own]


def _step(sheet: _Sheet, made: Carrying, number: int, step: Step) -> None:
    assert made.way is not None
    words: Any = words_of(made.ground, made.way.key, step)
    if sheet.get_y() > sheet.h - BOTTOM - 2 * LINE:
        sheet.add_page()
    y = sheet.get_y()
    sheet.box(LEFT, y)
    sheet.font(muted=True)
    sheet.set_xy(LEFT + WIDTH - 34, y)
    sheet.cell(34, LINE, time_range(step.seconds), align="R")
    sheet.set_xy(LEFT, y)
    figures = [figure_text(figure) for figure in figures_of(step, made.ground.shapes[step.disk].sector_bytes)]
    sheet.font(SMALL, "B" if figures else "")
    sheet.say(f"{number}. {words.say}", WIDTH - 36, 4)
    if figures:
        sheet.font(SMALL - 1.2, family="mono")
        sheet.say(" · ".join(figures), WIDTH, 9)
    for command in words.typed or (_by_hand(made, step) if figures else ()):
        sheet.font(SMALL - 1.2, family="mono")
        sheet.say(command, WIDTH, 9)
    for text in words.before if step.kind not in ("check", "grow") else ():
        sheet.font(muted=True)
        sheet.say(f"first: {text}", WIDTH, 9)
