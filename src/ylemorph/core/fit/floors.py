"""Hard and comfort floor of a row (rule 5), with the lines that lead to them. Integers only.

used'         = max(0, used - lightened)                                    5.1
slack         = max(16 MiB, 2 % of used')                                   5.2
hard floor    = min(source, max(used' - shed + slack, immovable end, minimum))   5.3
headroom      = max(percentage of used', minimum of the role)               5.4
comfort floor = max(hard floor, used' + headroom)                           5.4

*Shed*: tables of stretches that a smaller file system does not have; known for an ext that was read itself.
"""

from typing import Literal, NamedTuple

from ..disk.model import Role
from ..sizes import Bytes, MiB, div_up
from .options import Headroom

SLACK_LEAST = 16 * MiB  # common practice, no source
SLACK_PERCENT = 2  # common practice, no source

Binding = Literal["used", "immovable", "minimum", "source"]


class Floors(NamedTuple):
    """The floors worked out, line by line, in bytes; ``hard`` and ``comfort`` in grains, rounded up (rule 5.5).

    ``binding`` says which term the hard floor comes from.
    """

    carried_bytes: int
    slack_bytes: int
    headroom_bytes: int
    immovable_bytes: int
    minimum_bytes: int
    shed_bytes: int
    hard: int
    comfort: int
    binding: Binding


def floors_of(
    carried_bytes: int,
    source_bytes: int,
    role: Role,
    may_shrink: bool,
    immovable_bytes: int,
    minimum_bytes: int,
    headroom: Headroom,
    grain: Bytes,
    shed_bytes: int = 0,
    *,
    is_exact: bool = False,
) -> Floors:
    """Rules 5.2 to 5.5 for a row that carries ``carried_bytes``; the other terms are 0 where unknown or cleared.
    ``is_exact``: what is in use is counted in pieces that no resizer needs more than.
    """
    slack = 0 if is_exact else max(SLACK_LEAST, div_up(carried_bytes * SLACK_PERCENT, 100))
    wanted = carried_bytes - shed_bytes + slack
    binding: Binding = "used"
    if immovable_bytes > wanted:
        wanted, binding = immovable_bytes, "immovable"
    if minimum_bytes > wanted:
        wanted, binding = minimum_bytes, "minimum"
    if wanted > source_bytes or not may_shrink:
        wanted, binding = source_bytes, "source"
    least = headroom.system_bytes if role == "system" else headroom.data_bytes
    room = max(least, div_up(carried_bytes * headroom.hundredths, 100_00))
    comfort = carried_bytes + room
    hard, easy = div_up(wanted, grain), div_up(max(comfort, wanted), grain)
    return Floors(carried_bytes, slack, room, immovable_bytes, minimum_bytes, shed_bytes, hard, easy, binding)
