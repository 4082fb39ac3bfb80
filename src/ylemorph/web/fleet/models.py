"""What comes in and goes out for fleets."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from ...core.fit.layout import Verdict
from ...core.fit.options import Fit
from ...formats.own.wire import Shape, ShortText
from ...usecases.fleets import FleetSortKey, SortKey
from ..models import OptionsIn, Query, _In
from .exports import ExportForm

MOST_TARGETS = 60
MOST_FILES = 400  # of one request
FitOrBest = Literal["best"] | Fit


def _usual_fits() -> list[Fit]:
    return ["proportional"]


class FleetIn(_In):
    """``targets``: names of the shelf, or sizes as typed (``480GB``); ``options`` name no row."""

    name: Annotated[str, Field(min_length=1, max_length=200)] = "Fleet"
    targets: Annotated[list[ShortText], Field(max_length=MOST_TARGETS)] = Field(default_factory=list)
    fits: Annotated[list[Fit], Field(min_length=1, max_length=5)] = Field(default_factory=_usual_fits)
    options: OptionsIn | None = None


class FleetFile(_In):
    """A file as base64."""

    name: Annotated[str, Field(min_length=1, max_length=400)]
    data: str


class FilesIn(_In):
    files: Annotated[list[FleetFile], Field(min_length=1, max_length=MOST_FILES)]


class StopIn(_In):
    stopped: bool


class MachinesIn(_In):
    machines: Annotated[list[Annotated[int, Field(ge=0, lt=2**63)]], Field(min_length=1, max_length=5_000)]


class FleetJobsIn(MachinesIn):
    """A job for each machine onto one of the targets; ``best`` takes the fit that serves each best."""

    target: int = Field(ge=0, lt=MOST_TARGETS)
    fit: FitOrBest = "best"


class _Page(Query):
    """A page of what holds a text."""

    text: ShortText = ""
    start: int = Field(default=0, ge=0, lt=2**31)
    most: int = Field(default=100, ge=1, le=500)


class FleetsQuery(_Page):
    """Which fleets: by a text in their name."""

    sort: FleetSortKey = "changed"
    down: bool = True


class FleetQuery(Query):
    fit: FitOrBest = "best"


class MachinesQuery(_Page):
    """Which lines of a fleet: of one target and fit, with a verdict, by a text in name or serial."""

    target: int = Field(default=0, ge=0, lt=MOST_TARGETS)
    fit: FitOrBest = "best"
    verdict: Literal["comfortable", "tight", "does-not-fit"] | None = None
    sort: SortKey = "name"
    down: bool = False


class MixQuery(Query):
    currency: Annotated[str, Field(max_length=3)] = ""


class FleetPath(BaseModel):
    fleet_id: int = Field(ge=0, lt=2**63)


class ExportPath(FleetPath):
    form: ExportForm


class FleetLineOut(Shape):
    id: int
    name: str
    changed_at: str
    machines: int
    done: int
    troubles: int
    targets: list[str]


class FleetList(Shape):
    """``count`` of them match; ``fleets`` are those of the page."""

    count: int
    fleets: list[FleetLineOut]


class CountsOut(Shape):
    comfortable: int
    tight: int
    does_not_fit: int
    nothing: int


class TargetOut(Shape):
    name: str
    size_bytes: int
    price: int | None
    currency: str
    stock: int | None
    counts: CountsOut


class BinOut(Shape):
    from_bytes: int
    to_bytes: int
    machines: int


class SmallestOut(Shape):
    all: str | None
    percent_95: str | None


class TroubleOut(Shape):
    """A file that could not be read, or a machine that is another one's disk again."""

    id: int
    name: str
    problem: str
    of: str | None
    earlier: bool


class FleetModel(Shape):
    """``left_seconds`` is null where nothing is under way; ``repeated`` machines do not count."""

    id: int
    name: str
    changed_at: str
    generation: int
    running: bool
    stopped: bool
    trouble: str
    machines: int
    done: int
    repeated: int
    unread: int
    left_seconds: int | None
    fits: list[Fit]
    options: OptionsIn
    targets: list[TargetOut]
    histogram: list[BinOut]
    smallest: SmallestOut
    troubles: list[TroubleOut]


class BeforeOut(Shape):
    taken: str
    used_bytes: int | None
    name: str


class MachineOut(Shape):
    id: int
    name: str
    serial: str
    origin: str
    taken: str
    source_bytes: int
    used_bytes: int | None
    must_bytes: int | None
    comfort_bytes: int | None
    need_bytes: int | None
    fit: Fit
    verdict: Verdict | None
    kept_percent: int
    shortfall_bytes: int
    system_free_bytes: int | None
    reason: str
    remedy: str
    verdicts: list[Verdict | None]
    before: BeforeOut | None


class MachinesOut(Shape):
    count: int
    machines: list[MachineOut]


class MadeJobs(Shape):
    jobs: list[int]
