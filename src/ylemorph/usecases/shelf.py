"""The workshop's shelf, and a job's source against it: the ladder, and how long its plan lasts."""

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from typing import NamedTuple

from ..core.buy.growth import (
    Growth,
    Reading,
    RowLasting,
    comfortable_up_to,
    day_of,
    growths_of,
    lasting_rows,
    readings_of,
    typed,
)
from ..core.buy.shelf import Circumstances, Ladder, ShelfDisk, look, usual_shelf
from ..core.carry.facts import Slot
from ..core.disk.model import Disk
from ..core.errors import BadOption, YlemorphError
from ..core.fit.layout import Prepared
from ..core.job.state import JobState
from ..formats.own.shelf import read_shelf, shelf_disk_from
from ..store import jobs, shelf, surveys
from ..store.shelf import Shelf, ShelfConflict, read
from .workshop import Work

__all__ = ["JobLasting", "RowGrowth", "Shelf", "ShelfConflict", "ladder", "lasting", "read", "write"]


def write(work: Work, disks: Sequence[Mapping[str, str]] | None, csv: str | None, version: int | None) -> Shelf:
    """Write the shelf as a whole, from cells or from CSV. Raises BadOption with the cell, or ShelfConflict."""
    if (disks is None) == (csv is None):
        raise BadOption("give either disks or csv", at="disks", mend="send one of the two")
    made = read_shelf(csv) if csv is not None else [_disk(texts, place) for place, texts in enumerate(disks or ())]
    return shelf.write(work.connection, made, version)


def _disk(texts: Mapping[str, str], place: int) -> ShelfDisk:
    try:
        return shelf_disk_from(texts)
    except YlemorphError as error:
        raise BadOption(error.problem, at=f"disks[{place}].{error.at}", mend=error.mend) from None


def ladder(work: Work, job: int, sector: int, slot: Slot, *, own: bool) -> Ladder:
    """What every usual size, or every disk of the shelf, means for the job's source under its options."""
    state = jobs.get(work.connection, job).state
    source = _source(state)
    items = list(shelf.read(work.connection).disks) if own else usual_shelf(sector)
    around = Circumstances(slot, state.facts.target_link, _growths(work, state), _since(state))
    return look(source, state.options, items, around, sector)


def _source(state: JobState) -> Disk:
    if state.source_disk is None:
        raise BadOption("there is no source yet", at="source", mend="read the source first")
    return state.source_disk


class RowGrowth(NamedTuple):
    """A row with what is known of its growth: typed, from surveys, or not; ``limit_bytes``: held with its headroom."""

    number: int
    label: str
    typed_bytes: int | None
    readings: tuple[Reading, ...]
    used_bytes: int
    size_bytes: int | None
    limit_bytes: int | None
    lasting: RowLasting | None


class JobLasting(NamedTuple):
    since: date
    rows: tuple[RowGrowth, ...]


def lasting(work: Work, job: int) -> JobLasting:
    """How long each row of the job's plan lasts, by what was typed or by the surveys of its disk."""
    state = jobs.get(work.connection, job).state
    source, since = _source(state), _since(state)
    prepared = Prepared(source, state.options)
    layout = prepared.on(state.target_disk) if state.target_disk is not None else None
    sizes: dict[int, int] = {}
    if layout is not None and layout.sizes is not None:
        sizes = dict(zip([row.number for row in layout.carried], layout.sizes, strict=True))
    lasts = {row.number: row for row in lasting_rows(layout, _growths(work, state), since)} if layout else {}
    read_before = readings_of(surveys.of_disk(work.connection, source.serial))
    rows = []
    for row in prepared.carried:
        if row.floors is None or row.is_made or row.role not in ("system", "data"):
            continue
        size = sizes[row.number] * state.options.grain_bytes if row.number in sizes else None
        limit = None if size is None else comfortable_up_to(size, row.role, state.options.headroom)
        known = tuple(read_before.get(row.number, ()))
        given = dict(state.options.growth).get(row.number)
        carried = row.floors.carried_bytes
        rows.append(RowGrowth(row.number, row.label, given, known, carried, size, limit, lasts.get(row.number)))
    return JobLasting(since, tuple(rows))


def _growths(work: Work, state: JobState) -> dict[int, Growth]:
    """What was typed, and for the other rows what the surveys of the same disk tell."""
    found = growths_of(surveys.of_disk(work.connection, _source(state).serial))
    return {**found, **{number: typed(size) for number, size in dict(state.options.growth).items()}}


def _since(state: JobState) -> date:
    """The day of the survey; today where it has none."""
    taken = state.source.taken if state.source is not None else ""
    return day_of(taken) or datetime.now(UTC).date()
