"""What comes in and goes out where disks are read: listings, typed rows, the bench, paths on this machine."""

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, create_model

from ...formats.listings.typed_rows import TypedRow
from ...formats.own.survey import HealthModel, SurveyModel
from ..models import Line, _In, _Out

Bare = Literal["gib", "gb"]
LongText = Annotated[str, Field(max_length=12_000_000)]


class ListingText(_In):
    """A listing as text, or its file's bytes in base64; ``onto`` is a survey that it adds to."""

    text: LongText | None = None
    data: LongText | None = None
    size: Line = ""
    table: Literal["gpt", "mbr"] = "gpt"
    onto: SurveyModel | None = None


if TYPE_CHECKING:

    class TypedRowModel(_In):
        """One row as typed; empty texts are proposed or unknown."""

else:
    TypedRowModel = create_model(
        "TypedRowModel",
        __base__=_In,
        __doc__="One row as typed; empty texts are proposed or unknown.",
        **dict.fromkeys(TypedRow._fields, (Line, "")),
    )


class TypedTable(_In):
    """Rows as typed; ``bare`` is the unit of a number without one."""

    rows: Annotated[list[TypedRowModel], Field(max_length=200)]
    size: Line = ""
    table: Literal["gpt", "mbr"] = "gpt"
    bare: Bare = "gib"


class FoundModel(_Out):
    """One disk of a listing, with sentences on what the listing leaves out."""

    name: str
    survey: SurveyModel
    missing: list[str]


class ReadingModel(_Out):
    form: str
    found: list[FoundModel]
    unreadable: list[str] = Field(default=[], description="A sentence for each disk that cannot be used")
    conflicts: list[str]
    roles: list[str] = Field(default=[], description="Of typed rows, in their order; empty where it must be chosen")


class CommandModel(_Out):
    where: str
    command: str


class CommandsModel(_Out):
    commands: list[CommandModel]


class BenchPath(_In):
    key: Line


class BenchDisk(_Out):
    """A disk of the bench as it reports itself; ``survey`` while it is attached."""

    key: str
    place: str
    model: str
    serial: str
    link: str
    rotational: bool | None
    size_bytes: int
    label: str
    sector_bytes: int
    rate: int
    health: HealthModel | None  # type: ignore[valid-type]
    attached: bool
    holds: str
    same_identity: list[str]


class BenchModel(_Out):
    disks: list[BenchDisk]


class PathsModel(_Out):
    """Folders of this machine from which disks may be read; none where reading by path is off."""

    folders: list[str]


class PathText(_In):
    path: Annotated[str, Field(max_length=4096)]


class ReadingPath(_In):
    reading_id: Line


class ProgressModel(_Out):
    """How far the reading of a path is; ``survey`` once it is done, ``trouble`` where it failed."""

    id: str
    path: str
    state: Literal["running", "done", "failed", "stopped"]
    done_bytes: int
    total_bytes: int
    survey: SurveyModel | None
    trouble: str
