"""What comes in and goes out for the stage Check back."""

from typing import Annotated

from pydantic import Field

from ...formats.own.check import DifferenceModel
from ...formats.own.steps_schema import FigureModel, PlaceModel
from ...formats.own.survey import SurveyModel
from ...formats.own.wire import Note, Shape
from ...usecases.checking import Result
from ..models import DiskHead, Problem, UnitsQuery, _In


class CheckRequest(_In):
    """The finished disk; ``sure`` where it is another than the job names and is meant all the same."""

    survey: SurveyModel
    sure: bool = False


class StepMinutes(_In):
    step: Annotated[int, Field(ge=1, le=100_000)]
    minutes: Annotated[int, Field(ge=0, le=100_000)]


class CloseRequest(_In):
    """``minutes`` of the whole job, ``step_minutes`` of single steps, where they were typed; ``sure`` where it is done
    although the finished disk is not as planned."""

    result: Result
    note: Note = ""
    keep_until: Annotated[str, Field(max_length=10)] | None = None
    minutes: Annotated[int, Field(ge=0, le=100_000)] | None = None
    step_minutes: Annotated[list[StepMinutes], Field(max_length=2_000, default_factory=list)]
    sure: bool = False


class CheckQuery(UnitsQuery):
    """``number``: one of the checks; the newest unless given."""

    number: int | None = Field(default=None, ge=1, lt=2**63)


class MendedDifference(DifferenceModel):
    figures: list[FigureModel]


class ComparedRow(Shape):
    """A row as planned and as found; None where it is not there."""

    number: int | None
    label: str
    change: str
    planned: PlaceModel | None
    found: PlaceModel | None
    codes: list[str]


class CheckLine(Shape):
    number: int
    made_at: str
    as_planned: bool
    differences: int


class ClosingModel(Shape):
    closed_at: str
    result: Result
    note: str
    keep_until: str | None
    minutes: int | None


class StepTime(Shape):
    """A step with what it took by the record; empty where nothing is recorded."""

    number: int
    say: str
    took: str


class ShownCheck(Shape):
    """One check; ``as_planned`` is null where none was made."""

    number: int | None
    made_at: str
    as_planned: bool | None
    found: DiskHead | None
    another: str
    differences: list[MendedDifference]
    unknown: list[str]
    rows: list[ComparedRow]
    sectors: int


class FinishModel(Shape):
    """The way from what the newest check found to the plan; ``why`` says what stands there, or why there is none."""

    possible: bool
    why: str
    steps: int
    time: str


class CheckBackModel(ShownCheck):
    """All that the stage shows; ``trouble`` says why there is nothing to compare with."""

    checks: list[CheckLine]
    sector_bytes: int
    closing: ClosingModel | None
    took: str
    steps: list[StepTime]
    trouble: Problem | None
    finish: FinishModel | None
