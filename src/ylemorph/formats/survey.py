"""``ylemorph.disk/1``: the disk survey as JSON, read with every field checked."""

import json
from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from ..core.disk import (
    Disk,
    FileSystem,
    Flag,
    Health,
    HealthState,
    Kind,
    Lightened,
    Link,
    Partition,
    Role,
    State,
    Survey,
    Table,
    TableNote,
    UsageMap,
    checked,
)
from ..core.errors import BadSurvey
from ..core.listing import MOST_NUMBER, MOST_TEXT, TYPE_SHAPE
from ..core.sizes import MAX_BYTES, Bytes
from .survey_data import FORMAT, MAX_FILE_BYTES

Count = Annotated[int, Field(ge=0, le=MAX_BYTES)]
Positive = Annotated[int, Field(ge=1, le=MAX_BYTES)]
Text = Annotated[str, Field(max_length=MOST_TEXT)]


def _checked_type(text: str) -> str:
    mbr, guid = text[:2] + text[2:].upper(), text.upper()
    if TYPE_SHAPE[0].fullmatch(mbr):
        return mbr
    if TYPE_SHAPE[1].fullmatch(guid):
        return guid
    raise ValueError("must be a GPT type GUID, or an MBR type such as 0x07")


class _Model(BaseModel):
    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


class LightenedModel(_Model):
    name: Text
    bytes: Count


class UsageMapModel(_Model):
    bucket_bytes: Positive
    used: Annotated[list[Count], Field(max_length=65_536)]


class FileSystemModel(_Model):
    kind: Kind
    label: Text | None = None
    uuid: Text | None = None
    cluster_bytes: Positive | None = None
    size_bytes: Count | None = None
    used_bytes: Count | None = None
    last_used_byte: Count | None = None
    immovable_end_byte: Count | None = None
    state: State | None = None
    usage_map: UsageMapModel | None = None
    lightened: Annotated[list[LightenedModel], Field(max_length=10_000)] | None = None
    data_end_byte: Count | None = None
    end_owner: Text | None = None
    detail: Text | None = None
    system_hint: Text | None = None

    def to_core(self) -> FileSystem:
        usage = self.usage_map
        return FileSystem(
            kind=self.kind,
            label=self.label or "",
            uuid=self.uuid or "",
            cluster_bytes=_bytes(self.cluster_bytes),
            size_bytes=_bytes(self.size_bytes),
            used_bytes=_bytes(self.used_bytes),
            last_used_byte=_bytes(self.last_used_byte),
            immovable_end_byte=_bytes(self.immovable_end_byte),
            state=self.state or "unknown",
            usage_map=UsageMap(Bytes(usage.bucket_bytes), tuple(usage.used)) if usage else None,
            lightened=tuple(Lightened(item.name, Bytes(item.bytes)) for item in self.lightened or ()),
            data_end_byte=_bytes(self.data_end_byte),
            end_owner=self.end_owner or "",
            detail=self.detail or "",
            system_hint=self.system_hint or "",
        )


class PartitionModel(_Model):
    number: Annotated[int, Field(ge=1, le=MOST_NUMBER)]
    first_lba: Count
    sectors: Count
    type: Annotated[str, AfterValidator(_checked_type)]
    logical: bool | None = None
    name: Text | None = None
    flags: list[Flag] | None = None
    role: Role | None = None
    filesystem: FileSystemModel | None = None
    uuid: Text | None = None

    def to_core(self) -> Partition:
        return Partition(
            number=self.number,
            first_lba=self.first_lba,
            sectors=self.sectors,
            type=self.type,
            logical=bool(self.logical),
            name=self.name or "",
            flags=frozenset(self.flags or ()),
            role=self.role,
            filesystem=self.filesystem.to_core() if self.filesystem else None,
            uuid=self.uuid or "",
        )


class HealthModel(_Model):
    state: HealthState
    hours: Count | None = None
    reallocated_sectors: Count | None = None
    pending_sectors: Count | None = None
    worn_percent: Annotated[int, Field(ge=0, le=255)] | None = None

    def to_core(self) -> Health:
        return Health(self.state, self.hours, self.reallocated_sectors, self.pending_sectors, self.worn_percent)


