"""What comes in and goes out over HTTP. Requests are checked here once; the core trusts them afterwards."""

from copy import deepcopy
from typing import TYPE_CHECKING, Annotated, Any, Literal, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, create_model

from ..core.disk.model import Role
from ..core.fit.layout import Verdict
from ..core.fit.options import Fit
from ..core.fit.plan import RowChange
from ..core.job.state import Stage
from ..formats.own.option_models import OptionsModel
from ..formats.own.plan_schema import FindingModel, PlanModel, UnallocatedModel
from ..formats.own.survey import SurveyModel
from ..store.history import Revision

Line = Annotated[str, Field(max_length=200)]
Note = Annotated[str, Field(max_length=10_000)]
Units = Literal["binary", "decimal"]


_SCHEMAS: dict[tuple[Any, ...], dict[str, Any]] = {}


class _Described(BaseModel):
    """A model whose schema is made once: nearly every route names the same problems, which took most of the start."""

    @classmethod
    def model_json_schema(cls, *given: Any, **named: Any) -> dict[str, Any]:
        key = (cls, given, *sorted(named.items()))
        if key not in _SCHEMAS:
            _SCHEMAS[key] = super().model_json_schema(*given, **named)
        return deepcopy(_SCHEMAS[key])


class _In(_Described):
    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


class _Out(_Described):
    model_config = ConfigDict(extra="forbid")


# A size or a survey; told apart by hand, so that an error speaks of the one that was meant.
Target = Annotated[dict[str, Any], Field(description='A survey, or {"nominal": "480GB"}')]
Options = Annotated[dict[str, Any], Field(description="The flags of `ylemorph plan`, with _ for -")]


class PlanRequest(_In):
    source: SurveyModel
    target: Target
    options: Options | None = None
    units: Units = "binary"


class SettingsIn(_In):
    """Defaults of the workshop as typed; what is not sent stays, an empty text takes a default back."""

    headroom: Line | None = None
    headroom_system: Line | None = None
    headroom_data: Line | None = None
    grain: Line | None = None
    units: Units | None = None


class SettingsModel(_Out):
    headroom: str
    headroom_system: str
    headroom_data: str
    grain: str
    units: Units
    changed: list[str]
    folder: str
    read_from: list[str]
    version: str


class CompareQuery(BaseModel):
    """Two plans of a job: ``now``, ``r12`` for a change of its history, or the key of a fit."""

    first: Line = "now"
    second: Line
    units: Units = "binary"


class SideModel(_Out):
    """One of two plans with the figures that stand above their rows."""

    title: str
    verdict: Verdict | None
    fit: Fit
    open_bytes: int | None
    carried_bytes: int
    packed_bytes: int | None
    time: str


Better = Annotated[Literal[0, 1] | None, Field(description="0 the first, 1 the second")]


class RowPairModel(_Out):
    number: int
    label: str
    changes: list[RowChange | None]
    sizes: list[int | None]
    frees: list[int | None]
    source_bytes: int
    better: Better


class BetterModel(_Out):
    """Which of the two is better by a line of the comparison; null where neither is, or it cannot be told."""

    verdict: Better
    packed_bytes: Better
    time: Better


class ComparisonModel(_Out):
    first: SideModel
    second: SideModel
    source_bytes: int
    targets: list[int] = Field(description="The size of each plan's target in bytes")
    better: BetterModel
    rows: list[RowPairModel]
    gained: list[FindingModel]
    lost: list[FindingModel]


class JobFields(_In):
    """What a job begins with; each field that is sent is a change."""

    name: Line | None = None
    code: Line | None = None
    machine: Line | None = None
    note: Note | None = None
    source: SurveyModel | None = None
    target: Target | None = None

    def changes(self) -> list[dict[str, Any]]:
        """The fields as changes, in the order in which they are made."""
        sent = self.model_dump(exclude_unset=True, exclude_none=True)
        made: list[dict[str, Any]] = []
        words: dict[str, Any] = {key: sent[key] for key in ("name", "code", "machine", "note") if key in sent}
        if words:
            made.append({"kind": "describe", **words})
        if "source" in sent:
            made.append({"kind": "source", "survey": sent["source"]})
        if "target" in sent:
            made.append({"kind": "target", "target": sent["target"]})
        return made


