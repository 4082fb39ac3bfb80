"""A shelf against a source as JSON, CSV and lines for reading."""

import json
from collections.abc import Mapping
from datetime import date
from typing import TYPE_CHECKING, Any

from ...core.buy.growth import RowLasting, sentence
from ...core.buy.shelf import Ladder, Offer
from ...core.fit.fits import FIT_NAMES
from ...core.fit.layout import verdict_name
from ...core.fit.options import FITS
from ...core.sizes import Units, both_sizes, format_size
from ..documents.cells import Cell, to_csv
from ..documents.tables import plain_table

if TYPE_CHECKING:
    from .buy_shapes import LadderHead, LadderShape, OfferModel, RowLastingModel

FORMAT = "ylemorph.shelf/1"


def offer_to_data(offer: Offer) -> "OfferModel":
    """Bytes, seconds, and hundredths of the currency."""
    item, result = offer.item, offer.outcome
    return {
        "name": item.name,
        "sectors": item.disk.sectors,
        "logical_sector_bytes": item.disk.logical_sector_bytes,
        "size_bytes": item.disk.size_bytes,
        "link": item.link,
        "form": item.form,
        "price": item.price,
        "currency": item.currency,
        "stock": item.stock,
        "note": item.note,
        "verdict": result.verdict,
        "kept_percent": result.kept_percent,
        "shortfall_bytes": result.shortfall_bytes,
        "system_free_bytes": result.system_free_bytes,
        "gained_bytes": result.gained_bytes,
        "price_per_gib": offer.per_gib,
        "smallest": offer.smallest,
        "cheapest": offer.cheapest,
        "suits": offer.suits.answer,
        "suits_why": offer.suits.why,
        "seconds": list(offer.copying.seconds),
        "slowed": offer.copying.slowed,
        "lasts": lasting_to_data(offer.lasting),
        "by_fit": dict(offer.by_fit),
    }


def lasting_to_data(row: RowLasting | None) -> "RowLastingModel | None":
    """Dates as ``2027-03-05``; null where that is not reached."""
    if row is None:
        return None
    lasting = row.lasting
    return {
        "row": row.number,
        "name": row.name,
        "per_year_bytes": row.growth.per_year,
        "low_bytes": row.growth.low,
        "high_bytes": row.growth.high,
        "readings": row.growth.readings,
        "headroom": _day(lasting.headroom),
        "full": _day(lasting.full),
        "full_soonest": _day(lasting.full_soonest),
        "full_latest": _day(lasting.full_latest),
        "text": sentence(row.lasting),
    }


def _day(day: date | None) -> str | None:
    return None if day is None else day.isoformat()


def ladder_to_data(ladder: Ladder) -> "LadderShape":
    return {**ladder_head(ladder), "disks": [offer_to_data(offer) for offer in ladder.offers]}


def ladder_head(ladder: Ladder) -> "LadderHead":
    return {
        "format": FORMAT,
        "source_bytes": ladder.source.size_bytes,
        "fit": ladder.options.fit,
        "must_bytes": ladder.must_bytes,
        "comfort_bytes": ladder.comfort_bytes,
        "least_tight_sectors": ladder.least_tight,
        "least_comfortable_sectors": ladder.least_comfortable,
    }


def ladder_to_json(ladder: Ladder) -> str:
    return json.dumps(ladder_to_data(ladder), ensure_ascii=False, indent=1) + "\n"


CSV_FIELDS = (
    "name", "sectors", "size_bytes", "link", "form", "price", "currency", "stock", "verdict", "kept_percent",
    "shortfall_bytes", "system_free_bytes", "gained_bytes", "price_per_gib", "cheapest",
)  # fmt: skip
HUNDREDTHS = ("price", "price_per_gib")


def ladder_to_csv(ladder: Ladder) -> str:
    """Prices with their two digits; figures as figures."""

    def cells(offer: Offer) -> list[Cell]:
        data: Mapping[str, Any] = offer_to_data(offer)
        return [data[key] / 100 if key in HUNDREDTHS and data[key] is not None else data[key] for key in CSV_FIELDS]

    return to_csv(CSV_FIELDS, [cells(offer) for offer in ladder.offers])


def says(offer: Offer, units: Units = "binary") -> str:
    """What a disk means for the source, in a few words."""
    result = offer.outcome
    if result.verdict == "does-not-fit":
        return f"short by {format_size(result.shortfall_bytes, units)}"
    if result.verdict == "tight":
        return f"headroom {result.kept_percent} %"
    free = result.system_free_bytes
    return "" if free is None else f"{format_size(free, units)} free for the system"


def _fits(offer: Offer) -> str:
    """Under which fits it fits, in few words."""
    fitting = {fit for fit, verdict in offer.by_fit if verdict in ("tight", "comfortable")}
    missing = [FIT_NAMES[fit] for fit in FITS if fit not in fitting]
    if len(missing) in (0, len(FITS)):
        return "no fit" if missing else "every fit"
    named = [FIT_NAMES[fit] for fit in FITS if fit in fitting]
    return f"all but {', '.join(missing)}" if len(missing) < len(named) else ", ".join(named)


def _marks(offer: Offer) -> list[str]:
    smallest = [f"smallest {offer.smallest}"] if offer.smallest else []
    return smallest + ["cheapest comfortable"] * offer.cheapest


def ladder_to_text(ladder: Ladder) -> str:
    rows = [
        (
            offer.item.name,
            both_sizes(offer.item.disk.size_bytes),
            verdict_name(offer.outcome.verdict),
            says(offer),
            "" if offer.item.price is None else f"{offer.item.price / 100:.2f} {offer.item.currency}",
            _fits(offer),
            ", ".join(_marks(offer)),
            offer.suits.why,
            "" if offer.lasting is None else sentence(offer.lasting.lasting),
        )
        for offer in ladder.offers
    ]
    header = [(name, name == "price") for name in ("disk", "size", "verdict", "", "price", "fits", "", "slot", "lasts")]
    least = [
        f"{word} from {sectors} sectors ({both_sizes(sectors * 512)})"
        for word, sectors in (("tight", ladder.least_tight), ("comfortable", ladder.least_comfortable))
        if sectors is not None
    ]
    return plain_table(header, rows) + ("Smallest: " + ", ".join(least) + "\n" if least else "")
