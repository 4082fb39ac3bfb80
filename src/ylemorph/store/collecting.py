"""Disks sent from a customer's machine: codes that work once for a short time, and what arrived for a job."""

import hashlib
import secrets
import sqlite3
import time
from typing import Literal, NamedTuple

from ..core.errors import YlemorphError
from ..core.plain import plain_line
from .database import NotFound, now, transaction

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"  # none that is taken for another when it is read out
CODE_LENGTH = 10  # 50 bits
MINUTES = 30
MOST_DISKS = 64  # of one machine
Purpose = Literal["disks", "log"]
MOST_ARRIVALS = 20  # kept for a job; the oldest goes


class WrongCode(YlemorphError):
    """A code that was never given, was used, or has had its time."""


class CollectGoal(NamedTuple):
    """What a code is for: one job or one fleet. ``made_by``: who took it."""

    job: int | None
    fleet: int | None
    made_by: str = ""


class Arrival(NamedTuple):
    id: int
    machine: str
    body: str
    arrived_at: str


def give_code(connection: sqlite3.Connection, goal: CollectGoal, made_by: str, purpose: Purpose = "disks") -> str:
    """A new code for ``goal``, for disks or the log of a script. Raises NotFound where that is gone."""
    table, number = ("job", goal.job) if goal.job is not None else ("fleet", goal.fleet)
    code = "".join(secrets.choice(LETTERS) for _ in range(CODE_LENGTH))
    with transaction(connection):
        if connection.execute(f"SELECT 1 FROM {table} WHERE id = ?", (number,)).fetchone() is None:  # noqa: S608  # one of two words
            raise NotFound(f"there is no {table} {number}", mend="go back to the list")
        connection.execute("DELETE FROM collect_code WHERE ends_at <= ?", (int(time.time()),))
        ends = int(time.time()) + MINUTES * 60
        connection.execute(
            "INSERT INTO collect_code VALUES (?, ?, ?, ?, ?, ?)",
            (digest_of(code), goal.job, goal.fleet, made_by, ends, purpose),
        )
    return code


def look_up(connection: sqlite3.Connection, code: str, purpose: Purpose = "disks") -> CollectGoal:
    """What a code is for, without using it up. Raises WrongCode."""
    row = connection.execute(
        "SELECT job, fleet, made_by FROM collect_code WHERE digest = ? AND ends_at > ? AND purpose = ?",
        (digest_of(code), int(time.time()), purpose),
    ).fetchone()
    if row is None:
        raise WrongCode(
            "this code was used already, has had its time, or was never given", mend="take a new one from the page"
        )
    return CollectGoal(row["job"], row["fleet"], row["made_by"])


def use_up(connection: sqlite3.Connection, code: str, purpose: Purpose = "disks") -> None:
    """Inside a transaction: of two that come with one code, the second is refused. Raises WrongCode."""
    look_up(connection, code, purpose)
    connection.execute("DELETE FROM collect_code WHERE digest = ?", (digest_of(code),))


def keep_arrival(connection: sqlite3.Connection, code: str, job_id: int, machine: str, body: str) -> None:
    """What a machine sent for a job, under a code that is used up by it. Raises WrongCode."""
    with transaction(connection):
        use_up(connection, code)
        sql = "INSERT INTO arrival (job, machine, body, arrived_at) VALUES (?, ?, ?, ?)"
        connection.execute(sql, (job_id, plain_line(machine)[:80], body, now()))
        connection.execute(
            "DELETE FROM arrival WHERE job = ?1 AND id NOT IN"
            " (SELECT id FROM arrival WHERE job = ?1 ORDER BY id DESC LIMIT ?2)",
            (job_id, MOST_ARRIVALS),
        )


def arrivals(connection: sqlite3.Connection, job_id: int) -> list[Arrival]:
    """What arrived for a job and waits, the newest first."""
    sql = "SELECT id, machine, body, arrived_at FROM arrival WHERE job = ? ORDER BY id DESC"
    return [Arrival(*row) for row in connection.execute(sql, (job_id,))]


def forget(connection: sqlite3.Connection, job_id: int, arrival_id: int) -> None:
    connection.execute("DELETE FROM arrival WHERE job = ? AND id = ?", (job_id, arrival_id))


def digest_of(code: str) -> str:
    return hashlib.sha256(code.strip().upper().encode("utf-8", "replace")).hexdigest()
