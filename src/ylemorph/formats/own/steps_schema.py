"""The steps' shape as models: JSON Schema for ``ylemorph schema steps`` and for the OpenAPI document."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ...core.carry.check_lists import When
from ...core.carry.sequence import DiskName, StepKind, WayKey
from .plan_schema import PlanModel
from .steps import FORMAT

Seconds = list[int]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class WayModel(_Model):
    key: WayKey
    possible: bool
    why: str
    seconds: Seconds | None
    workspace_bytes: int
    changes_source: bool
    name: str
    what: str
    risks: str
    by_hand: str
    time: str
    read_bytes: int | None
    write_bytes: int | None
    steps: int
    open_needs: list[str]


class ShapeModel(_Model):
    sectors: int
    logical_sector_bytes: int


class PlaceModel(_Model):
    first_lba: int
    sectors: int


class HoldModel(PlaceModel):
    row: int
    bytes: int
    fixed: bool


class FigureModel(_Model):
    word: str
    mib: int
    sectors: int
    exact: bool = Field(description="Whether the MiB are the same as the sectors")


class StepModel(_Model):
    number: int
    kind: StepKind
    disk: DiskName
    row: int | None
    from_disk: DiskName | None
    source: PlaceModel | None = Field(alias="from")
    to: PlaceModel | None
    read_bytes: int | None = Field(description="Null where it is not known")
    write_bytes: int | None
    seconds: Seconds
    say: str
    before: list[str]
    undo: str
    time: str
    figures: list[FigureModel]


class RehearsalModel(_Model):
    safe: bool
    step: int | None
    row: int | None
    reason: str


class ItemModel(_Model):
    key: str
    when: When
    text: str


class StepsModel(_Model):
    """How a plan is carried out, ``ylemorph.steps/1``."""

    format: Literal["ylemorph.steps/1"]
    way: WayKey | None
    ways: list[WayModel]
    disks: dict[DiskName, ShapeModel]
    grain_bytes: int
    holds: list[HoldModel]
    steps: list[StepModel]
    plan: PlanModel
    times_from: str
    proposed: WayKey | None
    facts: dict[str, Any]
    seconds: Seconds | None
    rehearsal: RehearsalModel | None
    lists: list[ItemModel]


def schema() -> dict[str, Any]:
    """JSON Schema of steps."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **StepsModel.model_json_schema(),
        "title": FORMAT,
    }
