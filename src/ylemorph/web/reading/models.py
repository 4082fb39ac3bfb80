"""What comes in and goes out where disks are read: listings, typed rows, the bench, paths on this machine."""

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import BaseModel, Field, create_model

from ...formats.listings.typed_rows import TypedRow
from ...formats.own.survey import HealthShape, SurveyModel, SurveyShape
from ...formats.own.wire import Shape, ShortText
from ..models import _In

Bare = Literal["gib", "gb"]
ListingBody = Annotated[str, Field(max_length=12_000_000)]


class ListingText(_In):
    """A listing as text, or its file's bytes in base64; ``onto`` is a survey that it adds to."""

    text: ListingBody | None = None
    data: ListingBody | None = None
    size: ShortText = ""
    table: Literal["gpt", "mbr"] = "gpt"
    onto: SurveyModel | None = None


if TYPE_CHECKING:
    TypedRowModel = BaseModel
else:
    TypedRowModel = create_model(
        "TypedRowModel",
        __base__=_In,
        __doc__="One row as typed; empty texts are proposed or unknown.",
        **dict.fromkeys(TypedRow._fields, (ShortText, "")),
    )


class TypedTable(_In):
    """Rows as typed; ``bare`` is the unit of a number without one."""

    rows: Annotated[list[TypedRowModel], Field(max_length=200)]
    size: ShortText = ""
    table: Literal["gpt", "mbr"] = "gpt"
    bare: Bare = "gib"


class FoundModel(Shape):
    """One disk of a listing, with sentences on what the listing leaves out."""

    name: str
    survey: SurveyShape
    missing: list[str]


class ReadingModel(Shape):
    form: str
    found: list[FoundModel]
    unreadable: Annotated[list[str], Field(description="A sentence for each disk that cannot be used")]
    conflicts: list[str]
    roles: Annotated[list[str], Field(description="Of typed rows, in their order; empty where it must be chosen")]


class CommandModel(Shape):
    where: str
    command: str


class CommandsModel(Shape):
    commands: list[CommandModel]


class BenchPath(_In):
    key: ShortText


class ReportedDisk(Shape):
    """A disk as it reports itself, and what it holds in words."""

    key: str
    place: str
    model: str
    serial: str
    link: str
    rotational: bool | None
    size_bytes: int
    label: str
    sector_bytes: int
    health: HealthShape | None
    holds: str


class BenchDisk(ReportedDisk):
    """A stand-in on the bench."""

    rate: int
    attached: bool
    same_identity: list[str]


class BenchModel(Shape):
    disks: list[BenchDisk]


class RealDiskModel(ReportedDisk):
    """A disk that is attached to this machine. ``uses``: what keeps it in use; ``cannot``: why it cannot be read;
    ``alike``: other disks that only their place tells from it; ``takes``: what reading takes, about."""

    path: str
    uses: list[str]
    cannot: str
    alike: list[str]
    takes: str


class RealDisksModel(Shape):
    """``allowed``: whether this window may see them; ``trouble``: why the system does not list them."""

    allowed: bool
    disks: list[RealDiskModel]
    trouble: str


class ReadAsked(_In):
    """``although_in_use``: the disk is read although something may change it meanwhile."""

    although_in_use: bool = False


class PathsModel(Shape):
    """Folders of this machine from which disks may be read; none where reading by path is off."""

    folders: list[str]


class PathText(_In):
    path: Annotated[str, Field(max_length=4096)]


class ReadingPath(_In):
    reading_id: ShortText


class ProgressModel(Shape):
    """How far the reading of a path is; ``survey`` once it is done, ``trouble`` where it failed."""

    id: str
    path: str
    state: Literal["running", "done", "failed", "stopped"]
    done_bytes: int
    total_bytes: int
    survey: SurveyShape | None
    trouble: str
