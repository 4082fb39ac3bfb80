"""How long something takes, as a range that a person would promise (rule 11). Integers only.

What is uncertain has causes: how quick the source is, the target, the copier, how many files there are. For each cause
it is asked how much less and how much more the whole would take for it alone, all others in their middle. What shares a
cause adds up end to end, since one disk is slow in every step or in none; different causes are put together by the root
of their squares, since not everything goes badly at once (rule 11.2b).

Example: two steps of 100 s, the source between 20 s less and 40 s more in each, and the copier 30 s more in one.
Together 200 s; the source alone makes it 40 s less and 80 s more; with the copier it is 160 s to 200 + root of (80 x 80
+ 30 x 30), 285 s.

Rates, shares and what a file takes are common practice, from memory; a rate that was measured goes before.
"""

from collections.abc import Mapping
from fractions import Fraction
from math import isqrt
from typing import Literal, NamedTuple

from ..disk.model import Disk, Link
from ..sizes import MiB, div_up

MB = 10**6
Cause = Literal["source", "target", "image", "copier", "files", "unknown", "own"]
CauseParts = Mapping[Cause, tuple[int, int]]


class Rate(NamedTuple):
    """Bytes a second, slowest and quickest."""

    low: int
    high: int

    @property
    def middle(self) -> int:
        """As many times quicker than the slowest as slower than the quickest."""
        return isqrt(self.low * self.high)

    def along(self, *others: "Rate") -> "Rate":
        """Of a way through several things: as slow as the slowest of them."""
        low, high = self
        for other in others:
            low, high = min(low, other.low), min(high, other.high)
        return Rate(low, high)


SATA = Rate(400 * MB, 550 * MB)
# An NVMe slot may have one lane or four.
LINK_RATES: dict[Link, Rate] = {
    "usb2": Rate(35 * MB, 35 * MB),
    "usb3": Rate(400 * MB, 400 * MB),
    "sata": SATA,
    "nvme": Rate(800 * MB, 3000 * MB),
    "network": Rate(110 * MB, 110 * MB),
    "unknown": SATA,  # the usual one, which is said
}
USUAL_LINK: Link = "sata"
# A hard disk of a laptop or of a desktop; solid state, which is usual where nobody says.
TURNING, SOLID = Rate(60 * MB, 180 * MB), Rate(3000 * MB, 3000 * MB)
# Thousandths of the rate that are reached while bytes go through one after the other (rule 11.2).
SHARES = (650, 1000)
# Microseconds to reach one file more (rule 11.2b), on a disk that turns and on one that does not.
REACH: dict[bool, tuple[int, int]] = {True: (8000, 15_000), False: (50, 200)}
# Files where nobody counted them: a system's small ones first, larger ones beyond; so many times either way.
FEW_BYTES, FEW_MOST, MANY_BYTES, FILES_EITHER_WAY = 256 * 1024, 150_000, 8 * MiB, (3, 8)


class Span(NamedTuple):
    """Milliseconds in the middle, and by cause how many less and more it may take for that alone."""

    middle: int = 0
    parts: tuple[tuple[Cause, int, int], ...] = ()

    @property
    def seconds(self) -> tuple[int, int]:
        """The range, in whole seconds."""
        sums: dict[Cause, list[int]] = {}
        less = more = 0
        for cause, low, high in self.parts:
            if cause == "own":
                less, more = less + low * low, more + high * high
            else:
                held = sums.setdefault(cause, [0, 0])
                held[0], held[1] = held[0] + low, held[1] + high
        less += sum(low * low for low, _ in sums.values())
        more += sum(high * high for _, high in sums.values())
        return max(0, self.middle - isqrt(less)) // 1000, div_up(self.middle + isqrt(more), 1000)


# Why a range is wide, and what would narrow it.
NARROWER: Mapping[Cause, str] = {
    "source": "The source may be quick or slow: read it here, which measures its rate.",
    "target": "The target may be quick or slow: say under The bench what it is and how it is attached.",
    "image": "The room for images may be quick or slow: say under The bench what it is on.",
    "copier": "How much of their rate the disks reach differs from one copier to the next; our script says its own.",
    "files": "Nobody counted the files: read the source here, which counts them.",
    "unknown": "How much is in use is not known: read the source here.",
    "own": "What the utilities themselves take makes most of so short a job.",
}
WIDE = 4  # a range whose end is more than so many times its beginning asks for a reason


def widened_by(span: Span) -> Cause | None:
    """The cause that makes a range wide; None where its end is at most four times its beginning."""
    low, high = span.seconds
    if high <= WIDE * low:
        return None
    swings: dict[Cause, int] = {}
    for cause, less, more in span.parts:
        swings[cause] = swings.get(cause, 0) + less + more
    return max(swings, key=lambda cause: swings[cause], default=None)


