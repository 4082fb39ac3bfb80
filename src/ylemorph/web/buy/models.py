"""What comes in and goes out before a disk is bought: the shelf, the ladder, how long a size lasts, fleets."""

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from ...core.buy.shelf import MOST_SHELF
from ...core.carry.facts import Slot
from ...formats.own.buy_shapes import LadderHead, OfferModel, RowLastingModel
from ...formats.own.wire import Shape, ShortText
from ..models import UnitsQuery, _In


class UsualSize(Shape):
    label: str
    sectors: int
    size_bytes: int


class ShelfTexts(_In):
    """A disk of the shelf as it is typed, cell by cell."""

    name: ShortText = ""
    size: ShortText = ""
    sector_bytes: ShortText = ""
    link: ShortText = ""
    form: ShortText = ""
    price: ShortText = ""
    currency: ShortText = ""
    stock: ShortText = ""
    note: Annotated[str, Field(max_length=400)] = ""


if TYPE_CHECKING:
    ShelfTextsShape = dict[str, str]  # of the columns of `formats.own.shelf`
else:
    ShelfTextsShape = ShelfTexts  # as they go out


class ShelfIn(_In):
    """The whole shelf in the place of the one that was seen as ``version``; as cells, or ``csv`` with a header line."""

    version: int | None = Field(default=None, ge=0, lt=2**63)
    disks: Annotated[list[ShelfTexts], Field(max_length=MOST_SHELF)] | None = None
    csv: Annotated[str, Field(max_length=2_000_000)] | None = None


class ShelfModel(Shape):
    """``sizes``: the usual ones; ``disks``: the workshop's own, each with its size in ``bytes`` at the same place."""

    sizes: list[UsualSize]
    version: int
    disks: list[ShelfTextsShape]
    bytes: list[int]
    currencies: list[str]


class LadderQuery(UnitsQuery):
    """``shelf``: the usual sizes or the workshop's own; ``slot``: of the machine, else as its facts say."""

    shelf: Literal["usual", "own"] = "usual"
    slot: Slot | None = None
    sector: Literal["512", "4096"] = "512"


class ShownOffer(OfferModel):
    """``says``: what the disk means for the source, in a few words."""

    says: str
    time: str


class LadderModel(LadderHead):
    disks: list[ShownOffer]
    slot: Slot


class UsedOnDay(Shape):
    day: str
    used_bytes: int


class GrowingRow(Shape):
    """A row with what is known of its growth: typed, from surveys, or not; ``limit_bytes``: held with its headroom."""

    number: int
    label: str
    typed_bytes: int | None
    readings: list[UsedOnDay]
    used_bytes: int
    size_bytes: int | None
    limit_bytes: int | None
    lasting: RowLastingModel | None


class LastingModel(Shape):
    since: str
    rows: list[GrowingRow]
