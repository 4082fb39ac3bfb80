"""Disks that one has or could buy: what they are, what they cost, and what each would mean for a source."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import Literal, NamedTuple, get_args

from ..carry.facts import Slot
from ..carry.times import LINK_RATES, Path, added, rate_of, reached, spent, time_range, turns
from ..disk.model import Disk, Link
from ..disk.usual_sizes import label_of, shelf_disks
from ..errors import BadOption
from ..fit.compare import carried_bytes_of
from ..fit.layout import Layout, Prepared, Verdict
from ..fit.options import FITS, Fit, Options
from ..fit.plan import PlanRow
from ..sizes import GiB, known_sum
from .growth import Growth, RowLasting, lasting_rows
from .least import least_sectors
from .verdicts import Outcome, Rung, Wanted, ladder

FormFactor = Literal["unknown", "3.5-inch", "2.5-inch", "m.2"]
FORMS: tuple[FormFactor, ...] = get_args(FormFactor)
MOST_SHELF = 2_000
MOST_PRICE = 10**9  # hundredths


@dataclass(frozen=True, slots=True)
class ShelfDisk:
    """One line of the shelf. ``price`` in hundredths of ``currency``; ``stock``: how many there are, None: enough."""

    name: str
    disk: Disk
    form: FormFactor = "unknown"
    price: int | None = None
    currency: str = ""
    stock: int | None = None
    note: str = ""

    @property
    def link(self) -> Link:
        return self.disk.link


class SlotKind(NamedTuple):
    """What a slot takes: form factors, links, and what is needed beside the disk where a smaller one goes in."""

    forms: tuple[FormFactor, ...]
    links: tuple[Link, ...]
    smaller: FormFactor | None = None


SLOT_KINDS: dict[Slot, SlotKind] = {
    "3.5-inch SATA": SlotKind(("3.5-inch", "2.5-inch"), ("sata",), "2.5-inch"),
    "2.5-inch SATA": SlotKind(("2.5-inch",), ("sata",)),
    "m.2 SATA": SlotKind(("m.2",), ("sata",)),
    "m.2 NVMe": SlotKind(("m.2",), ("nvme",)),
}


class Suits(NamedTuple):
    """Whether a disk goes into a slot; None where that is not known. ``why`` where it does not, or what it needs."""

    answer: bool | None
    why: str = ""


def suits(item: ShelfDisk, slot: Slot) -> Suits:
    """By form factor and link; what is not known rules nothing out."""
    kind = SLOT_KINDS.get(slot)
    if kind is None:
        return Suits(None)
    if item.form not in ("unknown", *kind.forms):
        return Suits(False, f"a {item.form} disk does not go into a {slot} slot")
    if item.link not in ("unknown", *kind.links):
        return Suits(False, f"it speaks {item.link.upper()}, the slot is {slot}")
    if "unknown" in (item.form, item.link):
        return Suits(None)
    return Suits(True, f"needs a bracket in a {slot} slot" if item.form == kind.smaller else "")


class Copying(NamedTuple):
    """How long carrying everything over takes, in seconds; ``slowed`` says what holds a quick disk back."""

    seconds: tuple[int, int]
    slowed: str = ""

    @property
    def text(self) -> str:
        return time_range(self.seconds)


def copying(source: Disk, item: ShelfDisk, held: int, attached: Link) -> Copying:
    """By the slowest of source, target and link (rules 11.1 and 11.2), for files; ``attached``: how the new disk is."""
    link = item.link if attached == "unknown" else attached
    slowed = ""
    if "unknown" not in (item.link, link) and item.link != link:
        own, given = LINK_RATES[item.link], LINK_RATES[link]
        if given.high < own.low:
            slowed = f"{item.link.upper()} behind {link.upper()}: up to {own.high // max(1, given.high)} times slower"
    path = Path((("source", rate_of(source)), ("target", rate_of(item.disk, link))), turns(source))
    counted = [row.filesystem.files for row in source.rows if row.filesystem is not None]
    files = known_sum(counted) if any(count is not None for count in counted) else None
    return Copying(added(spent(held, path), reached(files, held, path)).seconds, slowed)


class Offer(NamedTuple):
    """A disk of the shelf against a source. ``per_gib``: price of each GiB of free space gained, in hundredths.

    ``lasting``: of the row that is full first, where growth is known; ``by_fit``: the verdict under each of the fits.
    """

    item: ShelfDisk
    outcome: Outcome
    smallest: Wanted | None
    cheapest: bool
    per_gib: int | None
    suits: Suits
    copying: Copying
    lasting: RowLasting | None
    by_fit: tuple[tuple[Fit, Verdict | None], ...]


class Ladder(NamedTuple):
    """A shelf by size against one source: what it needs, the exact smallest disks in sectors, and every disk of it."""

    source: Disk
    options: Options
    must_bytes: int
    comfort_bytes: int
    least_tight: int | None
    least_comfortable: int | None
    offers: tuple[Offer, ...]


class Circumstances(NamedTuple):
    """What is known beside the disks: the slot that the new one goes into, how it is attached while it is written, how
    rows grow, and from when on."""

    slot: Slot = "unknown"
    attached: Link = "unknown"
    growths: Mapping[int, Growth] = {}
    since: date = date.min


UNKNOWN = Circumstances()


def look(
    source: Disk,
    options: Options,
    shelf: Sequence[ShelfDisk],
    around: Circumstances = UNKNOWN,
    sector: int = 512,
) -> Ladder:
    """Every disk of the shelf by size; the smallest tight and comfortable marked, and the cheapest that suits.

    No price is cheapest where prices stand in several currencies. Raises BadOption where an option cannot be followed.
    """
    prepared = Prepared(source, options)
    ordered = sorted(shelf, key=lambda item: (item.disk.size_bytes, item.name))
    rungs = ladder(prepared, [item.disk for item in ordered])
    pairs = list(zip(ordered, rungs, strict=True))
    able = [
        item.price
        for item, rung in pairs
        if rung.outcome.verdict == "comfortable"
        and item.price is not None
        and suits(item, around.slot).answer is not False
    ]
    least = min(able, default=None) if len(currencies(ordered)) < 2 else None
    held = sum(carried_bytes_of(PlanRow(row, None, rungs[0].layout.frame)) for row in prepared.carried) if rungs else 0
    grain = options.grain_bytes
    return Ladder(
        source,
        options,
        prepared.must * grain,
        prepared.comfort * grain,
        least_sectors(prepared, "tight", sector=sector),
        least_sectors(prepared, "comfortable", sector=sector),
        tuple(_offer(source, item, rung, around, held, least) for item, rung in pairs),
    )


def _offer(source: Disk, item: ShelfDisk, rung: Rung, around: Circumstances, held: int, least: int | None) -> Offer:
    gained, fitting = rung.outcome.gained_bytes, suits(item, around.slot)
    cheapest = rung.outcome.verdict == "comfortable" and item.price is not None and item.price == least
    per_gib = int(Fraction(item.price * GiB, gained)) if item.price is not None and gained and gained >= GiB else None
    rows = lasting_rows(rung.layout, around.growths, around.since)
    return Offer(
        item,
        rung.outcome,
        rung.smallest,
        cheapest and fitting.answer is not False,
        per_gib,
        fitting,
        copying(source, item, held, around.attached),
        rows[0] if rows else None,
        _by_fit(rung.layout),
    )


def _by_fit(layout: Layout) -> tuple[tuple[Fit, Verdict | None], ...]:
    own, frame = layout.prepared, layout.frame
    return tuple((fit, layout.verdict if fit == layout.fit else own.on(frame, fit).verdict) for fit in FITS)


def usual_shelf(sector: int = 512) -> list[ShelfDisk]:
    """The usual sizes without a name of their own or a price."""
    return [ShelfDisk(label_of(gigabytes), disk) for gigabytes, disk in shelf_disks(sector)]


def currencies(shelf: Sequence[ShelfDisk]) -> list[str]:
    """Those in which prices stand, in the order of the alphabet."""
    return sorted({item.currency for item in shelf if item.price is not None})


def one_currency(shelf: Sequence[ShelfDisk], wanted: str = "") -> list[ShelfDisk]:
    """The disks with a price in one currency. Raises BadOption where there are several and none is wanted."""
    known = currencies(shelf)
    if not wanted and len(known) > 1:
        raise BadOption(
            f"prices stand in {', '.join(name or 'no currency' for name in known)}, which cannot be added up",
            at="currency",
            mend="say which currency counts",
        )
    chosen = wanted or (known[0] if known else "")
    return [item for item in shelf if item.price is not None and item.currency == chosen]
