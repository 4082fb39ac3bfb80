"""What comes in and goes out over HTTP. Requests are checked here once; the core trusts them afterwards."""

from functools import cache
from typing import Annotated, Any, Literal, NotRequired

from pydantic import BaseModel, ConfigDict, Field

from ..core.disk.model import Role
from ..core.fit.layout import Verdict
from ..core.fit.options import Fit
from ..core.fit.plan import RowChange
from ..core.job.state import Stage
from ..core.sizes import Units
from ..formats.own.changes import TEXT_FIELDS
from ..formats.own.option_models import OptionsShape
from ..formats.own.plan_schema import FindingModel, PlanModel, UnallocatedModel
from ..formats.own.survey import SurveyModel, SurveyShape
from ..formats.own.target_models import TargetModel
from ..formats.own.wire import Described, JsonSchema, Note, Shape, ShortText


class Query(BaseModel):
    """What stands behind the ``?``. The framework asks for its schema at every request: it is made once."""

    @classmethod
    def model_json_schema(cls, *args: Any, **more: Any) -> JsonSchema:
        if args or more:
            return super().model_json_schema(*args, **more)
        return _schema_of(cls)


@cache
def _schema_of(query: type[Query]) -> JsonSchema:
    return super(Query, query).model_json_schema()


class _In(Described):
    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


OptionsIn = Annotated[dict[str, object], Field(description="The flags of `ylemorph plan`, with _ for -")]


class PlanRequest(_In):
    source: SurveyModel
    target: TargetModel
    options: OptionsIn | None = None
    units: Units = "binary"


class SettingsIn(_In):
    """Defaults of the workshop as typed; what is not sent stays, an empty text takes a default back."""

    headroom: ShortText | None = None
    headroom_system: ShortText | None = None
    headroom_data: ShortText | None = None
    grain: ShortText | None = None
    units: Units | None = None


class SettingsModel(Shape):
    headroom: str
    headroom_system: str
    headroom_data: str
    grain: str
    units: Units
    changed: list[str]
    folder: str
    read_from: list[str]
    version: str


class CompareQuery(Query):
    """Two plans of a job: ``now``, ``r12`` for a change of its history, or the key of a fit."""

    first: ShortText = "now"
    second: ShortText
    units: Units = "binary"


class ByScriptModel(Shape):
    """What our script takes for the same way."""

    time: str
    workspace_bytes: int


class SideModel(Shape):
    """One of two plans with the figures that stand above their rows."""

    title: str
    verdict: Verdict | None
    fit: Fit
    open_bytes: int | None
    carried_bytes: int
    packed_bytes: int | None
    time: str
    by_script: ByScriptModel | None


WhichIsBetter = Annotated[Literal[0, 1] | None, Field(description="0 the first, 1 the second")]


class RowPairModel(Shape):
    number: int
    label: str
    changes: list[RowChange | None]
    sizes: list[int | None]
    frees: list[int | None]
    source_bytes: int
    better: WhichIsBetter


class BetterModel(Shape):
    """Which of the two is better by a line of the comparison; null where neither is, or it cannot be told."""

    verdict: WhichIsBetter
    packed_bytes: WhichIsBetter
    time: WhichIsBetter


class ComparisonModel(Shape):
    first: SideModel
    second: SideModel
    source_bytes: int
    targets: Annotated[list[int], Field(description="The size of each plan's target in bytes")]
    better: BetterModel
    rows: list[RowPairModel]
    gained: list[FindingModel]
    lost: list[FindingModel]


class JobFields(_In):
    """What a job begins with; each field that is sent is a change."""

    name: ShortText | None = None
    code: ShortText | None = None
    machine: ShortText | None = None
    note: Note | None = None
    source: SurveyModel | None = None
    target: TargetModel | None = None

    def changes(self) -> list[dict[str, object]]:
        """The fields as changes, in the order in which they are made."""
        words = {key: text for key in TEXT_FIELDS if (text := getattr(self, key)) is not None}
        made: list[dict[str, object]] = [{"kind": "describe", **words}] if words else []
        if self.source is not None:
            made.append({"kind": "source", "survey": self.source})
        if self.target is not None:
            made.append({"kind": "target", "target": self.target})
        return made


Id = Annotated[int, Field(ge=0, lt=2**63)]


class JobPath(BaseModel):
    job_id: Id


class RevisionPath(JobPath):
    number: Id


class SurveyPath(JobPath):
    which: Literal["source", "target"]


class HistoryQuery(Query):
    """``before``: only changes with a smaller number."""

    before: Id | None = None


