"""Jobs: begun, changed, tried out, listed. Where the store's own operation is all of it, it is the use case."""

import sqlite3
from collections.abc import Callable, Iterable, Mapping
from typing import Any, NamedTuple

from ..core.errors import YlemorphError
from ..core.fit.layout import lay_out
from ..core.fit.plan import Plan
from ..core.job.change import Change
from ..core.job.changes import apply
from ..core.job.state import JobState
from ..demo.scenario import sample_job
from ..formats.own.changes import Sent, change_from
from ..store import closings, runs, surveys
from ..store import jobs as kept
from ..store.closings import Closing
from ..store.database import snapshot, transaction
from ..store.history import Revision, entries
from ..store.jobs import (
    Broken,
    Conflict,
    Job,
    JobHead,
    JobSearch,
    ListPlace,
    get,
    go_to,
    redo,
    state_at,
    survey_text,
    undo,
)
from .deleted import double
from .settings import job_defaults
from .workshop import Work

__all__ = [
    "Broken",
    "Closing",
    "Conflict",
    "Job",
    "JobHead",
    "JobSearch",
    "ListPlace",
    "ListedJob",
    "Revision",
    "Tried",
    "begin",
    "begin_sample",
    "bring_back",
    "change",
    "copy",
    "delete",
    "entries",
    "get",
    "go_to",
    "listed",
    "redo",
    "state_at",
    "state_of",
    "survey_text",
    "try_out",
    "undo",
]


SAMPLE = ("desk", "blank")  # stand-ins: its source and its target


def begin(work: Work, fields: Iterable[Mapping[str, Any]]) -> Job:
    """A job from the changes that its first fields stand for, made one after the other."""
    state = JobState(options=job_defaults(work.connection))
    for sent in fields:
        state = apply(state, change_from(sent, state)).state
    return kept.create(work.connection, state, made_by=work.by)


def begin_sample(work: Work) -> Job:
    """A job to try things on: the lending desk's disk of the demo onto a smaller one.

    Both are stand-ins on the bench, so that it can be practised up to *Check back*; where there is no room for their
    images it is a job of figures alone.
    """
    bench = work.shop.bench
    try:
        for key in SAMPLE:
            bench.attach(key)
        state = sample_job(*[bench.read(key) for key in SAMPLE])
    except YlemorphError:
        state = sample_job()
    return kept.create(work.connection, state, "Begun as a sample", work.by)


def change(work: Work, job: int, version: int | None, read: Callable[[JobState], Change]) -> Job:
    """Make the change that ``read`` gives for the state, under the version that was seen (None: whichever).

    Raises Conflict or NotFound, and whatever refuses the change; then nothing was made.
    """
    with transaction(work.connection):
        state = kept.must_be_at(work.connection, job, version).state
        made = read(state)
        applied = apply(state, made)
        if applied.state != state:
            kept.add_revision(work.connection, job, applied.state, applied.sentence, work.by, made)
    return get(work.connection, job)


class Tried(NamedTuple):
    """What a change would give; ``stopped`` says what a drag ran against."""

    plan: Plan
    stopped: str


def try_out(work: Work, job: int, sent: Sent) -> Tried:
    """What a change would give, without making it."""
    state = get(work.connection, job).state
    applied = apply(state, change_from(sent, state))
    pair, options = applied.state.pair, applied.state.options
    return Tried(Plan(*pair, options, applied.layout or lay_out(*pair, options)), applied.stopped)


def copy(work: Work, job: int) -> Job:
    """A second job with all that this one holds."""
    return get(work.connection, double(work.connection, job))


def delete(work: Work, job: int) -> None:
    """Forget a job with its history; for a while it can be brought back."""
    work.shop.deleted.delete(work.connection, job)


def bring_back(work: Work, job: int) -> Job:
    """A job that was deleted a moment ago, under a number of its own."""
    return get(work.connection, work.shop.deleted.bring_back(work.connection, job))


EVERY_JOB = JobSearch()


class ListedJob(NamedTuple):
    """A line of the list: what is kept of a job, the step that it is at, how it ended, whether it was checked back."""

    line: JobHead
    at_step: tuple[int, int] | None
    closing: Closing | None
    checked: bool


def listed(
    connection: sqlite3.Connection, wanted: JobSearch = EVERY_JOB, after: ListPlace | None = None, most: int = 2**31
) -> list[ListedJob]:
    """At most so many of the jobs that are wanted, as they stand at one moment: the open ones first, of both the last
    changed first, those that come after a place."""
    with snapshot(connection):
        lines = kept.page(connection, wanted, after, most)
        ids = [line.id for line in lines]
        going, closed = runs.under_way(connection), closings.closings_of(connection, ids)
        checked = closings.checked(connection, ids)
        return [ListedJob(line, going.get(line.id), closed.get(line.id), line.id in checked) for line in lines]


def state_of(connection: sqlite3.Connection, line: JobHead) -> JobState:
    """What the plan of a line follows from. Raises Broken, YlemorphError, ValueError or RecursionError."""
    source, target, size, sector, options = line.content
    return JobState(
        source=surveys.by_digest(connection, source) if source else None,
        target=surveys.by_digest(connection, target) if target else kept.sized_target(size, sector),
        options=kept.kept_options(options),
    )
