"""Sizes as typed into a row's field: ``240GiB``, ``+20G``, ``-5%``, ``used+30%``, ``floor``, ``comfort``."""

import re
from dataclasses import dataclass

from ...core.errors import BadSize
from ...core.sizes import Quantity, format_size, read_quantity, to_bytes

_EXPRESSION = re.compile(r"(?P<word>used|floor|comfort|source)?\s*(?P<sign>[+-])?\s*(?P<rest>.*)", re.IGNORECASE)
EXAMPLES = "type a size such as 240GiB, +20G, -5%, used+30%, floor, comfort or rest"


@dataclass(frozen=True, slots=True)
class RowFigures:
    """What the words of an expression stand for, in bytes; None where it is not known."""

    current: int | None
    source: int
    used: int | None
    floor: int | None
    comfort: int | None
    usable: int
    sector: int


def row_size(text: str, figures: RowFigures, bare: str = "gib") -> int:
    """Bytes that ``text`` asks for.

    A word stands for its figure; ``+`` and ``-`` add to the word or, without one, to the row's size on the
    target. ``%`` after a sign is a share of that base, else of the target's usable capacity (rule 1.1). A bare
    number takes the unit ``bare``. Raises BadSize where it makes no sense.
    """
    typed = text.strip()
    match = _EXPRESSION.fullmatch(typed) if len(typed) <= 64 else None
    if not typed or match is None:
        raise BadSize(f"“{typed[:40]}” is not a size", mend=EXAMPLES)
    word, sign, rest = (match["word"] or "").lower(), match["sign"], match["rest"].strip()
    if not sign:
        if word and rest:
            raise BadSize(f"“{typed}” lacks a + or - after “{word}”", mend=EXAMPLES)
        return (
            _figure(word, figures)
            if word
            else to_bytes(_quantity(rest), sector=figures.sector, whole=figures.usable, bare=bare)
        )
    base = _figure(word or "current", figures)
    step = to_bytes(_quantity(rest), sector=figures.sector, whole=base, bare=bare)
    size = base + step if sign == "+" else base - step
    if size <= 0:
        raise BadSize(f"“{typed}” leaves nothing of {format_size(base)}", mend=EXAMPLES)
    return size


def _quantity(text: str) -> Quantity:
    try:
        return read_quantity(text)
    except BadSize as error:
        raise BadSize(error.problem, mend=EXAMPLES) from None


_NAMES = {"used": "used space", "floor": "hard floor", "comfort": "comfort floor", "current": "size on the target"}


def _figure(word: str, figures: RowFigures) -> int:
    value: int | None = getattr(figures, word)
    if value is None:
        raise BadSize(f"the {_NAMES[word]} of this row is not known", mend="type a size such as 240GiB")
    return value
