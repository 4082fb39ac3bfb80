"""How long a step takes, as a range (rule 11). Rates and shares are common practice, from memory; integers only."""

from fractions import Fraction
from typing import NamedTuple

from ..disk.model import Disk, Link
from ..sizes import div_up

MB = 10**6


class Rate(NamedTuple):
    """Bytes a second, slowest and quickest."""

    low: int
    high: int

    def along(self, *others: "Rate") -> "Rate":
        """Of a way through several things: as slow as the slowest of them."""
        low, high = self
        for other in others:
            low, high = min(low, other.low), min(high, other.high)
        return Rate(low, high)


# An NVMe slot may have one lane or four; an unknown link is taken for anything between USB 2 and SATA.
LINK_RATES: dict[Link, Rate] = {
    "usb2": Rate(35 * MB, 35 * MB),
    "usb3": Rate(400 * MB, 400 * MB),
    "sata": Rate(550 * MB, 550 * MB),
    "nvme": Rate(800 * MB, 3000 * MB),
    "network": Rate(110 * MB, 110 * MB),
    "unknown": Rate(35 * MB, 550 * MB),
}
# A hard disk of a laptop or of a desktop; solid state is as quick as its link; unknown may be any of them.
TURNING, SOLID, ANY_MEDIUM = Rate(60 * MB, 180 * MB), Rate(3000 * MB, 3000 * MB), Rate(60 * MB, 3000 * MB)
WORKSPACE = Rate(60 * MB, 550 * MB)  # where an image lies: a hard disk to a quick one

# Thousandths of the rate that are reached (rule 11.2).
BY_FILE, BY_SECTOR = (200, 900), (700, 950)


def rate_of(disk: Disk, link: Link = "unknown") -> Rate:
    """What a disk gives on ``link``, or on the one that its survey names."""
    medium = ANY_MEDIUM if disk.rotational is None else TURNING if disk.rotational else SOLID
    return medium.along(LINK_RATES[disk.link if link == "unknown" else link])


def spent(
    fixed: tuple[int, int], moved: int | None, rate: Rate, shares: tuple[int, int], most: int = 0
) -> tuple[int, int]:
    """Seconds of a step that moves so many bytes beside what is ``fixed``; where that is not known, up to ``most``."""
    low, high = fixed
    least, largest = (0, most) if moved is None else (moved, moved)
    return (
        low + least * 1000 // (rate.high * shares[1]),
        high + div_up(largest * 1000, rate.low * shares[0]),
    )


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


def added(*ranges: tuple[int, int]) -> tuple[int, int]:
    """Steps one after the other."""
    return (sum(low for low, _ in ranges), sum(high for _, high in ranges))


def duration(seconds: int) -> str:
    """For reading: ``40 s``, ``25 min``, ``2 h 10 min``."""
    if seconds < 90:
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