class ChangeRequest(_In):
    """One change: its kind and the fields of the kind."""

    kind: Line
    row: int | None = None
    rows: Annotated[list[int], Field(max_length=1024)] | None = None
    fit: Line | None = None
    fact: Line | None = None
    way: Line | None = None
    size: Line | int | None = None
    bare: Literal["gib", "gb"] | None = None
    role: Line | None = None
    on: bool | None = None
    alone: bool | None = None
    value: Line | int | float | Annotated[list[int], Field(max_length=1024)] | None = None
    text: Annotated[str, Field(max_length=1_000_000)] | None = None
    name: Line | None = None
    code: Line | None = None
    machine: Line | None = None
    note: Note | None = None
    survey: SurveyModel | None = None
    target: Target | None = None

    def sent(self) -> dict[str, Any]:
        """The change as it was sent, without what was left out."""
        return self.model_dump(exclude_unset=True)


Id = Annotated[int, Field(ge=0, lt=2**63)]


class JobPath(BaseModel):
    job_id: Id


class RevisionPath(JobPath):
    number: Id


class SurveyPath(JobPath):
    which: Literal["source", "target"]


class HistoryQuery(BaseModel):
    """``before``: only changes with a smaller number."""

    before: Id | None = None


class UnitsQuery(BaseModel):
    units: Units = "binary"


class DiskHead(_Out):
    """A disk without its partitions, for lists."""

    model: str
    serial: str
    size_bytes: int
    label: str
    confirmation: str
    holds: str


class LookModel(_Out):
    """A row of the source: its floors, what lies past the hard one, and the sentence that explains it."""

    number: int
    hard_floor_bytes: int | None
    comfort_floor_bytes: int | None
    past_floor_bytes: int | None
    text: str


class StripRow(_Out):
    number: int
    change: str
    source_bytes: int
    size_bytes: int | None
    least_bytes: int | None


class JobLine(_Out):
    id: int
    code: str
    name: str
    machine: str
    changed_at: str
    source: DiskHead | None
    target: DiskHead | None
    verdict: Verdict | None
    fit: Fit | None
    stage: Stage
    strip: list[StripRow]
    open_bytes: int
    headroom_short_bytes: int = Field(description="What the target is too small by for all headroom; 0 where it holds")
    at_step: int | None = Field(description="The step that is under way; null where none is")
    of_steps: int | None
    closed: str = Field(description="How the job ended; empty while it is open")
    keep_until: str | None = Field(description="Until when the old disk is kept")
    broken: str = Field(description="Why the job cannot be read; empty where it can")


class JobLines(_Out):
    jobs: list[JobLine]


class CardSize(_Out):
    row: int
    bytes: int
    change: RowChange


class CardModel(_Out):
    fit: Fit
    verdict: Verdict | None
    sizes: list[CardSize]
    fills: list[int]
    open_bytes: int
    shortfall_bytes: int
    kept_percent: int


class MorphModel(_Out):
    plan: PlanModel
    cards: list[CardModel]
    outlook: str = Field(description="How long it will take and what for; empty where there is no way")


class PreviewModel(MorphModel):
    """What a change would give; ``stopped`` says what a drag ran against."""

    stopped: str


class Problem(_Out):
    """RFC 9457, with the field's path in ``at`` and the mend apart."""

    type: str
    title: str
    status: int
    detail: str
    at: str
    mend: str
    bound_bytes: int | None = None
    job: Any = Field(default=None, description="With 409: the job as it stands now")


class RoleModel(_Out):
    number: int
    role: Role
    proposed: bool
    in_doubt: bool


class JobModel(_Out):
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
    source: SurveyModel | None
    roles: list[RoleModel]
    source_gaps: list[UnallocatedModel]
    source_unreachable_bytes: int = Field(description="What of the source lies past what its table can name")
    source_look: list[LookModel]
    source_findings: list[FindingModel]
    target: SurveyModel | None
    target_size: str | None
    target_sector: int
    target_head: DiskHead | None
    target_gaps: list[UnallocatedModel]
    target_compared: str
    target_findings: list[FindingModel]
    target_confirmed: bool
    source_head: DiskHead | None
    options: OptionsModel
    closed: bool
    morph: MorphModel | None
    trouble: Problem | None


if TYPE_CHECKING:

    class RevisionModel(_Out):
        """One entry of a job's history."""

else:
    RevisionModel = create_model(
        "RevisionModel",
        __base__=_Out,
        **{name: (kind, ...) for name, kind in get_type_hints(Revision).items() if name != "change"},
    )


class HistoryModel(_Out):
    revisions: list[RevisionModel]
    more: bool
