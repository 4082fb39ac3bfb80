"""Fleets: machines as their files gave them, and what was worked out of each, line by line, as it comes."""

import json
import sqlite3
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from ..core.buy.assess import Assessed, Target
from ..core.buy.fleet import Known, Trouble, comfortable_need, same_machines
from ..core.buy.shelf import ShelfDisk
from ..core.buy.verdicts import Outcome
from ..core.errors import BadOption
from ..core.fit.layout import VERDICTS
from ..core.fit.options import Fit, Options
from ..formats.listings.fleet_read import Found
from ..formats.own.options import options_from, options_to_data
from ..formats.own.shelf import shelf_disk_from, shelf_disk_to_texts
from . import surveys
from .database import NotFound, freeing, now, snapshot, transaction

MOST_MACHINES = 50_000
PIECE = 100  # machines that are deleted in one transaction
BEST = "best"  # stands beside the fits: the line of the one that serves a machine best


@dataclass(frozen=True, slots=True)
class Wishes:
    """What machines are tried against. ``targets`` may carry prices: then they come from the shelf."""

    targets: tuple[ShelfDisk, ...]
    fits: tuple[Fit, ...]
    options: Options

    @property
    def names(self) -> tuple[Target, ...]:
        return tuple(Target(item.name, item.disk) for item in self.targets)


@dataclass(frozen=True, slots=True)
class FleetHead:
    """A fleet without its machines; ``done`` of ``machines`` are worked out."""

    id: int
    name: str
    created_at: str
    changed_at: str
    generation: int
    stopped: bool
    wishes: Wishes
    machines: int
    done: int
    troubles: int

    @property
    def pending(self) -> int:
        return self.machines - self.done


FleetSortKey = Literal["name", "machines", "changed"]
_SORTS: dict[FleetSortKey, str] = {
    "name": "name COLLATE NOCASE",
    "machines": "(SELECT count(survey) FROM fleet_machine AS machine WHERE machine.fleet = fleet.id)",
    "changed": "changed_at",
}


@dataclass(frozen=True, slots=True)
class FleetsWanted:
    """Which fleets: with a text in their name, a page of them."""

    text: str = ""
    sort: FleetSortKey = "changed"
    down: bool = True
    start: int = 0
    most: int = 100


def wishes_to_json(wishes: Wishes) -> str:
    return json.dumps(
        {
            "targets": [shelf_disk_to_texts(item) for item in wishes.targets],
            "fits": wishes.fits,
            "options": options_to_data(wishes.options),
        },
        ensure_ascii=False,
    )


def _wishes(text: str) -> Wishes:
    data = json.loads(text)
    targets = tuple(shelf_disk_from(item) for item in data["targets"])
    return Wishes(targets, tuple(data["fits"]), options_from(data["options"]))


_HEADS = """
SELECT fleet.*, count(machine.id) AS rows, count(machine.survey) AS machines,
       count(CASE WHEN machine.survey IS NOT NULL AND machine.generation = fleet.generation THEN 1 END) AS done
FROM fleet LEFT JOIN fleet_machine AS machine ON machine.fleet = fleet.id
WHERE NOT fleet.gone
"""


def heads(connection: sqlite3.Connection) -> list[FleetHead]:
    """All fleets, the last changed first."""
    return [
        _head(row) for row in connection.execute(_HEADS + "GROUP BY fleet.id ORDER BY changed_at DESC, fleet.id DESC")
    ]


def listed(connection: sqlite3.Connection, wanted: FleetsWanted) -> tuple[int, list[FleetHead]]:
    """How many there are in all, and the page that is asked for; machines are counted for that page alone."""
    sql, pattern = "FROM fleet WHERE NOT gone AND name LIKE ? ESCAPE '\\'", holding(wanted.text)
    way = "DESC" if wanted.down else "ASC"
    order = f" ORDER BY {_SORTS[wanted.sort]} {way}, id {way} LIMIT ? OFFSET ?"
    with snapshot(connection):
        count = connection.execute("SELECT count(*) " + sql, (pattern,)).fetchone()[0]
        rows = connection.execute("SELECT id " + sql + order, (pattern, wanted.most, wanted.start)).fetchall()
        return count, [head(connection, row["id"]) for row in rows]


def holding(text: str) -> str:
    """The pattern of LIKE (with a backslash as ESCAPE) for everything that holds this text."""
    return "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def head(connection: sqlite3.Connection, fleet: int) -> FleetHead:
    row = connection.execute(_HEADS + "AND fleet.id = ? GROUP BY fleet.id", (fleet,)).fetchone()
    if row is None:
        raise NotFound(f"there is no fleet {fleet}", mend="go back to the fleets")
    return _head(row)


