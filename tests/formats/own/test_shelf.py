"""The shelf as CSV: round trips, other countries' figures, and what cannot be read."""

import pytest

from tests.make import desk
from ylemorph.core.buy.shelf import ShelfDisk, look
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Options
from ylemorph.core.sizes import GB
from ylemorph.formats.own.ladder import ladder_to_data, ladder_to_text
from ylemorph.formats.own.shelf import read_shelf, shelf_disk_from, shelf_disk_to_texts, shelf_to_csv

SHELF = [
    ShelfDisk("Quillon S2", nominal_disk(480 * GB).but(link="sata"), "2.5-inch", 44_90, "EUR", 3, 'quiet, "new"'),
    ShelfDisk("=Brindle+V4", nominal_disk(2000 * GB, 4096).but(link="nvme"), "m.2", 89_05, "EUR"),
    ShelfDisk("odd", Disk(937_703_090, 512, 4096), "3.5-inch", None, "", 0),
]


def test_a_shelf_reads_back_equal():
    text = shelf_to_csv(SHELF)
    assert read_shelf(text) == SHELF
    assert text.splitlines()[0] == "name,size,sector_bytes,link,form,price,currency,stock,note"
    assert text.splitlines()[2].startswith("'=Brindle+V4,2000GB,4096,nvme,m.2,89.05,EUR,,")
    assert [shelf_disk_from(shelf_disk_to_texts(item)) for item in SHELF] == SHELF


def test_semicolons_decimal_commas_and_other_headings():
    text = "\ufeffDisk;Capacity;Interface;Form factor;Price;Currency;In stock\nBrindle;1TB;PCIe;M.2;1.079,5;eur;2\n"
    (item,) = read_shelf(text)
    assert (item.disk.sectors, item.link, item.form) == (1_953_525_168, "nvme", "m.2")
    assert (item.price, item.currency, item.stock) == (1079_50, "EUR", 2)


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("", "shelf"), ("name,link\nA,sata", "line 1"), ("name,size\n,480GB", "line 2, column name"),
        ("name,size\nA,", "line 2, column size"), ("name,size\nA,12 sheep", "line 2, column size"),
        ("name,size,price\nA,480GB,cheap", "line 2, column price"),
        ("name,size,price,currency\nA,480GB,5,euros", "line 2, column currency"),
        ("name,size,stock\nA,480GB,-1", "line 2, column stock"), ("name,size\nA,480GB,5", "line 2"),
        ("name,size,link\nA,480GB,scsi", "line 2, column link"), ("name,size,form\nA,480GB,8", "line 2, column form"),
        ("name,size,sector\nA,480GB,520", "line 2, column sector_bytes"), ("name,size\nA,480GB\nA,1TB", "shelf"),
        ("name,size,price\nA,480GB,\"1,234\"", "line 2, column price"), ("name,size\n" + "A" * 200 + ",1TB",
        "line 2, column name"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_one_sentence_with_its_place(text, at):
    with pytest.raises(YlemorphError) as caught:
        read_shelf(text)
    assert caught.value.at == at
    assert caught.value.mend
    assert "\n" not in str(caught.value)


def test_a_ladder_as_data_and_for_reading():
    looked = look(desk(), Options(), SHELF)
    data = ladder_to_data(looked)
    assert [disk["name"] for disk in data["disks"]] == ["Quillon S2", "odd", "=Brindle+V4"]
    assert data["disks"][0]["smallest"] == "comfortable"
    assert data["least_tight_sectors"] < data["least_comfortable_sectors"] < 937_703_088
    text = ladder_to_text(looked)
    assert "smallest comfortable, cheapest comfortable" in text
    assert "44.90 EUR" in text
