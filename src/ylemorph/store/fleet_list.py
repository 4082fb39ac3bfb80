"""What a fleet shows: machines by page, counts, needs; and all of it as one value for the exports."""

import sqlite3
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from ..core.buy.assess import Assessed, FleetLine, LeastSizes, best_of
from ..core.buy.fleet import Fleet, Machine, Same, Trouble
from ..core.buy.verdicts import Outcome
from ..core.disk.model import Survey
from ..core.errors import BadOption
from ..core.fit.layout import Verdict
from ..core.fit.options import Fit
from . import surveys
from .database import NotFound, snapshot
from .fleets import BEST, FleetHead, holding

SortKey = Literal["name", "used", "need", "free", "verdict"]
SORTS: dict[SortKey, str] = {
    "name": "machine.name COLLATE NOCASE",
    "used": "machine.used_bytes",
    "need": "machine.need_bytes",
    "free": "line.system_free_bytes",
    "verdict": "CASE line.verdict WHEN 'does-not-fit' THEN 0 WHEN 'tight' THEN 1 WHEN 'comfortable' THEN 2 ELSE 3 END",
}


@dataclass(frozen=True, slots=True)
class LinesWanted:
    """Which lines: of one target under one fit (or ``best``), with a verdict, with a text in name or serial, a page."""

    target: int = 0
    fit: str = BEST
    verdict: Verdict | None = None
    text: str = ""
    sort: SortKey = "name"
    down: bool = False
    start: int = 0
    most: int = 100


class Earlier(NamedTuple):
    """An earlier survey of the same disk."""

    taken: str
    used_bytes: int | None
    name: str


class Shown(NamedTuple):
    """A machine's line; ``verdicts`` of every target under the same fit, ``before``: an earlier survey of its disk."""

    id: int
    name: str
    serial: str
    origin: str
    taken: str
    source_bytes: int
    used_bytes: int | None
    must_bytes: int | None
    comfort_bytes: int | None
    need_bytes: int | None
    line: FleetLine
    verdicts: list[Verdict | None]
    before: Earlier | None


_COUNTED = """
FROM fleet_machine AS machine JOIN fleet_line AS line ON line.machine = machine.id AND line.target = ? AND line.fit = ?
WHERE machine.fleet = ? AND machine.same_of IS NULL
      AND (machine.name LIKE ? ESCAPE '\\' OR machine.serial LIKE ? ESCAPE '\\')
"""


def page(connection: sqlite3.Connection, head: FleetHead, wanted: LinesWanted) -> tuple[int, list[Shown]]:
    """How many there are in all, and the page that is asked for. Raises BadOption for a target that is not there."""
    if not 0 <= wanted.target < max(1, len(head.wishes.targets)):
        raise BadOption(f"there is no target {wanted.target}", at="target", mend="load the page again")
    pattern = holding(wanted.text)
    where: list[Any] = [wanted.target, wanted.fit, head.id, pattern, pattern]
    sql = _COUNTED
    if wanted.verdict is not None:
        sql += " AND line.verdict = ?"
        where.append(wanted.verdict)
    order = f"ORDER BY {SORTS[wanted.sort]} {'DESC' if wanted.down else 'ASC'}, machine.id LIMIT ? OFFSET ?"
    with snapshot(connection):
        count = connection.execute("SELECT count(*) " + sql, where).fetchone()[0]
        rows = connection.execute(
            "SELECT machine.*, line.target, line.own_fit, line.verdict, line.kept_percent, line.shortfall_bytes,"
            " line.system_free_bytes, line.gained_bytes, line.reason, line.remedy " + sql + order,
            [*where, wanted.most, wanted.start],
        ).fetchall()
        return count, [_shown(connection, row, wanted.fit, len(head.wishes.targets)) for row in rows]


