"""Fleets worked out in the background: one thread for each, all cores by processes, kept as it comes.

What is done and what is left stands in the store alone, so a page that is loaded again, another window or a server that
was killed goes on where it stood.
"""

import logging
import os
import sqlite3
import time
from collections import deque
from concurrent.futures import Future
from concurrent.futures.process import BrokenProcessPool
from contextlib import closing
from pathlib import Path
from threading import Lock, Thread

from ..store import fleets
from ..store.database import NotFound, connect
from .fleet_work import Against, Made, work_out
from .processes import pool

FIRST = 8  # machines that this process works out itself, so that something is on the screen at once
TOGETHER = 25  # machines that a process gets at a time
ALONE = 150  # up to so many, starting processes would take longer than the work
AHEAD = 2  # tasks for each process that wait for it
log = logging.getLogger(__name__)


class FleetRun:
    """One fleet under way; ``rate``: machines a second, as far as it is known."""

    def __init__(self, fleet: int, store: Path, processes: int) -> None:
        self.fleet, self.store, self.processes = fleet, store, processes
        self.begun, self.worked_out = time.monotonic(), 0
        self.active, self.trouble = True, ""

    @property
    def rate(self) -> float:
        return self.worked_out / max(0.05, time.monotonic() - self.begun)

    def run(self) -> None:
        try:
            with closing(connect(self.store)) as connection:
                self._run(connection)
        except NotFound:
            pass  # deleted meanwhile
        except Exception:
            self.trouble = "working it out broke off; see the log of the program, then go on"
            log.exception("fleet %s broke off", self.fleet)
        finally:
            self.active = False

    def _run(self, connection: sqlite3.Connection) -> None:
        while True:
            head = fleets.head(connection, self.fleet)
            if head.stopped or not head.pending or not head.wishes.targets:
                return
            work = Against(head.wishes.names, head.wishes.fits, head.wishes.options)
            first = fleets.waiting(connection, self.fleet, FIRST)
            self._keep(connection, head.generation, work_out(first, work))
            if head.pending <= ALONE or self.processes == 1:
                self._alone(connection, head.generation, work)
            else:
                try:
                    self._together(connection, head.generation, work)
                except (BrokenProcessPool, RuntimeError, OSError):
                    log.warning("fleet %s goes on by one process: others cannot be started", self.fleet, exc_info=True)
                    self._alone(connection, head.generation, work)

    def _keep(self, connection: sqlite3.Connection, generation: int, made: Made) -> bool:
        self.worked_out += len(made)
        return fleets.put(connection, self.fleet, generation, made)

    def _goes_on(self, connection: sqlite3.Connection, generation: int) -> bool:
        head = fleets.head(connection, self.fleet)
        return not head.stopped and head.generation == generation

    def _alone(self, connection: sqlite3.Connection, generation: int, work: Against) -> None:
        while self._goes_on(connection, generation):
            items = fleets.waiting(connection, self.fleet, TOGETHER)
            if not items or not self._keep(connection, generation, work_out(items, work)):
                return

    def _together(self, connection: sqlite3.Connection, generation: int, work: Against) -> None:
        items = deque(fleets.waiting(connection, self.fleet, fleets.MOST_MACHINES))
        with pool(self.processes, fresh=True) as workers:
            tasks: deque[Future[Made]] = deque()
            while items or tasks:
                while items and len(tasks) < self.processes * AHEAD:
                    some = [items.popleft() for _ in range(min(TOGETHER, len(items)))]
                    tasks.append(workers.submit(work_out, some, work))
                done = tasks.popleft().result()
                if not self._keep(connection, generation, done) or not self._goes_on(connection, generation):
                    workers.shutdown(wait=False, cancel_futures=True)
                    return


class FleetRuns:
    """The fleets that this server works on."""

    def __init__(self, processes: int | None = None) -> None:
        self._kept: dict[int, FleetRun] = {}
        self._lock = Lock()
        self.processes = processes or os.cpu_count() or 1

    def go_on(self, fleet: int, store: Path, *, asked: bool = False) -> None:
        """Work on what is left of a fleet, unless somebody does already; after it broke off, only when ``asked``."""
        with self._lock:
            before = self._kept.get(fleet)
            if before is not None and (not asked if before.trouble else before.active):
                return
            run = self._kept[fleet] = FleetRun(fleet, store, self.processes)
        Thread(target=run.run, name=f"fleet {fleet}", daemon=True).start()

    def active(self, fleet: int) -> bool:
        run = self.get(fleet)
        return run is not None and run.active

    def get(self, fleet: int) -> FleetRun | None:
        with self._lock:
            return self._kept.get(fleet)
