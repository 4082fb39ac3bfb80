"""What goes out, typed: a shape is a ``TypedDict`` that its writer's return type names, and its schema follows from it.

A shape is declared once. The type checker sees a field that a writer forgets; JSON Schema, the OpenAPI document and the
front end's types are derived.
"""

from copy import deepcopy
from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, get_args, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, RootModel, TypeAdapter
from typing_extensions import TypedDict  # the standard library's is understood by pydantic from Python 3.12 on only

from ...core.sizes import MAX_BYTES

ShortText = Annotated[str, Field(max_length=200)]
Note = Annotated[str, Field(max_length=10_000)]
# What pydantic puts into the place of an error beside the fields: names of shapes, and the kind of a tagged union.
SHAPES_TOLD_APART = ("a size", "a survey")
TAGGED = ("ChangeRequest",)
Number = Annotated[int, Field(ge=0, le=MAX_BYTES)]
Positive = Annotated[int, Field(ge=1, le=MAX_BYTES)]
JsonSchema = dict[str, Any]  # open by nature: whatever JSON Schema allows


if TYPE_CHECKING:

    class Shape(TypedDict):
        """A JSON object with just the declared fields."""

else:

    class Shape(TypedDict):
        __pydantic_config__ = ConfigDict(extra="forbid")  # pydantic reads it from there


_SCHEMAS: dict[tuple[object, ...], JsonSchema] = {}


class Described(BaseModel):
    """A model whose schema is made once, for the first route that names it; the parts of it are given with that one.

    Nearly every route names the same problems and jobs, and describing them over and over took most of the start.
    """

    model_config = ConfigDict(defer_build=True)

    @classmethod
    def model_json_schema(cls, *given: Any, **named: Any) -> JsonSchema:
        key = (cls, given, *sorted(named.items()))
        if key not in _SCHEMAS:
            made = _at_the_top(super().model_json_schema(*given, **named))
            _SCHEMAS[key] = {name: part for name, part in made.items() if name != "$defs"}
            return made
        return deepcopy(_SCHEMAS[key])


def _at_the_top(schema: JsonSchema) -> JsonSchema:
    """The schema of a shape itself in the place of a reference to it."""
    own = schema["$defs"].pop(schema["$ref"].rsplit("/", 1)[-1]) if "$ref" in schema else {}
    return {**{name: part for name, part in schema.items() if name != "$ref"}, **own}


@cache
def model_of(shape: type) -> type[Described]:
    """The model by which the web framework documents a shape; nothing is checked against it on the way out."""
    return type(shape.__name__, (Described, RootModel), {"__module__": __name__, "__annotations__": {"root": shape}})


def json_schema(shape: type) -> JsonSchema:
    """JSON Schema of a shape that names its format, under that name."""
    made = TypeAdapter(shape).json_schema()
    title = get_args(get_type_hints(shape)["format"])[0]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **made, "title": title}