def _shown(connection: sqlite3.Connection, row: sqlite3.Row, fit: str, targets: int) -> Shown:
    verdicts: list[Verdict | None] = [None] * targets
    for line in connection.execute(
        "SELECT target, verdict FROM fleet_line WHERE machine = ? AND fit = ?", (row["id"], fit)
    ):
        if line["target"] < targets:
            verdicts[line["target"]] = line["verdict"]
    earlier = connection.execute(
        "SELECT taken, used_bytes, name FROM fleet_machine WHERE same_of = ? AND earlier = 1"
        " ORDER BY taken DESC LIMIT 1",
        (row["id"],),
    ).fetchone()
    return Shown(
        row["id"], row["name"], row["serial"], row["origin"], row["taken"], row["source_bytes"], row["used_bytes"],
        row["must_bytes"], row["comfort_bytes"], row["need_bytes"], _line(row), verdicts,
        None if earlier is None else Earlier(*earlier),
    )  # fmt: skip


Counts = dict[tuple[int, Verdict | None], int]  # of machines, by target and verdict


def counts(connection: sqlite3.Connection, fleet: int, fit: str) -> Counts:
    """Machines that count, by target and verdict."""
    rows = connection.execute(
        "SELECT line.target, line.verdict, count(*) AS machines FROM fleet_machine AS machine"
        " JOIN fleet_line AS line ON line.machine = machine.id"
        " WHERE machine.fleet = ? AND machine.same_of IS NULL AND line.fit = ? GROUP BY line.target, line.verdict",
        (fleet, fit),
    )
    return {(row["target"], row["verdict"]): row["machines"] for row in rows}


def needs(connection: sqlite3.Connection, fleet: int) -> list[int | None]:
    """Bytes of the smallest comfortable disk of every machine that is worked out and counts."""
    rows = connection.execute(
        "SELECT need_bytes FROM fleet_machine WHERE fleet = ? AND same_of IS NULL AND used_bytes IS NOT NULL", (fleet,)
    )
    return [row["need_bytes"] for row in rows]


def able(connection: sqlite3.Connection, head: FleetHead) -> list[tuple[str, list[str]]]:
    """For the mix: machines that count with the names of the targets on which they are comfortable under some fit."""
    found: dict[int, tuple[str, list[str]]] = {}
    rows = connection.execute(
        "SELECT machine.id, machine.name, line.target, line.verdict FROM fleet_machine AS machine"
        " JOIN fleet_line AS line ON line.machine = machine.id AND line.fit = ?"
        " WHERE machine.fleet = ? AND machine.same_of IS NULL ORDER BY machine.id, line.target",
        (BEST, head.id),
    )
    for row in rows:
        entry = found.setdefault(row["id"], (row["name"], []))
        if row["verdict"] == "comfortable":
            entry[1].append(head.wishes.targets[row["target"]].name)
    return list(found.values())


class Twice(NamedTuple):
    """A file that could not be read, or a machine that is the disk of another one (``of``) again."""

    id: int
    name: str
    problem: str
    earlier: bool
    of: str | None


def troubles(connection: sqlite3.Connection, fleet: int) -> list[Twice]:
    """Files that could not be read, and machines that are another one's disk again."""
    rows = connection.execute(
        "SELECT machine.id, machine.name, machine.problem, machine.earlier, other.name AS of"
        " FROM fleet_machine AS machine LEFT JOIN fleet_machine AS other ON other.id = machine.same_of"
        " WHERE machine.fleet = ? AND (machine.survey IS NULL OR machine.same_of IS NOT NULL)"
        " ORDER BY machine.survey IS NOT NULL, machine.id LIMIT 2000",
        (fleet,),
    )
    return [Twice(row[0], row[1], row[2], bool(row[3]), row[4]) for row in rows]


class Sum(NamedTuple):
    read: int
    repeated: int
    unread: int


def sums(connection: sqlite3.Connection, fleet: int) -> Sum:
    row = connection.execute(
        "SELECT count(survey) AS read, count(same_of) AS repeated, count(*) AS all_of_them"
        " FROM fleet_machine WHERE fleet = ?",
        (fleet,),
    ).fetchone()
    return Sum(row["read"], row["repeated"], row["all_of_them"] - row["read"])


