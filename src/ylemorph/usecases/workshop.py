"""What the use cases work with, as one value: the data file, the bench, and the long work that is under way."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from ..stand_ins.attached import Bench
from ..store.database import LEAST_ROOM, Gone, Keeper, NotFound
from .deleted import Deleted
from .fleet_runs import FleetRuns
from .practices import Practices
from .readings import DisksFor, Readings, RealDisks

__all__ = ["LEAST_ROOM", "Gone", "NotFound", "Work", "Workshop"]


@dataclass(frozen=True, slots=True)
class Workshop:
    """One for each running program."""

    store: Path
    keeper: Keeper
    bench: Bench
    readings: Readings
    disks: RealDisks
    fleets: FleetRuns
    practices: Practices
    deleted: Deleted

    @classmethod
    def over(cls, store: Path, read_from: tuple[Path, ...] = (), disks: DisksFor = "nobody") -> "Workshop":
        """Over the data file ``store``. Disks may be read by path from the folders ``read_from`` alone, and those that
        are attached to this machine by those whom ``disks`` names."""
        readings = Readings(read_from)
        return cls(
            store,
            Keeper(store),
            Bench(store.parent / "bench"),
            readings,
            RealDisks(disks, readings),
            FleetRuns(),
            Practices(),
            Deleted(),
        )

    @contextmanager
    def connected(self) -> Iterator[sqlite3.Connection]:
        """A connection for one piece of work. Raises Gone where the data file is no longer the one of the start."""
        connection, well = self.keeper.lend(), False
        try:
            yield connection
            well = True
        finally:
            self.keeper.give_back(connection, well=well)


@dataclass(frozen=True, slots=True)
class Work:
    """One piece of work: where, over which connection, by whom (for the history)."""

    shop: Workshop
    connection: sqlite3.Connection
    by: str = ""
