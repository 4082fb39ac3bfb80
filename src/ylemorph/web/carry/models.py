"""What comes in and goes out for the stage Carry out."""

from typing import Annotated, Literal

from pydantic import Field

from ...core.carry.sequence import StepKind, WayKey
from ...core.fit.layout import Verdict
from ...core.job.aftermath import Reason
from ...formats.own.changes import ChangeShape, FactKey
from ...formats.own.steps_schema import FrameModel, Seconds, StepsModel
from ...formats.own.wire import Shape, ShortText
from ...stand_ins.practice import Fault
from ...usecases.carrying import Happening, What
from ..models import JobPath, Problem, _In
from .hand_over import HandOverForm


class HandOverPath(JobPath):
    form: HandOverForm


class TickRequest(_In):
    """Tick a line of the check lists off, or take that back."""

    item: ShortText = Field(min_length=1)
    on: bool


class RecordRequest(_In):
    """What happened while the job is carried out; ``back`` takes the last entry back, ``end`` ends before the end."""

    what: Happening
    step: int | None = Field(default=None, ge=1, le=100_000)
    reason: Reason | None = None
    note: ShortText = ""


class PracticeRequest(_In):
    """Carry the job out on the bench; ``pace``: seconds that all steps take together."""

    fault: Fault = "none"
    pace: Annotated[float, Field(ge=0, le=600)] = 20.0


class FaultModel(Shape):
    key: Fault
    text: str


class PracticeModel(Shape):
    """How far the bench is, null where it was never at work on the job; ``why_not``: why it cannot begin."""

    state: Literal["running", "done", "stopped", "failed"] | None
    step: int
    of: int
    trouble: str
    fault: Fault
    faults: list[FaultModel]
    why_not: str


class QuestionModel(Shape):
    fact: FactKey
    text: str
    kind: Literal["choice", "size", "rows"]
    choices: list[str]
    answer: Annotated[str, Field(description="As it was given; empty where it was not")]
    bytes: int | None
    said_by: Annotated[str, Field(description="Who says it where nobody was asked: the survey, the bench; else empty")]
    decides: bool


class WayOutModel(Shape):
    text: str
    change: ChangeShape
    verdict: Verdict | None
    time: str


class StepProgressModel(Shape):
    """How far a script is with the step under way, as it tells."""

    step: int
    word: str
    percent: int
    bytes: int
    of: int
    so_far: str
    left: str


class LogRequest(_In):
    """The log of a script, as it wrote it."""

    text: Annotated[str, Field(max_length=8_000_000)]


class LogTaken(Shape):
    """What a log filled, in words; ``found``: whether the finished disk came along."""

    sentence: str
    found: bool


class TellModel(Shape):
    """An address for ``--tell``, good for one run that begins within ``minutes``."""

    address: str
    minutes: int
    reachable: bool


class FailureModel(Shape):
    """A step that failed, what stands on the disks now, and what leads on."""

    step: int
    reason: Reason
    words: str
    note: str
    states: list[str]
    again_from: int | None
    again: str
    ways_out: list[WayOutModel]


class EventModel(Shape):
    step: int
    what: What
    reason: str
    note: str
    at: str
    seconds: int
    took: str


class RunStepModel(Shape):
    """A step as it stood when the record began."""

    number: int
    kind: StepKind
    say: str
    time: str


class PresentModel(Shape):
    """The step to do now; ``failed_before``: how often it failed in this record."""

    step: int
    say: str
    time: Annotated[str, Field(description="What it should take")]
    so_far: str
    left: Annotated[str, Field(description="Empty where it takes longer than it should")]
    failed_before: int


class RunModel(Shape):
    way: WayKey
    way_name: str
    begun_at: str
    ended_at: str | None
    step: int | None
    steps: list[RunStepModel]
    events: list[EventModel]
    took: str
    plan_changed: bool
    failure: FailureModel | None
    present: Annotated[
        PresentModel | None,
        Field(description="Null at the end, where a failure stands, and where the plan was changed"),
    ]
    progress: StepProgressModel | None


class ReasonModel(Shape):
    key: Reason
    text: str


class CarryModel(Shape):
    """All that the stage shows. ``steps`` are None where there is no plan; ``trouble`` says why."""

    headline: str
    steps: StepsModel | None
    film: list[FrameModel]
    questions: list[QuestionModel]
    ticks: dict[str, str]
    run: RunModel | None
    reasons: list[ReasonModel]
    trouble: Problem | None
    seconds: Seconds | None
