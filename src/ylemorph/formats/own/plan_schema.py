"""The plan's shape as models: JSON Schema for ``ylemorph schema plan`` and for the OpenAPI document."""

from typing import TYPE_CHECKING, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, create_model

from ...core.disk.model import Flag, Kind, Role
from ...core.fit.actions import Action
from ...core.fit.finding_kinds import Level
from ...core.fit.floors import Floors
from ...core.fit.layout import Verdict
from ...core.fit.options import Fit
from ...core.fit.plan import RowChange
from ...core.fit.remedies import RemedyKind
from .plan import FLOOR_LINES, FORMAT


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PlanTargetModel(_Model):
    sectors: int
    logical_sector_bytes: int
    table: Literal["gpt", "mbr"]
    first_usable_lba: int
    last_usable_lba: int
    unreachable_bytes: int
    tail_bytes: int
    usable_bytes: int
    model: str
    serial: str


class PlanSourceModel(_Model):
    """What the source is told by."""

    model: str
    serial: str
    table_id: str
    bytes: int


if TYPE_CHECKING:

    class FloorLinesModel(_Model):
        """The lines that lead to a row's floors, in bytes."""

else:
    FloorLinesModel = create_model(
        "FloorLinesModel",
        __base__=_Model,
        __doc__="The lines that lead to a row's floors, in bytes.",
        **{line: (Floors.__annotations__[line], ...) for line in FLOOR_LINES},
    )


class PlanRowModel(_Model):
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
    least_bytes: int | None = Field(description="What it takes at least under the plan's fit")
    dropped: bool
    ceiling_bytes: int | None
    floor_lines: FloorLinesModel | None
    filesystem_bytes: int | None = Field(description="Of its file system on the source")
    entry: int | None = Field(description="Its number in the target's table")
    type: str | None
    flags: list[Flag]
    actions: dict[Action, str] = Field(description="Every action, with the reason where it cannot be done")


class UnallocatedModel(_Model):
    first_lba: int
    sectors: int
    bytes: int


class FindingModel(_Model):
    level: Level
    code: str
    row: int | None
    text: str
    do: str


class RemedyModel(_Model):
    kind: RemedyKind
    row: int | None
    bytes: int
    verdict_after: Verdict | None
    text: str
    rows: list[int]
    fit: Fit | None
    change: dict[str, Any] | None = Field(description="The change of a job that carries it out")


class PlanModel(_Model):
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
    rows: list[PlanRowModel]
    unallocated: list[UnallocatedModel]
    findings: list[FindingModel]
    remedies: list[RemedyModel]
    must_bytes: int
    comfort_bytes: int
    headroom_percent: float


def schema() -> dict[str, Any]:
    """JSON Schema of a plan."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **PlanModel.model_json_schema(),
        "title": FORMAT,
    }
