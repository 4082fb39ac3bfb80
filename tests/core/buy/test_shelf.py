"""Disks of the shelf: slots, links, prices and what they cost in time."""

from datetime import date

import pytest

from tests.make import desk
from ylemorph.core.buy.growth import typed
from ylemorph.core.buy.shelf import Circumstances, ShelfDisk, copying, currencies, look, one_currency, suits
from ylemorph.core.carry.times import Path, added, rate_of, reached, spent
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB


def item(gb, price=None, link="sata", form="2.5-inch", currency="EUR", **more):
    disk = nominal_disk(gb * GB).but(link=link, rotational=False)
    return ShelfDisk(f"Quillon {gb}", disk, form, price, currency if price is not None else "", **more)


@pytest.mark.parametrize(
    ("link", "form", "slot", "answer", "why"),
    [
        ("sata", "2.5-inch", "2.5-inch SATA", True, ""),
        ("sata", "2.5-inch", "3.5-inch SATA", True, "needs a bracket in a 3.5-inch SATA slot"),
        ("sata", "3.5-inch", "2.5-inch SATA", False, "a 3.5-inch disk does not go into a 2.5-inch SATA slot"),
        ("nvme", "m.2", "m.2 SATA", False, "it speaks NVME, the slot is m.2 SATA"),
        ("nvme", "m.2", "m.2 NVMe", True, ""), ("unknown", "m.2", "m.2 NVMe", None, ""),
        ("sata", "2.5-inch", "unknown", None, ""),
    ],
)  # fmt: skip
def test_slots(link, form, slot, answer, why):
    assert suits(item(500, link=link, form=form), slot) == (answer, why)


def test_offers_stand_by_size_with_the_smallest_and_the_cheapest_marked():
    shelf = [item(2000, 140_00), item(480, 52_00), item(250, 30_00), item(1000, 50_00), item(240, 29_00)]
    made = look(desk(), Options(), shelf).offers
    assert [offer.item.name for offer in made] == [f"Quillon {gb}" for gb in (240, 250, 480, 1000, 2000)]
    verdicts = [offer.outcome.verdict for offer in made]
    assert verdicts == ["does-not-fit", "tight", "comfortable", "comfortable", "comfortable"]
    assert [offer.smallest for offer in made] == [None, "tight", "comfortable", None, None]
    assert [offer.item.name for offer in made if offer.cheapest] == ["Quillon 1000"]
    # 140.00 for 1000 GB more, which are 931.3 GiB: 15 cents each; a smaller disk gains nothing.
    assert [offer.per_gib for offer in made] == [None, None, None, None, 15]


def test_every_fit_has_its_verdict_as_its_plan_has():
    for offer in look(desk(), Options(), [item(240), item(480), item(1000)]).offers:
        plans = [(fit, make_plan(desk(), offer.item.disk, Options(fit=fit)).verdict) for fit in FITS]
        assert list(offer.by_fit) == plans


def test_what_does_not_go_into_the_slot_is_not_the_cheapest():
    shelf = [item(1000, 50_00, link="nvme", form="m.2"), item(960, 60_00)]
    made = look(desk(), Options(), shelf, Circumstances(slot="2.5-inch SATA")).offers
    assert [(offer.item.name, offer.suits.answer, offer.cheapest) for offer in made] == [
        ("Quillon 960", True, True), ("Quillon 1000", False, False)
    ]  # fmt: skip


def test_a_quick_disk_behind_a_slow_link():
    """227 GiB of files at 35 MB/s, of which 65 to 100 % are reached: 8640 s in the middle, seconds for its files beside
    (rules 11.1 to 11.2b); SATA would be 15 times as quick."""
    quick = item(1000, link="sata")
    source = desk(link="sata", rotational=False)
    slow = copying(source, quick, 227 * GiB, "usb2")
    whole = 227 * GiB / 35e6
    assert whole < slow.seconds[0] < 8640 < slow.seconds[1] < whole / 0.65 + 60
    assert slow.slowed == "SATA behind USB2: up to 15 times slower"
    assert copying(source, quick, 227 * GiB, "unknown").slowed == ""


def test_prices_in_two_currencies_are_asked_about():
    shelf = [item(240, 5), item(480, 6, currency="GBP"), item(500)]
    assert currencies(shelf) == ["EUR", "GBP"]
    with pytest.raises(BadOption, match="cannot be added up"):
        one_currency(shelf)
    assert [one.name for one in one_currency(shelf, "GBP")] == ["Quillon 480"]
    assert not any(offer.cheapest for offer in look(desk(), Options(), shelf).offers)


def test_how_long_each_disk_lasts():
    """The system row of a larger disk lasts longer; without growth nothing is said."""
    around = Circumstances(growths={3: typed(40 * GiB)}, since=date(2026, 11, 25))
    shelf = [item(480), item(1000), item(2000)]
    lasting = [offer.lasting for offer in look(desk(), Options(), shelf, around).offers]
    assert [row.number for row in lasting] == [3, 3, 3]
    assert lasting[0].lasting.full < lasting[1].lasting.full < lasting[2].lasting.full
    assert all(offer.lasting is None for offer in look(desk(), Options(), shelf).offers)


def test_how_long_copying_takes():
    """100 GB from SATA to SATA (400 to 550 MB/s): 264 s at the middle of rates and shares, and files (rule 11.2b)."""
    source = desk(link="sata", rotational=False)
    made = copying(source, item(480), 100 * GB, "sata")
    path = Path((("source", rate_of(source)), ("target", rate_of(item(480).disk, "sata"))))
    assert made.seconds == added(spent(100 * GB, path), reached(None, 100 * GB, path)).seconds
    assert 100 * GB / 550e6 < made.seconds[0] < 264 < made.seconds[1] < 100 * GB / 400e6 / 0.65 + 60