class UnitsQuery(Query):
    units: Units = "binary"


class DiskHead(Shape):
    """A disk without its partitions, for lists."""

    model: str
    serial: str
    size_bytes: int
    label: str
    confirmation: str
    holds: str


class LookModel(Shape):
    """A row of the source: its floors, what lies past the hard one, and the sentence that explains it."""

    number: int
    hard_floor_bytes: int | None
    comfort_floor_bytes: int | None
    past_floor_bytes: int | None
    text: str


class StripRow(Shape):
    number: int
    change: str
    source_bytes: int
    size_bytes: int | None
    least_bytes: int | None


class LineContent(Shape):
    """What a line shows that follows from the job's content alone."""

    source: DiskHead | None
    target: DiskHead | None
    verdict: Verdict | None
    fit: Fit | None
    stage: Stage
    strip: list[StripRow]
    open_bytes: int
    headroom_short_bytes: Annotated[
        int, Field(description="What the target is too small by for all headroom; 0 where it holds")
    ]
    broken: Annotated[str, Field(description="Why the job cannot be read; empty where it can")]


class JobLine(LineContent):
    id: int
    code: str
    name: str
    machine: str
    changed_at: str
    at_step: Annotated[int | None, Field(description="The step that is under way; null where none is")]
    of_steps: int | None
    closed: Annotated[str, Field(description="How the job ended; empty while it is open")]
    keep_until: Annotated[str | None, Field(description="Until when the old disk is kept")]


class JobLines(Shape):
    jobs: list[JobLine]
    next: Annotated[str | None, Field(description="What to send as ``after`` for those that follow; null at the end")]


class JobListQuery(Query):
    """Which jobs of the list; ``text``: words that all stand in the names of a job or in its disks'."""

    text: Annotated[str, Field(max_length=200)] = ""
    stage: Stage | Literal["", "closed"] = ""
    verdict: Verdict | Literal[""] = ""
    id: Id | None = None
    after: Annotated[str, Field(max_length=80)] = ""
    count: Annotated[int, Field(ge=1, le=500)] = 200


class CardSize(Shape):
    row: int
    bytes: int
    change: RowChange


class CardModel(Shape):
    fit: Fit
    verdict: Verdict | None
    sizes: list[CardSize]
    fills: list[int]
    open_bytes: int
    shortfall_bytes: int
    kept_percent: int


class MorphModel(Shape):
    plan: PlanModel
    cards: list[CardModel]
    outlook: Annotated[str, Field(description="How long it will take and what for; empty where there is no way")]


class PreviewModel(Shape):
    """The plan that a change would give; ``stopped`` says what a drag ran against."""

    plan: PlanModel
    stopped: str


class Problem(Shape):
    """RFC 9457, with the field's path in ``at`` and the mend apart."""

    type: str
    title: str
    status: int
    detail: str
    at: str
    mend: str
    bound_bytes: int | None
    job: NotRequired[Annotated[object, Field(description="With 409: the job as it stands now")]]


class RoleModel(Shape):
    number: int
    role: Role
    proposed: bool
    in_doubt: bool


class SourcePart(Shape):
    """What can be said of a job's source before a target is known."""

    source: SurveyShape | None
    source_head: DiskHead | None
    source_start: Annotated[str, Field(description="How the disk starts, as a sentence; empty without a source")]
    roles: list[RoleModel]
    source_gaps: list[UnallocatedModel]
    source_unreachable_bytes: Annotated[int, Field(description="What of the source lies past what its table can name")]
    source_look: list[LookModel]
    source_findings: list[FindingModel]


class TargetPart(Shape):
    target: SurveyShape | None
    target_size: str | None
    target_sector: int
    target_head: DiskHead | None
    target_gaps: list[UnallocatedModel]
    target_compared: str
    target_findings: list[FindingModel]
    target_confirmed: bool
    target_finishes: Annotated[bool, Field(description="All that the target holds are rows of this plan")]


class JobModel(SourcePart, TargetPart):
    id: int
    version: int
    revision: int
    can_undo: bool
    can_redo: bool
    changed_at: str
    code: str
    name: str
    machine: str
    note: str
    options: OptionsShape
    closed: bool
    morph: MorphModel | None
    trouble: Problem | None


class RevisionModel(Shape):
    """One entry of a job's history."""

    number: int
    sentence: str
    made_at: str
    made_by: str
    parent: int | None
    is_head: bool
    thin: bool


class HistoryModel(Shape):
    revisions: list[RevisionModel]
    more: bool