def survey_of(connection: sqlite3.Connection, fleet: int, machine: int) -> tuple[str, Survey]:
    """A machine's name and survey, to begin a job with. Raises NotFound."""
    row = connection.execute(
        "SELECT name, survey FROM fleet_machine WHERE fleet = ? AND id = ? AND survey IS NOT NULL", (fleet, machine)
    ).fetchone()
    if row is None:
        raise NotFound(f"the fleet has no machine {machine}", mend="load the page again")
    return row["name"], surveys.get(connection, row["survey"])


def fit_of(connection: sqlite3.Connection, machine: int, target: int, fit: str) -> Fit:
    """The fit itself; under ``best`` the one that serves the machine best. Raises NotFound where that is not known."""
    row = connection.execute(
        "SELECT own_fit FROM fleet_line WHERE machine = ? AND target = ? AND fit = ?", (machine, target, fit)
    ).fetchone()
    if row is None:
        raise NotFound(f"machine {machine} is not worked out under that fit", mend="wait for it, or choose another fit")
    made: Fit = row["own_fit"]
    return made


def whole(connection: sqlite3.Connection, head: FleetHead) -> Fleet:
    """Everything that is worked out, in the order in which the machines came."""
    with snapshot(connection):
        rows = connection.execute("SELECT * FROM fleet_machine WHERE fleet = ? ORDER BY id", (head.id,)).fetchall()
        lines: dict[int, list[FleetLine]] = {}
        for line in connection.execute(
            "SELECT line.* FROM fleet_line AS line JOIN fleet_machine AS machine ON machine.id = line.machine"
            " WHERE machine.fleet = ? AND line.fit <> ?",
            (head.id, BEST),
        ):
            lines.setdefault(line["machine"], []).append(_line(line))
    known = [row for row in rows if row["survey"] is not None and row["used_bytes"] is not None]
    places = {row["id"]: place for place, row in enumerate(known)}
    fits = {fit: place for place, fit in enumerate(head.wishes.fits)}
    machines = []
    for row in known:
        own = sorted(lines.get(row["id"], ()), key=lambda line: (line.target, fits.get(line.fit, 0)))
        same = places.get(row["same_of"]) if row["same_of"] is not None else None
        machines.append(
            Machine(
                row["name"],
                row["origin"],
                _assessed(row, own, len(head.wishes.targets)),
                same=None if same is None else Same(same, bool(row["earlier"])),
            )
        )
    lost = [Trouble(row["origin"], row["problem"]) for row in rows if row["survey"] is None]
    return Fleet(head.wishes.names, head.wishes.fits, tuple(machines), tuple(lost))


def _line(row: sqlite3.Row) -> FleetLine:
    outcome = Outcome(
        row["verdict"], row["kept_percent"], row["shortfall_bytes"], row["system_free_bytes"], row["gained_bytes"]
    )
    return FleetLine(row["target"], row["own_fit"], outcome, row["reason"], row["remedy"])


def _assessed(row: sqlite3.Row, lines: Sequence[FleetLine], targets: int) -> Assessed:
    needs_ = (LeastSizes(None, row["need_bytes"]),)
    return Assessed(
        row["serial"], row["table_id"], row["taken"], row["source_bytes"], row["used_bytes"], row["must_bytes"],
        row["comfort_bytes"], needs_, tuple(lines), best_of(lines, targets),
    )  # fmt: skip


class Bin(NamedTuple):
    from_bytes: int
    to_bytes: int
    machines: int


def histogram(values: Sequence[int | None], steps: int = 4) -> list[Bin]:
    """Machines by the size that they need: ``steps`` equal ratios to each doubling, from the least to the largest."""
    known = [value for value in values if value]
    if not known:
        return []
    edges = [2**32]
    while edges[-1] <= max(known):
        # The next edge is a root of two further; whole bytes, so that bins meet exactly.
        edges.append(2 ** (32 + len(edges) // steps) * ROOTS[steps][len(edges) % steps] // 1_000_000)
    found: Counter[int] = Counter()
    for value in known:
        found[max(0, next(place for place, edge in enumerate(edges) if edge > value) - 1)] += 1
    first = min(found)
    return [Bin(edges[place], edges[place + 1], found[place]) for place in range(first, max(found) + 1)]


ROOTS = {4: (1_000_000, 1_189_207, 1_414_214, 1_681_793)}  # powers of the fourth root of two, in millionths
