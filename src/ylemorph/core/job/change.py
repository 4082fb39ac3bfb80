"""What a change is, and what several changes ask of a job."""

from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

from ..errors import BadOption
from ..fit.layout import Layout, Prepared
from ..fit.options import Options
from ..fit.rows import Row
from ..sizes import Bytes
from .state import JobState


class Applied(NamedTuple):
    """A job after a change, what was done in words, and what a drag ran against.

    ``layout``: of the job afterwards, where the change was checked against it.
    """

    state: JobState
    sentence: str
    stopped: str = ""
    layout: Layout | None = None


@dataclass(frozen=True, slots=True)
class Change:
    """One change. ``key`` names it where it is sent or kept."""

    key: ClassVar[str] = ""

    def make(self, state: JobState) -> Applied:
        raise NotImplementedError


def rows_of_job(state: JobState) -> tuple[Row, ...]:
    if state.source is None:
        raise BadOption("there is no source yet", mend="read the source first")
    return Prepared(state.source.disk, state.options).rows


def row_of(state: JobState, number: int) -> Row:
    for row in rows_of_job(state):
        if row.number == number:
            return row
    raise BadOption(f"the source has no partition {number}", at="row", mend="choose a row of the plan")


def own_row(state: JobState, number: int) -> Row:
    """A row that the source has; one that is made new has nothing to set."""
    row = row_of(state, number)
    if row.partition is None:
        raise BadOption(f"{row.name} is made new by the change of table", at="row", mend="keep the table instead")
    return row


def with_options(state: JobState, options: Options, sentence: str, stopped: str = "") -> Applied:
    return Applied(state.but(options=options), sentence, stopped)


def by_number(pairs: dict[int, Any]) -> tuple[tuple[int, Any], ...]:
    return tuple(sorted(pairs.items()))


def pins_without(options: Options, *numbers: int) -> tuple[tuple[int, Bytes], ...]:
    return tuple(pin for pin in options.pins if pin[0] not in numbers)
