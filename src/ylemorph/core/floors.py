"""Hard and comfort floor of a row (rule 5), with the lines that lead to them. Integers only.

used'         = max(0, used - lightened)                                    5.1
slack         = max(16 MiB, 2 % of used')                                   5.2
hard floor    = min(source, max(used' + slack, immovable end, minimum))     5.3
headroom      = max(percentage of used', minimum of the role)               5.4
comfort floor = max(hard floor, used' + headroom)                           5.4
"""

from dataclasses import dataclass

from .disk import Role
from .options import Headroom
from .sizes import Bytes, Grains, MiB, div_up

SLACK_LEAST = 16 * MiB  # common practice, no source
SLACK_PERCENT = 2  # common practice, no source


@dataclass(frozen=True, slots=True)
class FloorTerms:
    """All that the floors of one row depend on, in bytes; ``immovable_bytes`` is 0 where unknown or cleared."""

    source_bytes: int
    used_bytes: int
    lightened_bytes: int
    immovable_bytes: int
    minimum_bytes: int
    role: Role
    may_shrink: bool


@dataclass(frozen=True, slots=True)
class Floors:
    """The floors worked out, line by line; ``hard`` and ``comfort`` in grains, rounded up (rule 5.5)."""

    carried_bytes: int
    slack_bytes: int
    headroom_bytes: int
    immovable_bytes: int
    minimum_bytes: int
    hard: Grains
    comfort: Grains
    binding: str  # which term the hard floor comes from: "used", "immovable", "minimum" or "source"


def slack_of(carried_bytes: int) -> int:
    return max(SLACK_LEAST, div_up(carried_bytes * SLACK_PERCENT, 100))


def headroom_of(carried_bytes: int, role: Role, headroom: Headroom) -> int:
    share = div_up(carried_bytes * headroom.hundredths, 100_00)
    return max(share, headroom.system_bytes if role == "system" else headroom.data_bytes)


def floors_of(terms: FloorTerms, headroom: Headroom, grain: Bytes) -> Floors:
    """Rules 5.1 to 5.5."""
    carried = max(0, terms.used_bytes - terms.lightened_bytes)
    slack = slack_of(carried)
    wanted, binding = carried + slack, "used"
    if terms.immovable_bytes > wanted:
        wanted, binding = terms.immovable_bytes, "immovable"
    if terms.minimum_bytes > wanted:
        wanted, binding = terms.minimum_bytes, "minimum"
    if wanted > terms.source_bytes or not terms.may_shrink:
        wanted, binding = terms.source_bytes, "source"
    room = headroom_of(carried, terms.role, headroom)
    return Floors(
        carried_bytes=carried,
        slack_bytes=slack,
        headroom_bytes=room,
        immovable_bytes=terms.immovable_bytes,
        minimum_bytes=terms.minimum_bytes,
        hard=Grains(div_up(wanted, grain)),
        comfort=Grains(div_up(max(wanted, carried + room), grain)),
        binding=binding,
    )