def _head(row: sqlite3.Row) -> FleetHead:
    return FleetHead(
        row["id"], row["name"], row["created_at"], row["changed_at"], row["generation"], bool(row["stopped"]),
        _wishes(row["wishes"]), row["machines"], row["done"], row["rows"] - row["machines"],
    )  # fmt: skip


def create(connection: sqlite3.Connection, name: str, wishes: Wishes) -> int:
    with transaction(connection):
        made = connection.execute(
            "INSERT INTO fleet (name, created_at, changed_at, wishes) VALUES (?1, ?2, ?2, ?3)",
            (name, now(), wishes_to_json(wishes)),
        )
    assert made.lastrowid is not None
    return made.lastrowid


def delete(connection: sqlite3.Connection, fleet: int) -> None:
    """Forget a fleet with its machines; possible even on a full disk. It is gone at once, its machines piece by piece,
    so that whoever writes meanwhile waits for one piece at the most."""

    def mark() -> None:
        with transaction(connection, frees=True):
            marked = connection.execute("UPDATE fleet SET gone = 1 WHERE id = ? AND NOT gone", (fleet,))
            if marked.rowcount == 0:
                raise NotFound(f"there is no fleet {fleet}", mend="go back to the fleets")

    freeing(connection, mark)
    finish_deleting(connection)


def finish_deleting(connection: sqlite3.Connection) -> None:
    """Take away what is left of fleets that are gone; also at the start, where a program was killed meanwhile."""
    for row in connection.execute("SELECT id FROM fleet WHERE gone").fetchall():
        left = [True]
        while left[0]:
            freeing(connection, lambda fleet=row["id"], left=left: _delete_piece(connection, fleet, left))  # type: ignore[misc]


def _delete_piece(connection: sqlite3.Connection, fleet: int, left: list[bool]) -> None:
    with transaction(connection, frees=True):
        machines = connection.execute(
            "SELECT id, survey FROM fleet_machine WHERE fleet = ? LIMIT ?", (fleet, PIECE)
        ).fetchall()
        connection.executemany("DELETE FROM fleet_machine WHERE id = ?", [(row["id"],) for row in machines])
        surveys.drop_unused(connection, [row["survey"] for row in machines if row["survey"] is not None])
        left[0] = bool(machines)
        if not machines:
            connection.execute("DELETE FROM fleet WHERE id = ?", (fleet,))


def wish(connection: sqlite3.Connection, fleet: int, wishes: Wishes, name: str) -> None:
    """Other wishes: every line is worked out anew."""
    with transaction(connection):
        before = head(connection, fleet)
        connection.execute("UPDATE fleet SET name = ?, changed_at = ? WHERE id = ?", (name, now(), fleet))
        if before.wishes != wishes:
            connection.execute(
                "UPDATE fleet SET wishes = ?, generation = generation + 1, stopped = 0 WHERE id = ?",
                (wishes_to_json(wishes), fleet),
            )
            connection.execute(
                "DELETE FROM fleet_line WHERE machine IN (SELECT id FROM fleet_machine WHERE fleet = ?)", (fleet,)
            )


def stop(connection: sqlite3.Connection, fleet: int, *, stopped: bool) -> None:
    with transaction(connection):
        sql = "UPDATE fleet SET stopped = ? WHERE id = ? AND NOT gone"
        if connection.execute(sql, (int(stopped), fleet)).rowcount == 0:
            raise NotFound(f"there is no fleet {fleet}", mend="go back to the fleets")


def add(connection: sqlite3.Connection, fleet: int, items: Iterable[Found | Trouble]) -> None:
    """More machines; which are the same is told anew. Raises BadOption past the most that a fleet may hold."""
    with transaction(connection):
        held = head(connection, fleet)
        count = held.machines
        for item in items:
            if isinstance(item, Trouble):
                connection.execute(
                    "INSERT INTO fleet_machine (fleet, name, origin, problem) VALUES (?1, ?2, ?2, ?3)",
                    (fleet, item.name[:400], item.sentence[:600] or "it cannot be read"),
                )
                continue
            count += 1
            if count > MOST_MACHINES:
                raise BadOption(
                    f"a fleet holds at most {MOST_MACHINES} machines",
                    at="files",
                    mend="give the rest to another fleet, or to `ylemorph fleet` on the command line",
                )
            disk, survey = item.survey.disk, surveys.keep(connection, item.survey)
            connection.execute(
                "INSERT INTO fleet_machine (fleet, name, origin, survey, serial, table_id, taken, source_bytes)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (fleet, item.name or "machine", item.origin, survey, disk.serial, disk.table_id,
                 item.survey.taken, disk.size_bytes),
            )  # fmt: skip
        connection.execute("UPDATE fleet SET changed_at = ?, stopped = 0 WHERE id = ?", (now(), fleet))
        _tell_same(connection, fleet)


