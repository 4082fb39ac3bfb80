"""The shapes of a shelf against a source, and of a mix."""

from ...core.buy.shelf import FormFactor
from ...core.buy.verdicts import Wanted as WantedVerdict
from ...core.disk.model import Link
from ...core.fit.layout import Verdict
from ...core.fit.options import Fit
from .wire import Shape


class RowLastingModel(Shape):
    """How long a row lasts; dates are null where they are not reached."""

    row: int
    name: str
    per_year_bytes: int
    low_bytes: int
    high_bytes: int
    readings: int
    headroom: str | None
    full: str | None
    full_soonest: str | None
    full_latest: str | None
    text: str


class OfferModel(Shape):
    name: str
    sectors: int
    logical_sector_bytes: int
    size_bytes: int
    link: Link
    form: FormFactor
    price: int | None
    currency: str
    stock: int | None
    note: str
    verdict: Verdict | None
    kept_percent: int
    shortfall_bytes: int
    system_free_bytes: int | None
    gained_bytes: int | None
    price_per_gib: int | None
    smallest: WantedVerdict | None
    cheapest: bool
    suits: bool | None
    suits_why: str
    seconds: list[int]
    slowed: str
    lasts: RowLastingModel | None
    by_fit: dict[Fit, Verdict | None]


class LadderHead(Shape):
    format: str
    source_bytes: int
    fit: Fit
    must_bytes: int
    comfort_bytes: int
    least_tight_sectors: int | None
    least_comfortable_sectors: int | None


class LadderShape(LadderHead):
    disks: list[OfferModel]


class MixDisk(Shape):
    name: str
    count: int
    price: int
    total_price: int


class MixOut(Shape):
    currency: str
    total_price: int
    disks: list[MixDisk]
    left_out: list[str]
