"""``ylemorph.check/1``: what a finished disk has otherwise than its plan; and plans read back for that."""

import json
from collections.abc import Mapping
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ...core.checkback.compare import Checked
from ...core.checkback.differences import Code, Difference, Mend
from ...core.checkback.planned import DiskSigns, Planned, PlannedRow
from ...core.disk.model import Flag, Kind, Role, StartCode
from ...core.errors import BadPlan
from ...core.fit.finding_kinds import Level
from ...core.fit.plan import RowChange
from ...core.fit.starting import Identity
from ...core.sizes import Extent, Units
from .plan import FORMAT as PLAN_FORMAT
from .survey import first_problem
from .survey_data import MAX_FILE_BYTES
from .wire import JsonSchema, Number, Positive, Shape, json_schema

FORMAT: Final = "ylemorph.check/1"


def check_to_data(checked: Checked, units: Units = "binary") -> "CheckModel":
    """The contract's fields in its order, ours after them."""
    return {
        "format": FORMAT,
        "as_planned": checked.as_planned,
        "findings": [difference_to_data(difference, units) for difference in checked.differences],
        "unknown": list(checked.unknown),
        "another": checked.another,
        "compared": list(checked.compared),
    }


def difference_to_data(difference: Difference, units: Units) -> "DifferenceModel":
    return {
        "level": difference.kind.level,
        "code": difference.kind.code,
        "row": difference.row,
        "text": difference.text(units),
        "do": difference.do(units),
        "planned": dict(difference.planned),
        "found": dict(difference.found),
        "mend": difference.kind.mend,
    }


def check_to_json(checked: Checked) -> str:
    return json.dumps(check_to_data(checked), ensure_ascii=False, indent=1) + "\n"


def check_to_text(checked: Checked) -> str:
    """Lines for the terminal."""
    lines = ["As planned" if checked.as_planned else f"{len(checked.differences)} differences"]
    lines += [checked.another] if checked.another else []
    for difference in checked.differences:
        lines.append(f"{difference.kind.level:<5} {difference.kind.code:<15} {difference.text()} {difference.do()}")
    lines += [f"not compared: {text}" for text in checked.unknown]
    lines += list(checked.compared)
    return "\n".join(lines) + "\n"


# --- shapes -----------------------------------------------------------------------------------------------------------


class DifferenceModel(Shape):
    level: Level
    code: Code
    row: int | None
    text: str
    do: str
    planned: dict[str, object]
    found: dict[str, object]
    mend: Mend


class CheckModel(Shape):
    """The finished disk against the plan, ``ylemorph.check/1``."""

    format: Literal["ylemorph.check/1"]
    as_planned: bool
    findings: list[DifferenceModel]
    unknown: Annotated[list[str], Field(description="What could not be compared")]
    another: Annotated[
        str, Field(description="What tells that this is another disk than the job names; empty where nothing does")
    ]
    compared: Annotated[list[str], Field(description="What was compared with the source itself, place by place")]


def schema() -> JsonSchema:
    """JSON Schema of a check."""
    return json_schema(CheckModel)


# --- a plan read back -------------------------------------------------------------------------------------------------


class _In(BaseModel):
    model_config = ConfigDict(strict=True, extra="ignore", frozen=True)


class _Row(_In):
    number: Number
    role: Role
    carried: bool
    change: RowChange
    source_bytes: Number
    used_bytes: Number | None = None
    first_lba: Number | None
    sectors: Number | None
    label: str = ""
    kind: Kind = "unknown"
    filesystem_bytes: Number | None = None
    entry: Number | None = None
    type: str | None = None
    flags: list[Flag] = []
    floor_lines: dict[str, object] | None = None
    source_uuid: str = ""
    files: Number | None = None


class _Signs(_In):
    model: str = ""
    serial: str = ""
    table_id: str = ""
    bytes: Number = 0


class _Target(_In):
    sectors: Positive
    logical_sector_bytes: Annotated[int, Field(ge=1, le=65_536)]
    table: Literal["gpt", "mbr"]
    model: str = ""
    serial: str = ""
    identity: Identity = "new"


class _Code(_In):
    sectors: Number
    sha256: str
    loader_lba: Number | None = None
    rest_sha256: str = ""

    def to_core(self) -> StartCode:
        return StartCode(self.sectors, self.sha256, self.loader_lba, self.rest_sha256)


class _Start(_In):
    code: _Code | None = None
    named: Annotated[list[Number], Field(max_length=4096)] = []


class _Gap(_In):
    first_lba: Number
    sectors: Positive


class _Plan(_In):
    verdict: Literal["comfortable", "tight", "does-not-fit"] | None
    grain_bytes: Positive
    target: _Target
    source: _Signs = _Signs()
    start: _Start = _Start()
    rows: Annotated[list[_Row], Field(max_length=4096)]
    unallocated: Annotated[list[_Gap], Field(max_length=4096)]


def read_plan(text: bytes) -> Planned:
    """A plan's JSON as what a finished disk is compared with. Raises BadPlan with the field's path."""
    if len(text) > MAX_FILE_BYTES:
        raise BadPlan("the file is too large for a plan", mend="check that it is the right file")
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        raise BadPlan("this is not JSON", mend="write it with ylemorph plan --format json") from None
    if not isinstance(data, Mapping) or data.get("format") != PLAN_FORMAT:
        mend = f"write it with ylemorph plan --format json ({PLAN_FORMAT})"
        raise BadPlan("this is no plan", at="format", mend=mend)
    try:
        model = _Plan.model_validate(data)
    except ValidationError as error:
        problem = first_problem(error)
        raise BadPlan(problem.problem, at=problem.at, mend=problem.mend) from None
    if model.verdict not in ("comfortable", "tight"):
        raise BadPlan("a plan that does not fit has nothing to compare with", at="verdict", mend="mend the plan first")
    return _planned(model)


def _planned(model: _Plan) -> Planned:
    sector = model.target.logical_sector_bytes
    named = frozenset(model.start.named)
    rows = [_row(row, place, named) for place, row in enumerate(model.rows) if row.carried]
    return Planned(
        tuple(sorted(rows, key=lambda row: row.extent)),
        model.target.table,
        model.target.sectors,
        sector,
        model.grain_bytes,
        tuple(Extent(gap.first_lba, gap.first_lba + gap.sectors) for gap in model.unallocated),
        DiskSigns(model.source.model, model.source.serial, model.source.table_id, model.source.bytes),
        DiskSigns(model.target.model, model.target.serial, "", model.target.sectors * sector),
        model.target.identity,
        model.start.code.to_core() if model.start.code is not None else None,
    )


def _row(row: _Row, place: int, named: frozenset[int]) -> PlannedRow:
    if row.first_lba is None or not row.sectors:
        raise BadPlan(f"row {row.number} is carried and has no place", at=f"rows[{place}]", mend="plan it again")
    carried = (row.floor_lines or {}).get("carried_bytes")
    held = carried if isinstance(carried, int) and not isinstance(carried, bool) else row.used_bytes
    return PlannedRow(
        row.number, row.label or str(row.number), row.role, row.kind, row.change,
        Extent(row.first_lba, row.first_lba + row.sectors), row.entry or row.number, row.type or "",
        frozenset(row.flags), row.source_bytes, row.filesystem_bytes, held, row.source_uuid, row.number in named,
        row.files,
    )  # fmt: skip
