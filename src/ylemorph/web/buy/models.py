"""What comes in and goes out before a disk is bought: the shelf, the ladder, how long a size lasts, fleets."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from ...core.buy.shelf import MOST_SHELF, Form
from ...core.buy.verdicts import Wanted as WantedVerdict
from ...core.carry.facts import Slot
from ...core.disk.model import Link
from ...core.fit.layout import Verdict
from ...core.fit.options import Fit
from ...store.fleet_list import SortKey
from ..models import Line, Options, UnitsQuery, _In, _Out

MOST_TARGETS = 60
MOST_FILES = 400  # of one request
FitOrBest = Literal["best"] | Fit


class UsualSize(_Out):
    label: str
    sectors: int
    size_bytes: int


class ShelfTexts(_In):
    """A disk of the shelf as it is typed, cell by cell."""

    name: Line = ""
    size: Line = ""
    sector_bytes: Line = ""
    link: Line = ""
    form: Line = ""
    price: Line = ""
    currency: Line = ""
    stock: Line = ""
    note: Annotated[str, Field(max_length=400)] = ""


class ShelfIn(_In):
    """The whole shelf in the place of the one that was seen as ``version``; as cells, or ``csv`` with a header line."""

    version: int | None = Field(default=None, ge=0, lt=2**63)
    disks: Annotated[list[ShelfTexts], Field(max_length=MOST_SHELF)] | None = None
    csv: Annotated[str, Field(max_length=2_000_000)] | None = None


class ShelfModel(_Out):
    """``sizes``: the usual ones; ``disks``: the workshop's own, each with its size in ``bytes`` at the same place."""

    sizes: list[UsualSize]
    version: int
    disks: list[ShelfTexts]
    bytes: list[int]
    currencies: list[str]


class LadderQuery(UnitsQuery):
    """``shelf``: the usual sizes or the workshop's own; ``slot``: of the machine, else as its facts say."""

    shelf: Literal["usual", "own"] = "usual"
    slot: Slot | None = None
    sector: Literal["512", "4096"] = "512"


class RowLastingModel(_Out):
    """How long a row lasts; dates are null where they are not reached."""

    row: int
    name: str
    per_year_bytes: int
    low_bytes: int
    high_bytes: int
    readings: int
    headroom: str | None
    full: str | None
    full_soonest: str | None
    full_latest: str | None
    text: str


class OfferModel(_Out):
    name: str
    sectors: int
    logical_sector_bytes: int
    size_bytes: int
    link: Link
    form: Form
    price: int | None
    currency: str
    stock: int | None
    note: str
    verdict: Verdict | None
    kept_percent: int
    shortfall_bytes: int
    system_free_bytes: int | None
    gained_bytes: int | None
    price_per_gib: int | None
    smallest: WantedVerdict | None
    cheapest: bool
    suits: bool | None
    suits_why: str
    seconds: list[int]
    slowed: str
    lasts: RowLastingModel | None
    by_fit: dict[Fit, Verdict | None]
    says: str
    time: str


class LadderModel(_Out):
    format: str
    source_bytes: int
    fit: Fit
    must_bytes: int
    comfort_bytes: int
    least_tight_sectors: int | None
    least_comfortable_sectors: int | None
    disks: list[OfferModel]
    slot: Slot


class UsedOnDay(_Out):
    day: str
    used_bytes: int


class GrowingRow(_Out):
    """A row with what is known of its growth: typed, from surveys, or not; ``limit_bytes``: held with its headroom."""

    number: int
    label: str
    typed_bytes: int | None
    readings: list[UsedOnDay]
    used_bytes: int
    size_bytes: int | None
    limit_bytes: int | None
    lasting: RowLastingModel | None


class LastingModel(_Out):
    since: str
    rows: list[GrowingRow]


# --- fleets ----------------------------------------------------------------------------------------------------------


def _usual_fits() -> list[Fit]:
    return ["proportional"]


class FleetIn(_In):
    """``targets``: names of the shelf, or sizes as typed (``480GB``); ``options`` name no row."""

    name: Annotated[str, Field(min_length=1, max_length=200)] = "Fleet"
    targets: Annotated[list[Line], Field(max_length=MOST_TARGETS)] = Field(default_factory=list)
    fits: Annotated[list[Fit], Field(min_length=1, max_length=5)] = Field(default_factory=_usual_fits)
    options: Options | None = None


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


class FleetQuery(BaseModel):
    fit: FitOrBest = "best"


class MachinesQuery(BaseModel):
    """Which lines of a fleet: of one target and fit, with a verdict, with a text in name or serial; a page."""

    target: int = Field(default=0, ge=0, lt=MOST_TARGETS)
    fit: FitOrBest = "best"
    verdict: Literal["comfortable", "tight", "does-not-fit"] | None = None
    text: Line = ""
    sort: SortKey = "name"
    down: bool = False
    start: int = Field(default=0, ge=0, lt=2**31)
    most: int = Field(default=100, ge=1, le=500)


class MixQuery(BaseModel):
    currency: Annotated[str, Field(max_length=3)] = ""


class FleetPath(BaseModel):
    fleet_id: int = Field(ge=0, lt=2**63)


class ExportPath(FleetPath):
    form: Literal["csv", "xlsx", "json"]


class FleetLineOut(_Out):
    id: int
    name: str
    changed_at: str
    machines: int
    done: int
    troubles: int
    targets: list[str]


class FleetList(_Out):
    fleets: list[FleetLineOut]


class CountsOut(_Out):
    comfortable: int
    tight: int
    does_not_fit: int
    nothing: int


class TargetOut(_Out):
    name: str
    size_bytes: int
    price: int | None
    currency: str
    stock: int | None
    counts: CountsOut


class BinOut(_Out):
    from_bytes: int
    to_bytes: int
    machines: int


class SmallestOut(_Out):
    all: str | None
    percent_95: str | None


class TroubleOut(_Out):
    """A file that could not be read, or a machine that is another one's disk again."""

    id: int
    name: str
    problem: str
    of: str | None
    earlier: bool


class FleetModel(_Out):
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
    options: Options
    targets: list[TargetOut]
    histogram: list[BinOut]
    smallest: SmallestOut
    troubles: list[TroubleOut]


class BeforeOut(_Out):
    taken: str
    used_bytes: int | None
    name: str


class MachineOut(_Out):
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


class MachinesOut(_Out):
    count: int
    machines: list[MachineOut]


class MixDisk(_Out):
    name: str
    count: int
    price: int


class MixOut(_Out):
    currency: str
    total_price: int
    disks: list[MixDisk]
    left_out: list[str]


class MadeJobs(_Out):
    jobs: list[int]
