"""The workshop's shelf: one list with a version, written as a whole."""

import pytest

from ylemorph.core.buy.shelf import MOST_SHELF, ShelfDisk
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import BadOption
from ylemorph.core.sizes import GB
from ylemorph.store import shelf
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.store.shelf import ShelfConflict


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


def item(name, gb=480):
    return ShelfDisk(name, nominal_disk(gb * GB), price=4990, currency="EUR")


def test_it_reads_back_in_its_order_and_counts_its_versions(store):
    first = shelf.write(store, [item("B"), item("A", 960)])
    assert [disk.name for disk in first.disks] == ["B", "A"]
    assert shelf.write(store, [item("A")], first.version).version == first.version + 1
    with pytest.raises(ShelfConflict):
        shelf.write(store, [], first.version)
    assert [disk.name for disk in shelf.read(store).disks] == ["A"]
    assert shelf.write(store, []).disks == ()


def test_names_stand_once_and_disks_are_not_too_many(store):
    with pytest.raises(BadOption, match="“A” stands there twice"):
        shelf.write(store, [item("A"), item("B"), item("A")])
    many = [item(f"disk {n}") for n in range(MOST_SHELF)]
    assert len(shelf.write(store, many).disks) == MOST_SHELF
    with pytest.raises(BadOption, match="are more than"):
        shelf.write(store, [*many, item("one more")])


def test_a_disk_that_cannot_be_read_is_passed_over(store):
    shelf.write(store, [item("A"), item("B")])
    store.execute("UPDATE shelf_disk SET body = '{}' WHERE place = 0")
    assert [disk.name for disk in shelf.read(store).disks] == ["B"]