def within(low: int, high: int) -> Span:
    """Milliseconds that have a cause of their own, anything from ``low`` to ``high``."""
    middle = isqrt((low or high // 10) * high)
    return Span(middle, (("own", middle - low, high - middle),)) if high > low else Span(low)


def between(low: int, high: int) -> Span:
    """The same in seconds."""
    return within(1000 * low, 1000 * high)


def added(*spans: Span) -> Span:
    """Steps one after the other."""
    return Span(sum(span.middle for span in spans), tuple(part for span in spans for part in span.parts))


class Path(NamedTuple):
    """What bytes go through: each disk by its name, with its rate; ``turning``: whether what is read turns."""

    rates: tuple[tuple[Cause, Rate], ...]
    turning: bool = False

    @property
    def quickest(self) -> int:
        return min(rate.high for _, rate in self.rates)


def spent(moved: int | None, path: Path, shares: tuple[int, int] = SHARES, most: int = 0) -> Span:
    """What so many bytes take; where that is not known, anything up to ``most`` of them."""
    if moved is None:
        whole = spent(most, path, shares)
        quarter = whole.middle // 4
        return Span(quarter, (("unknown", quarter, whole.middle - quarter),)) if most else Span()
    rates = {cause: rate.middle for cause, rate in path.rates}
    share = isqrt(shares[0] * shares[1])

    def taken(with_rates: Mapping[Cause, int], with_share: int) -> int:
        return moved * 1_000_000 // (min(with_rates.values()) * with_share)

    middle = taken(rates, share)
    parts: list[tuple[Cause, int, int]] = [
        (cause, middle - taken({**rates, cause: rate.high}, share), taken({**rates, cause: rate.low}, share) - middle)
        for cause, rate in path.rates
    ]
    parts.append(("copier", middle - taken(rates, shares[1]), taken(rates, shares[0]) - middle))
    return Span(middle, tuple(part for part in parts if part[1] or part[2]))


def reached(files: int | None, moved: int, path: Path) -> Span:
    """What it takes to reach every file; ``files`` None: not counted, taken for as many as are usual."""
    low, high = REACH[path.turning]
    count = min(moved // FEW_BYTES, FEW_MOST + moved // MANY_BYTES) if files is None else files
    part, of = FILES_EITHER_WAY if files is None else (1, 1)
    middle = count * isqrt(low * high) // 1000
    return Span(
        middle, (("files", middle - count * low * part // of // 1000, count * high * of // part // 1000 - middle),)
    )


def turns(disk: Disk, medium: str = "unknown") -> bool:
    """As a person says, else as the disk says of itself; solid state where nobody says."""
    return medium == "hard disk" if medium != "unknown" else bool(disk.rotational)


def rate_of(disk: Disk, link: Link = "unknown", medium: str = "unknown") -> Rate:
    """What a disk gives on ``link``, or on the one that its survey names; as it was measured, where it was."""
    if disk.read_rates and medium == "unknown":
        own = Rate(min(disk.read_rates), max(disk.read_rates))
        return own if link == "unknown" else own.along(LINK_RATES[link])
    return (TURNING if turns(disk, medium) else SOLID).along(LINK_RATES[disk.link if link == "unknown" else link])


def rate_of_room(medium: str) -> Rate:
    """What the folder for images gives, on a disk of that kind; solid state on SATA or NVMe where nobody says."""
    return TURNING if medium == "hard disk" else Rate(SATA.low, LINK_RATES["nvme"].low)


def granted(disk: Disk, link: Link = "unknown", medium: str = "unknown") -> str:
    """What of a disk is taken for granted, since nobody says: ``a solid-state disk on SATA``; empty where all is
    known."""
    if disk.read_rates:
        return ""
    no_link = link == "unknown" and disk.link == "unknown"
    no_medium = medium == "unknown" and disk.rotational is None and (no_link or "nvme" not in (link, disk.link))
    words = ["a solid-state disk"] if no_medium else []
    return " ".join([*words, f"on {USUAL_LINK.upper()}"] if no_link else words)


class Learned(NamedTuple):
    """What finished jobs of the same kind of disks and links reached: the middle half of their shares of the quickest
    rate, in thousandths, and how many jobs tell it (rule 11.3)."""

    shares: tuple[int, int]
    jobs: int


LEAST_JOBS = 5


def learned_from(ratios: list[Fraction]) -> Learned | None:
    """From real time by nominal time of each finished job; None from fewer than five (rule 11.3).

    Quartiles by linear interpolation between the sorted values, so that one outlier does not move them.
    """
    if len(ratios) < LEAST_JOBS:
        return None
    ordered = sorted(ratios)
    slow, quick = _quartile(ordered, 3), _quartile(ordered, 1)
    return Learned((max(1, int(1000 / slow)), max(1, int(1000 / quick))), len(ratios))


def _quartile(ordered: list[Fraction], which: int) -> Fraction:
    place, part = divmod((len(ordered) - 1) * which, 4)
    after = ordered[min(place + 1, len(ordered) - 1)]
    return ordered[place] + (after - ordered[place]) * Fraction(part, 4)


def duration(seconds: int) -> str:
    """For reading: ``40 s``, ``25 min``, ``2 h 10 min``."""
    if seconds < 60:
        return f"{seconds} s"
    minutes = (seconds + 30) // 60
    if minutes < 90:
        return f"{minutes} min"
    hours, rest = divmod((minutes + 5) // 10 * 10, 60)
    return f"{hours} h {rest} min" if rest else f"{hours} h"


def time_range(seconds: tuple[int, int]) -> str:
    """``20 to 50 min``, ``40 s to 10 min``, ``1 h 10 min to 2 h``."""
    low, high = (duration(value) for value in seconds)
    if low == high:
        return low
    one, other = low.rsplit(" ", 1), high.rsplit(" ", 1)
    same_unit = one[1] == other[1] and " " not in one[0] and " " not in other[0]
    return f"{one[0]} to {high}" if same_unit else f"{low} to {high}"


def time_left(seconds: tuple[int, int], passed: int) -> str:
    """What is left of a range of seconds after ``passed``; empty once it has taken longer than the range."""
    low, high = seconds
    return time_range((max(0, low - passed), high - passed)) if passed < high else ""
