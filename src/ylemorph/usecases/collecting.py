"""Disks sent from a customer's machine: a code that works once, and what arrives under it for a job or a fleet."""

import sqlite3
from functools import lru_cache
from typing import NamedTuple

from ..core.disk.listing import Listed, merge
from ..core.disk.model import Survey
from ..core.errors import BadSurvey, YlemorphError
from ..formats.listings.fleet_read import Found, read_item
from ..formats.listings.reading import Recognised, read_any
from ..store import collecting, fleets, jobs
from ..store.collecting import MINUTES, MOST_DISKS, Arrival, CollectGoal, WrongCode, forget, give_code, look_up
from ..store.database import transaction

__all__ = [
    "MINUTES", "Arrived", "CollectGoal", "Joined", "WrongCode", "arrivals", "arrive", "forget", "give_code", "joined",
    "look_up",
]  # fmt: skip


class Joined(NamedTuple):
    """A reading, and what of it contradicts the survey that it was joined with."""

    reading: Recognised
    conflicts: tuple[str, ...] = ()


class Arrived(NamedTuple):
    """What a machine sent for a job; ``joined`` is None where it cannot be read, and ``trouble`` says why."""

    arrival: Arrival
    joined: Joined | None
    trouble: str


def arrivals(connection: sqlite3.Connection, job: int) -> list[Arrived]:
    """What arrived for a job and was not taken yet, joined with what is known of its source where it fits."""
    source, found = jobs.get(connection, job).state.source, []
    for item in collecting.arrivals(connection, job):
        try:
            found.append(Arrived(item, _joined_or_alone(source, _read(item.body)), ""))
        except YlemorphError as error:
            found.append(Arrived(item, None, error.sentence()))
    return found


def joined(survey: Survey, reading: Recognised) -> Joined:
    """The one disk of the listing that is the surveyed one, merged into it. Raises YlemorphError where none is."""
    merged, trouble = [], None
    for item in reading.found:
        try:
            merged.append(merge(survey, item.survey))
        except YlemorphError as error:
            trouble = error
    if not merged:
        raise trouble or BadSurvey("there is no disk in it", mend="take the listing again")
    if len(merged) > 1:
        raise BadSurvey(f"{len(merged)} disks of the listing could be this one", mend="take the listing of one disk")
    found = Listed(survey.disk.model, merged[0].survey, ())
    return Joined(Recognised(reading.form, (found,)), merged[0].conflicts)


def _joined_or_alone(source: Survey | None, reading: Recognised) -> Joined:
    """As it is where it is of another disk."""
    if source is None:
        return Joined(reading)
    try:
        return joined(source, reading)
    except YlemorphError:
        return Joined(reading)


def arrive(connection: sqlite3.Connection, code: str, goal: CollectGoal, machine: str, body: bytes) -> int:
    """Take what a machine sends, under a code that is used up by it; the number of disks.

    Raises BadSurvey where nothing of it can be used (the code stays good), or WrongCode.
    """
    if goal.job is not None:
        text = body.decode("utf-8", "replace")
        count = _few(len(_read(text).found))
        collecting.keep_arrival(connection, code, goal.job, machine, text)
        return count
    items = list(read_item(machine or "a machine", body))
    good = sum(isinstance(item, Found) for item in items)
    if not good:
        raise BadSurvey("there is no disk in it that could be used", mend="run the script as administrator (root)")
    _few(len(items))
    assert goal.fleet is not None
    with transaction(connection):
        collecting.use_up(connection, code)
        fleets.add(connection, goal.fleet, items)
    return good


@lru_cache(maxsize=64)
def _read(body: str) -> Recognised:
    """What arrived, read once however often it is looked at. Raises YlemorphError."""
    return read_any(body)


def _few(count: int) -> int:
    """Raises BadSurvey for more disks than a machine has."""
    if count > MOST_DISKS:
        problem = f"{count} disks are more than a machine has ({MOST_DISKS} at most)"
        raise BadSurvey(problem, mend="send the list of one machine")
    return count
