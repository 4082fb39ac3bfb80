"""``ylemorph.disk/1``: the disk survey as JSON, read with every field checked.

What a survey holds is declared once, by the values of ``core.disk``; the models that check what comes in, and with them
the JSON Schema, are made from these declarations.
"""

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, Field, fields, is_dataclass
from functools import cache
from types import NoneType, UnionType
from typing import TYPE_CHECKING, Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import pydantic
from pydantic import AfterValidator, BaseModel, ConfigDict, ValidationError, create_model

from ...core.disk.check import checked
from ...core.disk.listing import TYPE_SHAPE
from ...core.disk.model import MOST_TEXT, Disk, FileSystem, Health, Partition, Survey, Table, fact
from ...core.errors import BadSurvey
from ...core.sizes import MAX_BYTES
from .survey_data import FORMAT, SurveyData
from .wire import SHAPES_TOLD_APART, TAGGED, JsonSchema

Text = Annotated[str, pydantic.Field(max_length=MOST_TEXT)]


def _checked_type(text: str) -> str:
    mbr, guid = text[:2] + text[2:].upper(), text.upper()
    if TYPE_SHAPE[0].fullmatch(mbr):
        return mbr
    if TYPE_SHAPE[1].fullmatch(guid):
        return guid
    raise ValueError("must be a GPT type GUID, or an MBR type such as 0x07")


class _Model(BaseModel):
    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


def _model_of(declared: type) -> type[BaseModel]:
    """The model of a dataclass of ``core.disk``: what has a usual value may be missing or null."""
    hints = get_type_hints(declared)
    made: dict[str, Any] = {}  # by field, as pydantic takes them
    for field in fields(declared):
        annotation = _READ_AS.get((declared, field.name)) or _annotation(hints[field.name], field)
        required = field.metadata.get("given") or field.default is MISSING
        made[field.name] = (annotation, ...) if required else (annotation | None, None)
    return create_model(f"{declared.__name__}Model", __base__=_Model, __doc__=declared.__doc__, **made)


def _annotation(hint: Any, field: Field[Any]) -> Any:
    """The checked form of one declared type."""
    hint = getattr(hint, "__supertype__", hint)
    least, most = field.metadata.get("least", 0), field.metadata.get("most", MAX_BYTES)
    if get_origin(hint) in (UnionType, Union):
        return _annotation(next(part for part in get_args(hint) if part is not NoneType), field)
    if get_origin(hint) in (tuple, frozenset):
        items = _annotation(get_args(hint)[0], _UNBOUNDED)
        return Annotated[list[items], pydantic.Field(max_length=most)]  # type: ignore[valid-type]
    if isinstance(hint, type) and is_dataclass(hint):
        return _MODELS.get(hint) or _MODELS.setdefault(hint, _model_of(hint))
    if hint is int:
        return Annotated[int, pydantic.Field(ge=least, le=most)]
    return Text if hint is str else hint


_UNBOUNDED: Any = fact()
_READ_AS: dict[tuple[type, str], Any] = {(Partition, "type"): Annotated[str, AfterValidator(_checked_type)]}
_MODELS: dict[Any, type[BaseModel]] = {}
DiskModel = _MODELS[Disk] = _model_of(Disk)
HealthModel = _MODELS[Health]
FileSystemModel = _MODELS[FileSystem]


_hints = cache(get_type_hints)  # asked for every part of every survey, and always the same


def _core(declared: type, model: BaseModel) -> Any:
    """The value of ``core.disk`` that a checked model stands for."""
    hints, said = _hints(declared), model.model_fields_set
    given = {
        field.name: nothing if value is None else _value(hints[field.name], value)
        for field in fields(declared)
        for value, nothing in ((getattr(model, field.name), _nothing(field, said)),)
        if value is not None or nothing is not None
    }
    return declared(**given)


def _nothing(field: Field[Any], said: Iterable[str]) -> Any:
    """What a null says of this fact; None where it says nothing, or is not there."""
    return field.metadata.get("nothing") if field.name in said else None


def _value(hint: Any, value: Any) -> Any:
    if isinstance(value, BaseModel):
        return _core(next(d for d, model in _MODELS.items() if type(value) is model), value)
    if isinstance(value, list):
        whole: Callable[[Any], Any] = frozenset if get_origin(hint) is frozenset else tuple
        return whole(value if not value or not isinstance(value[0], BaseModel) else [_value(hint, v) for v in value])
    return value


class SurveyModel(_Model):
    """A disk survey, ``ylemorph.disk/1``."""

    format: Literal["ylemorph.disk/1"]
    taken: Text | None = None
    disk: DiskModel  # type: ignore[valid-type]

    def to_core(self) -> Survey:
        """The survey, checked against itself. Raises BadSurvey."""
        disk: Disk = _core(Disk, self.disk)
        if self.disk.table is None:  # type: ignore[attr-defined]
            disk = disk.but(table=_table_of(disk.partitions))
        return Survey(checked(disk), self.taken or "")


