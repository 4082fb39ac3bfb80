"""The steps' shape as models: JSON Schema for ``ylemorph schema steps`` and for the OpenAPI document."""

from typing import Annotated, Literal, NotRequired

from pydantic import Field
from typing_extensions import TypedDict

from ...core.carry.check_lists import When
from ...core.carry.sequence import DiskName, StepKind, WayKey
from ...system import System
from .options import OptionsData
from .plan_schema import PlanModel
from .wire import JsonSchema, Shape, json_schema

Seconds = list[int]


class ScriptModel(Shape):
    """What our script for a way reads of the source, writes to the target and takes of a folder for work files."""

    read_bytes: Annotated[int | None, Field(description="Null where it is not known")]
    write_bytes: int | None
    workspace_bytes: int
    seconds: Seconds
    by_hand: Annotated[list[str], Field(description="What it leaves to a person")]
    time: str
    words: Annotated[str, Field(description="All of it in one line")]


class WayModel(Shape):
    key: WayKey
    possible: bool
    why: str
    seconds: Seconds | None
    workspace_bytes: int
    changes_source: bool
    script: Annotated[ScriptModel | None, Field(description="Null where there is no script; why says so")]
    name: str
    what: str
    risks: str
    by_hand: str
    time: str
    read_bytes: int | None
    write_bytes: int | None
    steps: int
    open_needs: list[str]


class PlaceModel(Shape):
    first_lba: int
    sectors: int


class FoundRowModel(PlaceModel):
    row: int
    whole: bool
    named: Annotated[int, Field(description="The sector that its boot sector names as its start")]


class FoundTableModel(Shape):
    as_planned: bool
    backup: bool
    code: bool


class ShapeModel(Shape):
    sectors: int
    logical_sector_bytes: int
    found: NotRequired[Annotated[list[FoundRowModel], Field(description="What of the plan stands there before")]]
    found_table: NotRequired[FoundTableModel]


class HoldModel(PlaceModel):
    row: int
    bytes: int
    fixed: bool


class StartModel(Shape):
    """What the start asks of the finished target."""

    code: Annotated[bool, Field(description="The code of the first sector stands there, and what follows it")]
    named: Annotated[list[int], Field(description="Rows whose boot sector names the place where they stand")]


class LinesModel(Shape):
    """Lines to paste on one system; ``text`` is empty where it has nothing of its own, and ``words`` say so."""

    system: System
    text: str
    words: str


class FigureModel(Shape):
    word: str
    mib: int
    sectors: int
    exact: Annotated[bool, Field(description="Whether the MiB are the same as the sectors")]


_From = TypedDict("_From", {"from": PlaceModel | None})  # a word that no field of a class can be named


class StepModel(Shape, _From):
    number: int
    kind: StepKind
    disk: DiskName
    row: int | None
    from_disk: DiskName | None
    to: PlaceModel | None
    read_bytes: Annotated[int | None, Field(description="Null where it is not known")]
    write_bytes: int | None
    seconds: Seconds
    say: str
    before: list[str]
    undo: str
    time: str
    until: Annotated[str, Field(description="The time of all steps up to this one, which is no sum of their ends")]
    typed: Annotated[list[str], Field(description="Commands for doing it by hand; SOURCE and TARGET are the disks")]
    lines: Annotated[list[LinesModel], Field(description="For each system, with the disks picked by their serials")]
    figures: list[FigureModel]


class KeptStep(Shape, _From):
    """A step as the record of a job keeps it; ``nominal``: seconds of a copy at the quickest rate, 0 of any other."""

    number: int
    kind: StepKind
    row: int | None
    disk: DiskName
    from_disk: DiskName | None
    to: PlaceModel | None
    say: str
    time: str
    seconds: Seconds
    read_bytes: int | None
    nominal: NotRequired[int]


class RehearsalModel(Shape):
    safe: bool
    step: int | None
    row: int | None
    reason: str


class ItemModel(Shape):
    key: str
    when: When
    text: str


class StepsModel(Shape):
    """How a plan is carried out, ``ylemorph.steps/1``."""

    format: Literal["ylemorph.steps/1"]
    way: WayKey | None
    ways: list[WayModel]
    disks: dict[DiskName, ShapeModel]
    grain_bytes: int
    holds: list[HoldModel]
    start: StartModel
    steps: list[StepModel]
    plan: PlanModel
    times_from: str
    wide: Annotated[str, Field(description="Why the range is wide and what would narrow it; empty where it is not")]
    proposed: WayKey | None
    facts: OptionsData
    seconds: Seconds | None
    rehearsal: RehearsalModel | None
    lists: list[ItemModel]


class ContentModel(PlaceModel):
    row: int
    whole: bool


class FilmChange(Shape):
    disk: DiskName
    come: list[ContentModel]
    gone: list[ContentModel]


class FrameModel(Shape):
    """What comes to stand and what goes with a step; step 0 is what stands before."""

    step: int
    changes: list[FilmChange]


def schema() -> JsonSchema:
    """JSON Schema of steps."""
    return json_schema(StepsModel)
