"""What is said of disks to buy, of fleets and of growth, as it was read and agreed upon."""

from datetime import date
from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.buy.assess import Target, assess
from ylemorph.core.buy.growth import Reading, growth_from, lasting_rows, sentence, typed
from ylemorph.core.buy.shelf import Circumstances, ShelfDisk, look
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import FITS
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB

HERE = Path(__file__).parent / "agreed"
TODAY = date(2026, 11, 28)
SIZES = (32, 120, 240, 480, 1000, 2000, 4000)


def shelf():
    for place, gb in enumerate(SIZES):
        disk = nominal_disk(gb * GB).but(link=("sata", "nvme", "usb3")[place % 3], rotational=gb == 4000)
        yield ShelfDisk(f"Quillon {gb}", disk, ("2.5-inch", "m.2", "3.5-inch")[place % 3], 9_00 + gb * 8, "EUR")


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    growths = {row.number: typed(20 * GiB) for row in plan.rows if row.elastic}
    around = Circumstances(slot="2.5-inch SATA", attached="usb2", growths=growths, since=TODAY)
    for offer in look(scene.source, scene.options, list(shelf()), around).offers:
        lasting = offer.lasting and sentence(offer.lasting.lasting)
        yield (
            f"{offer.item.name}: {offer.outcome} {offer.smallest} {offer.cheapest} {offer.per_gib} {offer.suits} "
            f"{offer.copying} {lasting} {dict(offer.by_fit)}"
        )
    targets = [Target(f"{gb} GB", nominal_disk(gb * GB)) for gb in SIZES]
    made = assess(Survey(scene.source), targets, FITS, scene.options)
    yield f"{made._replace(lines=())}"
    for line in made.lines:
        yield " ".join(str(value) for value in line)
    for row in lasting_rows(plan.layout, growths, TODAY) if plan.layout.sizes else ():
        yield f"row {row.number}: {sentence(row.lasting)} {row.lasting}"


@pytest.mark.parametrize("name", SCENES)
def test_what_to_buy_is_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")


def test_growth_is_as_agreed():
    def read(*used):
        return growth_from([Reading(date(2026, 1 + 2 * n, 9), gib * GiB) for n, gib in enumerate(used)])

    lines = [f"{read(*used)}" for used in ((), (5,), (5, 9), (9, 5), (5, 9, 12), (5, 5, 5), (1, 9, 2, 8, 30, 31))]
    agreed(HERE / "growth.txt", "\n".join(lines) + "\n")