def remove(connection: sqlite3.Connection, fleet: int, machines: Sequence[int]) -> None:
    """Take machines, or files that could not be read, out of a fleet."""
    with transaction(connection):
        held = [
            row["survey"]
            for machine in machines
            for row in connection.execute(
                "SELECT survey FROM fleet_machine WHERE fleet = ? AND id = ? AND survey IS NOT NULL", (fleet, machine)
            )
        ]
        connection.executemany(
            "DELETE FROM fleet_machine WHERE fleet = ? AND id = ?", [(fleet, machine) for machine in machines]
        )
        connection.execute("UPDATE fleet SET changed_at = ? WHERE id = ?", (now(), fleet))
        _tell_same(connection, fleet)
        surveys.drop_unused(connection, held)


def _tell_same(connection: sqlite3.Connection, fleet: int) -> None:
    rows = connection.execute(
        "SELECT id, serial, table_id, source_bytes, taken, same_of, earlier FROM fleet_machine"
        " WHERE fleet = ? AND survey IS NOT NULL ORDER BY id",
        (fleet,),
    ).fetchall()
    found = same_machines([Known(r["serial"], r["table_id"], r["source_bytes"], r["taken"]) for r in rows])
    told = [
        (None if same is None else rows[same.of]["id"], int(same is not None and same.earlier), row["id"])
        for row, same in zip(rows, found, strict=True)
    ]
    changed = [new for new, row in zip(told, rows, strict=True) if new[:2] != (row["same_of"], row["earlier"])]
    connection.executemany("UPDATE fleet_machine SET same_of = ?, earlier = ? WHERE id = ?", changed)


def waiting(connection: sqlite3.Connection, fleet: int, most: int) -> list[tuple[int, str]]:
    """Machines that are not worked out yet with their surveys as kept; those that count first."""
    rows = connection.execute(
        "SELECT machine.id, survey.body FROM fleet_machine AS machine JOIN fleet ON fleet.id = machine.fleet"
        " JOIN survey ON survey.id = machine.survey WHERE machine.fleet = ? AND machine.generation <> fleet.generation"
        " ORDER BY machine.same_of IS NOT NULL, machine.id LIMIT ?",
        (fleet, most),
    )
    return [(row["id"], row["body"]) for row in rows]


def put(connection: sqlite3.Connection, fleet: int, generation: int, results: Iterable[tuple[int, Assessed]]) -> bool:
    """Keep what was worked out under the wishes of ``generation``; False, and nothing, where they changed meanwhile."""
    with transaction(connection):
        row = connection.execute("SELECT generation FROM fleet WHERE id = ? AND NOT gone", (fleet,)).fetchone()
        if row is None or row["generation"] != generation:
            return False
        for machine, made in results:
            changed = connection.execute(
                "UPDATE fleet_machine SET generation = ?, used_bytes = ?, must_bytes = ?, comfort_bytes = ?,"
                " need_bytes = ? WHERE id = ?",
                (
                    generation,
                    made.used_bytes,
                    made.must_bytes,
                    made.comfort_bytes,
                    comfortable_need(made.needs),
                    machine,
                ),
            )
            if changed.rowcount:
                connection.execute("DELETE FROM fleet_line WHERE machine = ?", (machine,))
                connection.executemany(_PUT, _rows(machine, made))
    return True


_PUT = "INSERT INTO fleet_line VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"


def _rows(machine: int, made: Assessed) -> list[tuple[Any, ...]]:
    rows = [(machine, line.target, line.fit, line.fit, *line.outcome, line.reason, line.remedy) for line in made.lines]
    best: dict[int, tuple[Any, ...]] = {}
    for row in rows:
        before = best.get(row[1])
        if before is None or _worth(row) > _worth(before):
            best[row[1]] = row
    return rows + [(*row[:2], BEST, *row[3:]) for row in best.values()]


def _worth(row: tuple[Any, ...]) -> tuple[int, ...]:
    """The better verdict, then more headroom kept, less short, more free; of equals the earlier fit stays."""
    outcome = Outcome(*row[4:9])
    rank = -1 if outcome.verdict is None else VERDICTS.index(outcome.verdict)
    return rank, outcome.kept_percent, -outcome.shortfall_bytes, outcome.system_free_bytes or 0
