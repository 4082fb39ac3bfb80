"""Sizes (rule 1): units, reading and writing them, nominal sizes to sectors. Integers only.

``Bytes``, ``Sectors`` and ``Grains`` are integers that must not be mixed; every extent is half-open.
"""

import re
from collections.abc import Iterable
from fractions import Fraction
from typing import Literal, NamedTuple, NewType

from .errors import BadSize

Bytes = NewType("Bytes", int)
Sectors = NewType("Sectors", int)
Grains = NewType("Grains", int)
Units = Literal["binary", "decimal"]

KiB, MiB, GiB, TiB = (1024**n for n in (1, 2, 3, 4))
MAX_BYTES = 2**63 - 1
DEFAULT_GRAIN = Bytes(MiB)

# IEC 80000-13: binary prefixes are powers of 1024, decimal ones of 1000. A single letter is binary (rule 1.1).
UNIT_BYTES: dict[str, int] = {
    "b": 1,
    **{f"{p}ib": 1024**n for n, p in enumerate("kmgtp", 1)},
    **{f"{p}b": 1000**n for n, p in enumerate("kmgtp", 1)},
    **{p: 1024**n for n, p in enumerate("kmgtp", 1)},
}
DECIMAL_UNITS = frozenset(("kb", "mb", "gb", "tb", "pb"))

_SIZE = re.compile(r"\s*(?P<number>\d+(?:\.\d+)?|\.\d+)\s*(?P<unit>[a-z]*|%)\s*", re.IGNORECASE | re.ASCII)
_EXAMPLES = "write a number with a unit, such as 240GiB, 513 MiB or 480GB"


class Extent(NamedTuple):
    """A half-open stretch ``[start, stop)``, in the unit that the holder names."""

    start: int
    stop: int

    @property
    def length(self) -> int:
        return self.stop - self.start


def div_up(value: int, by: int) -> int:
    """``value / by`` rounded up, for non-negative and negative values alike."""
    return -(-value // by)


class Quantity(NamedTuple):
    """A number as typed, before its unit is applied; ``unit`` is lower case, ``""`` where none was given."""

    number: Fraction
    unit: str


def known_sum(figures: Iterable[int | None]) -> int | None:
    """All of them together; None where one is not known (rule 9.2)."""
    total = 0
    for figure in figures:
        if figure is None:
            return None
        total += figure
    return total


def read_quantity(text: str) -> Quantity:
    """Split ``text`` into number and unit. Raises BadSize for anything else."""
    match = _SIZE.fullmatch(text) if len(text) <= 64 else None
    if match is None:
        raise BadSize(f"{_shown(text)} is not a size", mend=_EXAMPLES)
    unit = match["unit"].lower()
    if unit not in UNIT_BYTES and unit not in ("", "s", "%"):
        raise BadSize(f"{_shown(text)} has a unit that is not known", mend=_EXAMPLES)
    return Quantity(Fraction(match["number"]), unit)


def to_bytes(quantity: Quantity, *, sector: int | None = None, whole: int | None = None, bare: str = "b") -> Bytes:
    """Bytes of a quantity, rounded down to a whole byte (rule 1.1).

    ``sector`` is the bytes of ``s``, ``whole`` the bytes of which ``%`` is a share, ``bare`` the unit
    that a number without one takes.
    """
    unit = quantity.unit or bare
    if unit == "s":
        if sector is None:
            raise BadSize("sectors cannot be used here", mend=_EXAMPLES)
        scale = Fraction(sector)
    elif unit == "%":
        if whole is None:
            raise BadSize("a percentage cannot be used here", mend=_EXAMPLES)
        scale = Fraction(whole, 100)
    else:
        scale = Fraction(UNIT_BYTES[unit])
    value = quantity.number * scale
    if value > MAX_BYTES:
        raise BadSize("the size is over 2^63 - 1 bytes", mend="give a smaller one")
    return Bytes(int(value))


def parse_size(text: str, *, sector: int | None = None, whole: int | None = None, bare: str = "b") -> Bytes:
    """Bytes of a size as typed: ``240GiB``, ``513 MiB``, ``480GB``, ``20G``, ``2048s``, ``50%`` (rule 1.1)."""
    return to_bytes(read_quantity(text), sector=sector, whole=whole, bare=bare)


def format_size(value: int, units: Units = "binary") -> str:
    """Three significant digits and a unit: ``201 GiB``, ``70.3 GiB``, ``980 MiB``. For reading, never for computing."""
    step, names = (
        (1024, ("B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"))
        if units == "binary"
        else (1000, ("B", "kB", "MB", "GB", "TB", "PB", "EB"))
    )
    sign, value = ("-", -value) if value < 0 else ("", value)
    scale = 1
    for unit in names:
        if (value * 2 + scale) // (2 * scale) < step or unit == names[-1]:
            break
        scale *= step
    for digits in (2, 1, 0) if scale > 1 else (0,):
        scaled = (value * 10**digits * 2 + scale) // (2 * scale)
        if scaled < 1000:
            break
    whole, part = divmod(scaled, 10**digits)
    return f"{sign}{whole}.{part:0{digits}d} {unit}" if part else f"{sign}{whole} {unit}"


def both_sizes(value: int) -> str:
    """A whole disk's size as on the label and as a system shows it (rule 1.2): ``256 GB, shows as 238 GiB``."""
    return f"{format_size(value, 'decimal')}, shows as {format_size(value)}"


# IDEMA LBA1-03: sectors of a disk sold as so many GB, by logical sector size: (count at 50 GB, count per further GB).
IDEMA = {512: (97_696_368, 1_953_504), 4096: (12_212_046, 244_188)}
GB = 10**9


def nominal_sectors(label_bytes: int, sector: int) -> Sectors:
    """Sectors of a disk whose label says ``label_bytes`` (rule 1.3); IDEMA's formula from 50 GB on, in whole GB."""
    gigabytes, part = divmod(label_bytes, GB)
    if gigabytes >= 50 and part == 0 and sector in IDEMA:
        base, step = IDEMA[sector]
        return Sectors(base + step * (gigabytes - 50))
    return Sectors(label_bytes // sector)


def _shown(text: str) -> str:
    short = text if len(text) <= 40 else text[:37] + "…"
    return f"“{short}”"
