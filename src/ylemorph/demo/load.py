"""Put the demo's jobs into an empty store, and its first disks on the bench."""

import sqlite3

from ..stand_ins.attached import Bench, usual
from ..store import jobs
from .fleet import load_fleet
from .history import load_history
from .scenario import jobs as demo_jobs


def load_demo(connection: sqlite3.Connection, bench: Bench | None = None) -> int:
    """How many jobs were made: none where the store holds some already."""
    if jobs.count(connection):
        return 0
    made = load_history(connection)
    states = demo_jobs()
    for state in states:
        jobs.create(connection, state, "Job begun")
    load_fleet(connection)
    if bench is not None:
        for key in usual():
            bench.attach(key)
    return made + len(states)
