"""``ylemorph.disk/1`` as JSON, written. Apart from the reading, so that a command that only writes starts quickly."""

import json
from dataclasses import Field, fields, is_dataclass
from typing import Any

from ...core.disk.model import Disk, FileSystem, Health, Partition, StartCode, Survey, known

FORMAT = "ylemorph.disk/1"
MAX_FILE_BYTES = 8_000_000
SurveyData = dict[str, object]  # every field that `core.disk` declares
# Facts whose empty text is written as null.
NULL_WHERE_EMPTY = frozenset(("taken", "table_id"))


def survey_to_data(survey: Survey) -> SurveyData:
    """The survey as JSON data, what is unknown as null."""
    return {"format": FORMAT, "taken": survey.taken or None, "disk": part_to_data(survey.disk)}


def write_survey(survey: Survey, indent: int | None = 1) -> str:
    separators = None if indent else (",", ":")
    return json.dumps(survey_to_data(survey), ensure_ascii=False, indent=indent, separators=separators) + "\n"


def part_to_data(part: Disk | Partition | FileSystem | Health | StartCode) -> SurveyData:
    """A part of a survey as JSON data: every field as it is declared, later ones only where they say something."""
    return {
        f.name: None if (f.name in NULL_WHERE_EMPTY and fact == "") or _is_nothing(f, fact) else _fact_to_data(fact)
        for f in fields(part)
        for fact in (getattr(part, f.name),)
        if not f.metadata.get("later") or (known(fact) and fact != f.default)
    }


def _is_nothing(field: Field[Any], value: Any) -> bool:
    return value is not None and value == field.metadata.get("nothing")


def _fact_to_data(value: Any) -> object:
    if is_dataclass(value):
        return part_to_data(value)  # type: ignore[arg-type]  # facts that are values are parts
    if isinstance(value, frozenset):
        return sorted(value)
    if isinstance(value, tuple):
        return list(value) if value and isinstance(value[0], int) else [_fact_to_data(item) for item in value]
    return value
