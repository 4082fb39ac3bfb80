"""Put the demo's jobs into an empty store."""

import sqlite3

from ..store import jobs
from .scenario import jobs as demo_jobs


def load_demo(connection: sqlite3.Connection) -> int:
    """How many jobs were made: none where the store holds some already."""
    if jobs.listed(connection):
        return 0
    states = demo_jobs()
    for state in states:
        jobs.create(connection, state, "Job begun")
    return len(states)
