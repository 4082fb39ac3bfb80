"""A plan as a picture: source and target as columns on one true scale, a ribbon from each row to what becomes of it.

Plain SVG 1.1 without scripts or outside fonts, for a work sheet or an e-mail.
"""

from collections.abc import Iterator
from typing import NamedTuple
from xml.sax.saxutils import escape

from ...core.disk.model import Disk
from ...core.fit.fits import FIT_NAMES
from ...core.fit.layout import verdict_name
from ...core.fit.plan import Plan, PlanRow
from ...core.plain import plain_line
from ...core.sizes import both_sizes, format_size

WIDTH, TOP, HEIGHT, COLUMN = 900, 80, 460, 44
LEFT, RIGHT = 300, 560
LEAST = 7.0
LINE = 15
COLOURS = {"shrinks": "#8E3B6F", "grows": "#1C7A72", "holds": "#59616E", "made": "#A86A12", "left": "#6C6A64"}
SIGNS = {"shrinks": "▼", "grows": "▲", "holds": "=", "made": "+", "left": "–"}
WORDS = {"made": "made new", "left": "left behind"}


class _Block(NamedTuple):
    """One stretch of a column; ``row`` is None for what stands unallocated."""

    row: PlanRow | None
    y: float
    height: float


def plan_to_svg(plan: Plan, source: Disk, target: Disk) -> str:
    """The picture as text. A plan that does not fit has an empty target with what is missing."""
    scale = HEIGHT / max(source.size_bytes, target.size_bytes)
    sector = source.logical_sector_bytes
    firsts = {p.number: p.first_lba * sector for p in source.rows}
    left = _column([(firsts[r.number], r.source_bytes, r) for r in plan.rows if r.number in firsts], scale)
    unit = plan.frame.logical_sector_bytes
    placed = [(r.first_lba * unit, r.size_bytes or 0, r) for r in plan.rows if r.first_lba is not None]
    gaps = [(gap.start * unit, gap.length * unit, None) for gap in plan.unallocated]
    right = _column([*placed, *gaps], scale)
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {TOP + HEIGHT + 30}" font-family="sans-serif"'
        ' font-size="12" fill="#23262D">',
        f'<rect width="{WIDTH}" height="{TOP + HEIGHT + 30}" fill="#FFFDF9"/>',
        _text(20, 28, f"{verdict_name(plan.verdict)} · {FIT_NAMES[plan.fit]}", size=18),
        _text(20, 56, f"{plain_line(source.model) or 'Source'} · {both_sizes(source.size_bytes)}"),
        _text(RIGHT + COLUMN + 20, 56, f"{plain_line(target.model) or 'Target'} · {both_sizes(target.size_bytes)}"),
        *_ribbons(left, right),
        *_blocks(left, LEFT),
        *_blocks(right, RIGHT),
        *_labels(left, right),
    ]
    if plan.verdict == "does-not-fit":
        lines.append(_outline(RIGHT, TOP, target.size_bytes * scale))
        lines.append(_text(RIGHT + COLUMN + 20, TOP + 14, f"{format_size(plan.shortfall_bytes)} short", size=14))
    return "\n".join([*lines, "</svg>"]) + "\n"


def _column(pieces: list[tuple[int, int, PlanRow | None]], scale: float) -> list[_Block]:
    """Blocks in the order of their starts, each at least so high that it can be seen; the large ones give way."""
    ordered = sorted(pieces, key=lambda piece: piece[0])
    wanted = [size * scale for _, size, _ in ordered]
    short = sum(max(0.0, LEAST - height) for height in wanted)
    room = sum(max(0.0, height - LEAST) for height in wanted) or 1.0
    y, out = float(TOP), []
    for height, (_, _, row) in zip(wanted, ordered, strict=True):
        drawn = max(LEAST, height - short * max(0.0, height - LEAST) / room)
        out.append(_Block(row, y, drawn))
        y += drawn
    return out