class DiskModel(_Model):
    model: Text | None = None
    serial: Text | None = None
    link: Link | None = None
    rotational: bool | None = None
    logical_sector_bytes: Positive
    physical_sector_bytes: Positive | None = None
    sectors: Count
    table: Table | None = None
    table_id: Text | None = None
    partitions: Annotated[list[PartitionModel], Field(max_length=1024)] | None = None
    table_notes: list[TableNote] | None = None
    filesystem: FileSystemModel | None = None
    health: HealthModel | None = None

    def to_core(self) -> Disk:
        partitions = tuple(p.to_core() for p in self.partitions or ())
        return checked(
            Disk(
                sectors=self.sectors,
                logical_sector_bytes=self.logical_sector_bytes,
                physical_sector_bytes=self.physical_sector_bytes,
                model=self.model or "",
                serial=self.serial or "",
                link=self.link or "unknown",
                rotational=self.rotational,
                table=self.table or _table_of(partitions),
                table_id=self.table_id or "",
                partitions=partitions,
                table_notes=tuple(self.table_notes or ()),
                filesystem=self.filesystem.to_core() if self.filesystem else None,
                health=self.health.to_core() if self.health else None,
            )
        )


class SurveyModel(_Model):
    """A disk survey, ``ylemorph.disk/1``."""

    format: Literal["ylemorph.disk/1"]
    taken: Text | None = None
    disk: DiskModel

    def to_core(self) -> Survey:
        return Survey(self.disk.to_core(), self.taken or "")


def schema() -> dict[str, Any]:
    """JSON Schema of a survey."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **SurveyModel.model_json_schema(),
        "title": FORMAT,
    }


def read_survey(text: str | bytes) -> Survey:
    """A survey from JSON text. Raises BadSurvey with the field's path, what is wrong and the mend."""
    if len(text) > MAX_FILE_BYTES:
        raise BadSurvey(
            f"the file is larger than the {MAX_FILE_BYTES // 1_000_000} MB that a survey can have",
            mend="check that it is the right file",
        )
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadSurvey(
            f"this is not JSON ({_json_place(error)})", mend="save the survey again or pick another file"
        ) from None
    return survey_from_data(data)


def survey_from_data(data: object) -> Survey:
    """A survey from parsed JSON."""
    if not isinstance(data, Mapping):
        raise BadSurvey("a survey is a JSON object", mend=f'begin with {{"format": "{FORMAT}", …}}')
    if data.get("format") != FORMAT:
        raise BadSurvey(
            f"{json.dumps(data.get('format'))[:60]} is not the format of a survey",
            at="format",
            mend=f"write “{FORMAT}”",
        )
    try:
        model = SurveyModel.model_validate(data)
    except ValidationError as error:
        raise first_problem(error) from None
    return model.to_core()


def first_problem(error: ValidationError) -> BadSurvey:
    """The first thing that pydantic found, as one sentence with its place."""
    details = error.errors(include_url=False)
    first = details[0]
    more = f" ({len(details) - 1} more like this)" if len(details) > 1 else ""
    problem = first["msg"].removeprefix("Value error, ")
    problem = problem[0].lower() + problem[1:] + more
    kind = first["type"]
    mend = _MENDS.get(kind, "correct the value")
    if kind == "literal_error" and first["loc"][-1] == "kind":
        mend = "use “unknown” for any other file system"
    return BadSurvey(problem, at=path_of(first["loc"]), mend=mend)


_MENDS = {
    "missing": "add the field",
    "extra_forbidden": "check its spelling or take it out",
    "int_type": "write a whole number without quotes",
    "literal_error": "use one of these words",
    "less_than_equal": "check the unit: sizes are bytes, at most 2^63 - 1",
    "greater_than_equal": "check the sign; leave it null where it is not known",
}


def path_of(loc: tuple[int | str, ...]) -> str:
    """``disk.partitions[2].sectors`` of pydantic's location."""
    path = ""
    for part in loc:
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def _table_of(partitions: tuple[Partition, ...]) -> Table:
    """The table that the partitions' types tell of, where the survey does not say."""
    if not partitions:
        return "none"
    return "mbr" if partitions[0].type.startswith("0x") else "gpt"


def _bytes(value: int | None) -> Bytes | None:
    return None if value is None else Bytes(value)


def _json_place(error: Exception) -> str:
    if isinstance(error, json.JSONDecodeError):
        return f"line {error.lineno}, column {error.colno}"
    return "the text cannot be decoded"