if TYPE_CHECKING:
    SurveyShape = SurveyData
    HealthShape = SurveyData
else:
    SurveyShape, HealthShape = SurveyModel, HealthModel  # as they go out


def schema() -> JsonSchema:
    """JSON Schema of a survey."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **SurveyModel.model_json_schema(),
        "title": FORMAT,
    }


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


def survey_from_kept(data: object) -> Survey:
    """A survey that the store wrote. What it knows by these names is taken; no limit of an import counts."""
    if not isinstance(data, Mapping) or not isinstance(data.get("disk"), Mapping):
        raise BadSurvey("it is not a survey", mend="take it out as a file and look at it")
    try:
        return Survey(checked(_kept(Disk, data["disk"])), data.get("taken") or "")
    except (TypeError, KeyError, AttributeError) as error:
        raise BadSurvey(f"a field is not what it should be ({error})", mend="look at the file") from None


def _kept(declared: Any, data: Any) -> Any:
    """A value of ``core.disk`` from its JSON, field by field."""
    given = {}
    for field, hint in _kept_hints(declared):
        value, nothing = data.get(field.name), _nothing(field, data)
        if value is not None:
            given[field.name] = _kept_value(hint, value)
        elif nothing is not None:
            given[field.name] = nothing
    return declared(**given)


@cache
def _kept_hints(declared: Any) -> tuple[tuple[Field[Any], Any], ...]:
    hints = get_type_hints(declared)
    return tuple((field, _bare_hint(hints[field.name])) for field in fields(declared))


def _bare_hint(hint: Any) -> Any:
    if get_origin(hint) in (UnionType, Union):
        hint = next(part for part in get_args(hint) if part is not NoneType)
    return hint


def _kept_value(hint: Any, value: Any) -> Any:
    if get_origin(hint) in (tuple, frozenset):
        whole = frozenset if get_origin(hint) is frozenset else tuple
        item = get_args(hint)[0]
        return whole([_kept(item, v) for v in value] if is_dataclass(item) else value)
    if is_dataclass(hint):
        return _kept(hint, value)
    if getattr(hint, "__supertype__", hint) is int and (isinstance(value, bool) or not isinstance(value, int)):
        raise TypeError(f"{str(value)[:40]!r} is not a number")
    if hint is str and not isinstance(value, str):
        raise TypeError(f"{str(value)[:40]!r} is not text")
    if get_origin(hint) is Literal and value not in get_args(hint):
        raise TypeError(f"{str(value)[:40]!r} is not one of the words of this field")
    return value


def first_problem(error: ValidationError) -> BadSurvey:
    """The first thing that pydantic found, as one sentence with its place."""
    details = error.errors(include_url=False)
    first = details[0]
    if first["type"].startswith("union_tag"):
        return _wrong_tag(first["type"], first["ctx"])
    more = f" ({len(details) - 1} more like this)" if len(details) > 1 else ""
    problem = first["msg"].removeprefix("Value error, ")
    problem = problem[0].lower() + problem[1:] + more
    kind = first["type"]
    mend = _MENDS.get(kind, "correct the value")
    if kind == "literal_error" and first["loc"][-1] == "kind":
        mend = "use “unknown” for any other file system"
    loc = first["loc"][1:] if error.title in TAGGED else first["loc"]
    return BadSurvey(problem, at=path_of(loc), mend=mend)


def _wrong_tag(kind: str, context: Mapping[str, str]) -> BadSurvey:
    """One of several shapes was meant, and which one cannot be told."""
    field = context["discriminator"].strip("'")
    if kind == "union_tag_not_found":
        return BadSurvey("field required", at=field, mend=_MENDS["missing"])
    known = context["expected_tags"].replace("'", "")
    return BadSurvey(f"“{context['tag'][:40]}” is no {field}", at=field, mend=f"use one of {known}")


_MENDS = {
    "missing": "add the field",
    "extra_forbidden": "check its spelling or take it out",
    "int_type": "write a whole number without quotes",
    "literal_error": "use one of these words",
    "less_than_equal": "check the unit: sizes are bytes, at most 2^63 - 1",
    "greater_than_equal": "check the sign; leave it null where it is not known",
}


def path_of(loc: tuple[int | str, ...]) -> str:
    """``disk.partitions[2].sectors`` of pydantic's location, without the names of shapes that were told apart."""
    path = ""
    for part in loc:
        if part in SHAPES_TOLD_APART:
            continue
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def _table_of(partitions: tuple[Partition, ...]) -> Table:
    """The table that the partitions' types tell of, where the survey does not say."""
    if not partitions:
        return "none"
    return "mbr" if partitions[0].type.startswith("0x") else "gpt"
