"""The options as a model, made from their table: for the OpenAPI document and the front end's types."""

from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, create_model

from ...core.disk.model import Role
from ...core.fit.options import OPTIONS, OptionKind, ValueKind
from .options import OptionsData

RowNumber = Annotated[int, Field(ge=0)]
_TYPES: dict[ValueKind, Any] = {
    "row": RowNumber,
    "rows": list[RowNumber],
    "order": list[RowNumber],
    "row-sizes": dict[str, RowNumber],
    "row-roles": dict[str, Role],
    "percent": float,
    "size": RowNumber,
    "size-or-share": RowNumber | str,
    "text": str,
}


def _field(kind: OptionKind) -> tuple[Any, Any]:
    hint = Literal[kind.choices] if kind.kind == "choice" else _TYPES[kind.kind]
    return (hint | None, Field(default=None, description=kind.help))


OptionsModel: type[BaseModel] = create_model(
    "OptionsModel",
    __config__=ConfigDict(extra="forbid"),
    __doc__="Options that differ from the usual ones.",
    **{key: _field(kind) for key, kind in OPTIONS.items()},
)  # type: ignore[call-overload]  # its fields are only known when the table is read

if TYPE_CHECKING:
    OptionsShape = OptionsData
else:
    OptionsShape = OptionsModel  # as they go out
