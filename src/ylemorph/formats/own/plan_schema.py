"""The plan's shape as models: JSON Schema for ``ylemorph schema plan`` and for the OpenAPI document."""

from typing import Annotated, Literal, NotRequired

from pydantic import Field

from ...core.carry.will_start import Start
from ...core.disk.model import Flag, Kind, Role
from ...core.fit.actions import Action
from ...core.fit.finding_kinds import FindingCode, Level
from ...core.fit.floors import Binding
from ...core.fit.layout import Verdict
from ...core.fit.options import Fit
from ...core.fit.plan import RowChange
from ...core.fit.remedies import RemedyKind
from ...core.fit.starting import Identity
from .changes import ChangeShape
from .wire import JsonSchema, Shape, json_schema


class PlanTargetModel(Shape):
    sectors: int
    logical_sector_bytes: int
    table: Literal["gpt", "mbr"]
    first_usable_lba: int
    last_usable_lba: int
    unreachable_bytes: int
    tail_bytes: int
    usable_bytes: int
    identity: Annotated[Identity, Field(description="The source's is kept, or it gets a new one")]
    model: str
    serial: str


class PlanSourceModel(Shape):
    """What the source is told by."""

    model: str
    serial: str
    table_id: str
    bytes: int


class FloorLinesModel(Shape):
    """The lines that lead to a row's floors, in bytes; the floors themselves stand in the row."""

    carried_bytes: int
    slack_bytes: int
    headroom_bytes: int
    immovable_bytes: int
    minimum_bytes: int
    shed_bytes: int
    binding: Binding


class RowModel(Shape):
    """A row by itself."""

    number: int
    role: Role
    carried: bool
    elastic: bool
    pinned: bool
    change: RowChange
    source_bytes: int
    used_bytes: int | None
    hard_floor_bytes: int | None
    comfort_floor_bytes: int | None
    first_lba: int | None
    sectors: int | None
    size_bytes: int | None
    free_after_bytes: int | None
    label: str
    kind: Kind
    logical: bool
    resizable: bool
    least_bytes: Annotated[int | None, Field(description="What it takes at least under the plan's fit")]
    dropped: bool
    ceiling_bytes: int | None
    floor_lines: FloorLinesModel | None
    filesystem_bytes: Annotated[int | None, Field(description="Of its file system on the source")]
    source_uuid: Annotated[str, Field(description="Its own on the source's GPT, empty where there is none")]
    files: Annotated[int | None, Field(description="Files and folders that go over, where they were counted")]


class EntryModel(Shape):
    """A row's entry in the target's table."""

    entry: Annotated[int | None, Field(description="Its number in the target's table")]
    type: str | None
    flags: list[Flag]


class PlanRowModel(RowModel, EntryModel):
    actions: Annotated[dict[Action, str], Field(description="Every action, with the reason where it cannot be done")]


class UnallocatedModel(Shape):
    first_lba: int
    sectors: int
    bytes: int


class FindingModel(Shape):
    level: Level
    code: FindingCode
    row: int | None
    text: str
    do: str


class RemedyModel(Shape):
    kind: RemedyKind
    row: int | None
    bytes: int
    verdict_after: Verdict | None
    text: str
    rows: list[int]
    fit: Fit | None
    change: Annotated[ChangeShape | None, Field(description="The change of a job that carries it out")]


class PlanCodeModel(Shape):
    """Code before the first row, as a survey has it."""

    sectors: int
    sha256: str
    loader_lba: NotRequired[int]
    rest_sha256: NotRequired[str]


class PlanStartModel(Shape):
    """Whether a machine will start from the target, and what of the start goes over."""

    answer: Start
    head: str
    text: str
    code: Annotated[PlanCodeModel | None, Field(description="Null where none goes over, or where it was not read")]
    named: Annotated[list[int], Field(description="Rows whose boot sector names the place where they stand")]


class PlanModel(Shape):
    """A plan, ``ylemorph.plan/1``."""

    format: Literal["ylemorph.plan/1"]
    fit: Fit
    verdict: Verdict | None
    headroom_kept: float
    kept_percent: int
    shortfall_bytes: int
    grain_bytes: int
    target: PlanTargetModel
    source: PlanSourceModel
    start: PlanStartModel
    rows: list[PlanRowModel]
    unallocated: list[UnallocatedModel]
    findings: list[FindingModel]
    remedies: list[RemedyModel]
    must_bytes: int
    comfort_bytes: int
    headroom_percent: float


def schema() -> JsonSchema:
    """JSON Schema of a plan."""
    return json_schema(PlanModel)