def _blocks(blocks: list[_Block], x: int) -> Iterator[str]:
    for block in blocks:
        if block.row is None:
            yield _outline(x, block.y, block.height)
            continue
        row, colour = block.row, COLOURS[block.row.change]
        whole = row.source_bytes if x == LEFT else row.size_bytes or 1
        used = min(1.0, (row.used_bytes or 0) / whole) if whole else 0.0
        yield _rect(x, block.y, block.height - 1, colour, 0.2)
        yield _rect(x, block.y, (block.height - 1) * used, colour, 1.0)
        floors = ((row.hard_floor_bytes, ""), (row.comfort_floor_bytes, ' stroke-dasharray="2 3"'))
        for floor, dash in floors if x == RIGHT else ():
            if floor is not None and floor <= whole:
                y = block.y + block.height * floor / whole
                yield f'<path d="M{x - 6} {y:.1f}h{COLUMN + 12}" stroke="#23262D" stroke-width="1.5"{dash}/>'


def _ribbons(left: list[_Block], right: list[_Block]) -> Iterator[str]:
    targets = {block.row.number: block for block in right if block.row is not None}
    middle = (LEFT + COLUMN + RIGHT) / 2
    for block in left:
        to = targets.get(block.row.number) if block.row else None
        if block.row is None or to is None:
            continue
        a, b, c, d = block.y, to.y, to.y + to.height, block.y + block.height
        yield (
            f'<path d="M{LEFT + COLUMN} {a:.1f}C{middle} {a:.1f} {middle} {b:.1f} {RIGHT} {b:.1f}V{c:.1f}'
            f'C{middle} {c:.1f} {middle} {d:.1f} {LEFT + COLUMN} {d:.1f}Z" fill="{COLOURS[block.row.change]}"'
            ' opacity="0.15"/>'
        )


def _labels(left: list[_Block], right: list[_Block]) -> Iterator[str]:
    for y, block in _apart(left):
        row = block.row
        if row is not None:
            used = f" · {format_size(row.used_bytes)} used" if row.used_bytes is not None else ""
            yield _text(LEFT - 14, y, f"{row.label} · {format_size(row.source_bytes)}{used}", anchor="end")
            if row.change == "left":
                yield _text(LEFT + COLUMN + 8, y, "left behind", colour=COLOURS["left"])
    for y, block in _apart(right):
        row = block.row
        if row is None:
            yield _text(RIGHT + COLUMN + 20, y, "unallocated", colour=COLOURS["left"])
        elif row.size_bytes is not None:
            free = f" · {format_size(row.free_after_bytes)} free" if row.free_after_bytes is not None else ""
            words = (
                f"{SIGNS[row.change]} {row.label} · {format_size(row.size_bytes)} · {WORDS.get(row.change, row.change)}"
            )
            yield _text(RIGHT + COLUMN + 20, y, words + free, colour=COLOURS[row.change])


def _apart(blocks: list[_Block]) -> Iterator[tuple[float, _Block]]:
    """A label's base line for each block: beside its middle, a line apart from the one above."""
    last = TOP - float(LINE)
    for block in blocks:
        last = max(last + LINE, block.y + block.height / 2 + 4)
        yield last, block


def _rect(x: int, y: float, height: float, colour: str, opacity: float) -> str:
    size = f'width="{COLUMN}" height="{max(0.0, height):.1f}"'
    return f'<rect x="{x}" y="{y:.1f}" {size} fill="{colour}" opacity="{opacity}"/>'


def _outline(x: int, y: float, height: float) -> str:
    size = f'width="{COLUMN - 1}" height="{max(1.0, height - 1):.1f}"'
    return f'<rect x="{x + 0.5}" y="{y + 0.5:.1f}" {size} fill="none" stroke="#BDB49C" stroke-dasharray="3 3"/>'


def _text(x: float, y: float, text: str, *, size: int = 12, anchor: str = "start", colour: str = "#23262D") -> str:
    style = f'font-size="{size}" text-anchor="{anchor}" fill="{colour}"'
    return f'<text x="{x}" y="{y:.1f}" {style}>{escape(text)}</text>'
