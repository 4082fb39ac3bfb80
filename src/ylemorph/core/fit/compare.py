"""Two plans of one source side by side: row by row, what has to be carried and packed, findings gained and lost."""

from typing import Literal, NamedTuple

from .finding_kinds import Finding
from .packing import bytes_past
from .plan import Plan, PlanRow, RowChange

# Of two plans the one that is better by a figure: 0 the first, 1 the second; None where neither is.
Better = Literal[0, 1] | None


def better(first: int | None, second: int | None, *, more: bool) -> Better:
    """Whichever is larger (``more``) or smaller; None where they are equal or one is not known."""
    if first is None or second is None or first == second:
        return None
    return 0 if (first > second) == more else 1


class Side(NamedTuple):
    """One plan's figures. ``packed`` is None where it is not known of some row (rule 9.2), never 0; both are None
    where nothing fits."""

    plan: Plan
    open_bytes: int | None
    carried_bytes: int
    packed_bytes: int | None


class RowPair(NamedTuple):
    """One row in both plans: size and free space on the target, None where it is left behind or nothing fits."""

    number: int
    label: str
    changes: tuple[RowChange | None, RowChange | None]
    sizes: tuple[int | None, int | None]
    frees: tuple[int | None, int | None]
    source_bytes: int
    better: Better


class Comparison(NamedTuple):
    first: Side
    second: Side
    rows: tuple[RowPair, ...]
    better_verdict: Better
    better_packed: Better
    gained: tuple[Finding, ...]
    lost: tuple[Finding, ...]


def compare_plans(first: Plan, second: Plan) -> Comparison:
    """Rows of either plan in the order of the first, then those that only the second has."""
    ones, twos = ({row.number: row for row in plan.rows} for plan in (first, second))
    numbers = [*ones, *(number for number in twos if number not in ones)]
    rows = tuple(_pair(ones.get(number), twos.get(number)) for number in numbers)
    sides = (_side(first), _side(second))
    before, after = ({(f.code, f.row): f for f in plan.findings} for plan in (first, second))
    return Comparison(
        *sides,
        rows,
        better(_rank(first), _rank(second), more=True),
        better(sides[0].packed_bytes, sides[1].packed_bytes, more=False),
        gained=tuple(finding for key, finding in after.items() if key not in before),
        lost=tuple(finding for key, finding in before.items() if key not in after),
    )


def _rank(plan: Plan) -> int:
    """Verdicts in order; among tight ones the headroom that is kept, in hundredths."""
    if plan.verdict == "does-not-fit":
        return -1
    return 100 if plan.verdict in (None, "comfortable") else int(plan.headroom_kept * 99)


def _pair(one: PlanRow | None, two: PlanRow | None) -> RowPair:
    named = one or two
    assert named is not None
    frees = (one.free_after_bytes if one else None, two.free_after_bytes if two else None)
    return RowPair(
        named.number,
        named.label,
        (one.change if one else None, two.change if two else None),
        (one.size_bytes if one else None, two.size_bytes if two else None),
        frees,
        named.source_bytes,
        better(*frees, more=True),
    )


def _side(plan: Plan) -> Side:
    carried = sum(carried_bytes_of(row) for row in plan.rows if row.carried)
    if plan.verdict == "does-not-fit":
        return Side(plan, None, carried, None)
    packed = [packed_bytes_of(row) for row in plan.rows if row.carried and row.size_bytes is not None]
    known = [value for value in packed if value is not None]
    return Side(
        plan,
        sum(extent.length for extent in plan.unallocated) * plan.frame.logical_sector_bytes,
        carried,
        sum(known) if len(known) == len(packed) else None,
    )


def carried_bytes_of(row: PlanRow) -> int:
    """Rule 9.1: used space where the file system is known, the whole partition else; made rows hold nothing.

    Of a volume group a copier takes all, as long as it then is.
    """
    if row.kind == "lvm" and row.size_bytes is not None:
        return min(row.source_bytes, row.size_bytes)
    if row.floors is not None:
        return row.floors.carried_bytes
    return row.used_bytes if row.used_bytes is not None and row.resizable else row.source_bytes


def packed_bytes_of(row: PlanRow) -> int | None:
    """Rule 9.2: what must be packed before the row can be as small as planned; None where that is not known."""
    if row.change != "shrinks" or row.size_bytes is None:
        return 0
    return bytes_past(row.row.partition, row.size_bytes, row.source_bytes)
