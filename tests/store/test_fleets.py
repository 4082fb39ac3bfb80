"""Fleets in SQLite: what was worked out is kept under the wishes it was worked out for, and told as one value."""

from itertools import pairwise

import pytest

from tests.make import desk
from ylemorph.core.buy.shelf import ShelfDisk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.fit.options import Options
from ylemorph.core.sizes import GB
from ylemorph.formats.listings.fleet_read import Found
from ylemorph.store import fleet_list, fleets
from ylemorph.store.database import NotFound, connect
from ylemorph.store.fleet_list import LinesWanted
from ylemorph.store.fleets import Wishes
from ylemorph.store.preparing import prepare
from ylemorph.usecases.fleet_work import Against, work_out


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


WISHES = Wishes(
    (ShelfDisk("Quillon S2", nominal_disk(480 * GB), price=4990, currency="EUR"),), ("proportional",), Options()
)


@pytest.fixture
def fleet(store):
    """Two machines, and the first one's disk once more, surveyed earlier."""
    number = fleets.create(store, "Branches", WISHES)
    found = [
        Found("desk", "a", Survey(desk(serial="BK4-1"), "2026-11-20T10:00:00Z")),
        Found("annex", "b", Survey(desk(serial="BK4-2", used_data=400 * 2**30), "2026-11-20T10:00:00Z")),
        Found("desk before", "c", Survey(desk(serial="BK4-1", used_system=90 * 2**30), "2026-05-02T10:00:00Z")),
    ]
    fleets.add(store, number, found)
    return number


def worked_out(store, number):
    head = fleets.head(store, number)
    made = work_out(
        fleets.waiting(store, number, 10), Against(head.wishes.names, head.wishes.fits, head.wishes.options)
    )
    return head.generation, made


def test_what_was_worked_out_under_other_wishes_is_not_kept(store, fleet):
    generation, made = worked_out(store, fleet)
    assert not fleets.put(store, fleet, generation + 1, made)
    assert not fleets.put(store, fleet + 1, generation, made)
    assert fleets.head(store, fleet).done == 0
    assert fleets.put(store, fleet, generation, made)
    assert fleets.head(store, fleet).done == 3


def test_the_whole_tells_which_machines_are_the_same_disk_again(store, fleet):
    fleets.put(store, fleet, *worked_out(store, fleet))
    whole = fleet_list.whole(store, fleets.head(store, fleet))
    assert [(machine.name, machine.same) for machine in whole.machines] == [
        ("desk", None), ("annex", None), ("desk before", (0, True)),
    ]  # fmt: skip
    assert [machine.name for machine in whole.counted] == ["desk", "annex"]


def test_a_fleet_holds_so_many_machines_and_no_more(store, fleet, monkeypatch):
    monkeypatch.setattr(fleets, "MOST_MACHINES", 4)
    fleets.add(store, fleet, [Found("fourth", "d", Survey(desk(serial="BK4-3")))])
    with pytest.raises(BadOption, match="at most 4 machines"):
        fleets.add(store, fleet, [Found("fifth", "e", Survey(desk(serial="BK4-4")))])
    assert fleets.head(store, fleet).machines == 4


def test_a_page_of_machines(store, fleet):
    fleets.put(store, fleet, *worked_out(store, fleet))
    head = fleets.head(store, fleet)
    count, rows = fleet_list.page(store, head, LinesWanted(sort="used", down=True))
    assert (count, [row.name for row in rows]) == (2, ["annex", "desk"])
    assert rows[1].before == ("2026-05-02T10:00:00Z", rows[1].used_bytes - 41 * 2**30, "desk before")
    assert rows[0].before is None
    assert [row.name for row in fleet_list.page(store, head, LinesWanted(text="ann"))[1]] == ["annex"]
    assert fleet_list.page(store, head, LinesWanted(text="%"))[0] == 0
    assert [row.name for row in fleet_list.page(store, head, LinesWanted(start=1, most=1))[1]] == ["desk"]
    assert fleet_list.page(store, head, LinesWanted(verdict="does-not-fit"))[0] == 1
    with pytest.raises(BadOption, match="no target 1"):
        fleet_list.page(store, head, LinesWanted(target=1))


def test_counts_and_sums(store, fleet):
    fleets.put(store, fleet, *worked_out(store, fleet))
    assert fleet_list.counts(store, fleet, "best") == {(0, "comfortable"): 1, (0, "does-not-fit"): 1}
    assert fleet_list.sums(store, fleet) == (3, 1, 0)
    assert fleet_list.able(store, fleets.head(store, fleet)) == [("desk", ["Quillon S2"]), ("annex", [])]
    assert [(twice.of, twice.earlier) for twice in fleet_list.troubles(store, fleet)] == [("desk", True)]


def test_the_same_survey_again_is_no_earlier_one(store, fleet):
    fleets.add(
        store, fleet, [Found("again", "d", Survey(desk(serial="BK4-2", used_data=400 * 2**30), "2026-11-20T10:00:00Z"))]
    )
    repeated = {twice.name: (twice.of, twice.earlier) for twice in fleet_list.troubles(store, fleet)}
    assert repeated == {"desk before": ("desk", True), "again": ("annex", False)}


def test_machines_are_taken_out(store, fleet):
    fleets.put(store, fleet, *worked_out(store, fleet))
    (first, *_) = fleet_list.page(store, fleets.head(store, fleet), LinesWanted())[1]
    fleets.remove(store, fleet, [first.id])
    assert fleets.head(store, fleet).machines == 2
    with pytest.raises(NotFound):
        fleet_list.survey_of(store, fleet, first.id)


def test_bins_meet_and_hold_every_machine():
    needs = [2**37, 2**37 + 1, 2**38 - 1, 2**38, None, 0, 5 * 2**37]
    bins = fleet_list.histogram(needs)
    assert sum(one.machines for one in bins) == 5
    assert all(one.to_bytes == other.from_bytes for one, other in pairwise(bins))
    assert (bins[0].from_bytes, bins[0].machines) == (2**37, 2)
    assert fleet_list.histogram([None, 0]) == []


def test_a_fleet_is_deleted_once(store, fleet):
    fleets.delete(store, fleet)
    for gone in (fleet, fleet + 1):
        with pytest.raises(NotFound, match=f"there is no fleet {gone}"):
            fleets.delete(store, gone)
