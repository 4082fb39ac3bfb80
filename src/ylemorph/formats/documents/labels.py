"""Labels for the two disks of a job, for printing on 70 by 37 mm (24 on A4; common practice, no source).

Each says which disk it is for, the job, both serials, and has a QR code (ISO/IEC 18004) that opens the job. Lengths are
millimetres.
"""

from typing import NamedTuple

import segno

from ...core.disk.model import Disk
from ...core.sizes import format_size
from .paper import Paper
from .sheet import Heading

WIDTH, HEIGHT, ACROSS, DOWN = 70.0, 37.0, 3, 8
QUIET = 4  # modules of white around the code, as the standard asks
CODE, EDGE = 29.0, 3.0  # side of the code with its white, and what printers leave white


class LabelText(NamedTuple):
    """``address``: what the code opens."""

    heading: Heading
    source: Disk
    target: Disk
    address: str


def label_pdf(text: LabelText) -> bytes:
    """Two pages of one label each: for the old disk and for the new one."""
    paper = Paper("Labels", (WIDTH, HEIGHT))
    for place, which in enumerate(("Old disk", "New disk")):
        if place:
            paper.add_page()
        _label(paper, text, which, 0, 0)
    return bytes(paper.output())


def label_sheet_pdf(text: LabelText) -> bytes:
    """A sheet full of them, old and new in turn, whichever labels of it are still there."""
    paper = Paper("Labels", "A4")
    left, top = (paper.w - ACROSS * WIDTH) / 2, (paper.h - DOWN * HEIGHT) / 2
    for place in range(ACROSS * DOWN):
        row, column = divmod(place, ACROSS)
        which = ("Old disk", "New disk")[place % 2]
        _label(paper, text, which, left + column * WIDTH, top + row * HEIGHT)
    return bytes(paper.output())


def _label(paper: Paper, text: LabelText, which: str, x: float, y: float) -> None:
    _code(paper, text.address, x + EDGE, y + (HEIGHT - CODE) / 2)
    left, width = x + EDGE + CODE + 1.5, WIDTH - CODE - 2 * EDGE - 1.5
    disk = text.source if which == "Old disk" else text.target
    lines = [
        (10.0, "B", "sans", which),
        (8.0, "B", "sans", text.heading.code or "Ylemorph"),
        (7.0, "", "sans", text.heading.name or text.heading.machine),
        (7.0, "", "sans", f"{disk.model} {format_size(disk.size_bytes, 'decimal')}".strip()),
        (6.5, "", "mono", f"old {text.source.serial or 'no serial'}"),
        (6.5, "", "mono", f"new {text.target.serial or 'no serial'}"),
    ]
    at = y + 5.0
    for size, style, family, words in lines:
        paper.font(size, style, family)
        paper.set_xy(left, at)
        paper.cell(width, 4, paper.fitting(words, width - 1))
        at += 4.6


def _code(paper: Paper, address: str, x: float, y: float) -> None:
    rows = [list(row) for row in segno.make_qr(address, error="m").matrix_iter(border=QUIET)]
    step = CODE / len(rows)
    paper.set_fill_color(0, 0, 0)
    for down, row in enumerate(rows):
        for across, dark in enumerate(row):
            if dark:
                paper.rect(x + across * step, y + down * step, step * 1.02, step * 1.02, "F")
