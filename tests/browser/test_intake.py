"""Reading the source and the target: paste, typing, drop, the bench, and what is put right by hand."""

import json
import re
from dataclasses import replace

import pytest
from playwright.sync_api import expect

from tests.make import desk
from tests.probe.conftest import IMAGES
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.survey_data import write_survey
from ylemorph.stand_ins.disks import STAND_INS
from ylemorph.web.edge.services import services

NAMES = (("sda", "Brindle K1"), ("sdb", "Brindle K2"), ("sdc", "Brindle K3"), ("sdd", ""), ("sde", ""))
PART = {"type": "part", "start": 2048, "size": 400 << 30, "parttype": "0x7", "fstype": "ntfs", "fsused": 80 << 30}
LSBLK = {
    "blockdevices": [
        {
            "name": name, "path": f"/dev/{name}", "type": "disk", "size": 500_107_862_016, "log-sec": 512,
            "pttype": "dos", "model": model, "serial": f"S-{name}", "children": [{"name": f"{name}1", **PART}],
        }
        for name, model in NAMES
    ]
}  # fmt: skip


@pytest.fixture(autouse=True)
def empty_bench(served):
    """Nothing is attached when a test begins."""
    for stand_in in STAND_INS:
        (served[0].parent / "bench" / f"{stand_in.key}.img").unlink(missing_ok=True)


def new_job(window, way):
    page = window("/")
    expect(page.get_by_role("heading", name="Jobs", exact=True)).to_be_visible()
    page.keyboard.press("n")
    page.get_by_text(way, exact=True).click()
    return page


def test_from_a_few_numbers_to_a_verdict_by_keyboard(window, store):
    """Only the numbers: sizes and used space typed, everything else proposed."""
    page = new_job(window, "Only the numbers")
    page.get_by_label("Size of row 1").focus()
    for row in (("260 MiB",), ("420", "131"), ("510", "96")):
        for cell in row:
            page.keyboard.type(cell)
            page.keyboard.press("Enter" if cell == row[-1] else "Tab")
    expect(page.locator("td.role span")).to_have_text(["start", "system", "data"])
    expect(page.get_by_text("taken as 1 TB")).to_be_visible()
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/target$"))
    page.get_by_role("button", name="480 GB").click()
    page.get_by_role("button", name="See how it fits").click()
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()


def test_a_wrong_cell_is_named_and_keeps_what_was_typed(window, store):
    page = new_job(window, "Only the numbers")
    page.get_by_label("Size of row 1").fill("420")
    page.get_by_label("Used of row 1").fill("131,072")
    expect(page.get_by_role("alert")).to_contain_text("Row 1: “131,072” could mean 131.072 or 131072")
    expect(page.get_by_label("Used of row 1")).to_have_attribute("aria-invalid", "true")
    page.get_by_label("Used of row 1").fill("131,5")
    expect(page.get_by_role("alert")).to_be_hidden()


def test_a_block_from_a_spreadsheet_is_pasted(window, store):
    page = new_job(window, "Only the numbers")
    page.get_by_label("Size of row 1").focus()
    page.evaluate(
        """text => {
            const clipboardData = new DataTransfer();
            clipboardData.setData("text", text);
            const made = { clipboardData, bubbles: true, cancelable: true };
            document.activeElement.dispatchEvent(new ClipboardEvent("paste", made));
        }""",
        "260 MiB\t33 MiB\n118 GiB\t104 GiB\tNTFS\tReading\n700 MiB\t505 MiB\n",
    )
    expect(page.get_by_label("Name of row 2")).to_have_value("Reading")
    expect(page.locator("td.role span")).to_have_text(["start", "system", "recovery"])


def test_a_pasted_listing_of_five_disks_asks_which(window, store):
    page = new_job(window, "A listing")
    page.get_by_label("Text of a listing").fill(json.dumps(LSBLK))
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("5 disks stand in this lsblk listing")).to_be_visible()
    page.get_by_role("button", name="/dev/sdb").click()
    expect(page).to_have_url(re.compile(r"/target$"))
    page.get_by_role("link", name="Source").click()
    expect(page.get_by_role("heading", name="Brindle K2")).to_be_visible()
    expect(page.get_by_text("Recognised: lsblk listing.")).to_be_visible()


def test_a_listing_without_used_space_is_filled_by_a_second_one(window, store):
    page = new_job(window, "A listing")
    page.get_by_label("Text of a listing").fill("no,size,file system\n1,100 GiB,NTFS\n2,200 GiB,NTFS\n")
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_text("The used space of partitions 1, 2 is not in the listing")).to_be_visible()
    page.get_by_text("Add what is missing").click()
    page.get_by_label("Text of a listing of the same disk").fill("no,size,used\n1,100 GiB,40 GiB\n2,200 GiB,60 GiB\n")
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("cell", name="60 GiB")).to_be_visible()
    page.get_by_label("Size of the disk").fill("1000GB")
    page.get_by_label("Size of the disk").press("Enter")
    expect(page.get_by_text("1 TB", exact=True)).to_be_visible()


def test_facts_of_a_row_are_typed_and_undone(window, demo):
    page = window(f"/jobs/{demo['YM-0107']}/source")
    page.get_by_role("button", name="Desk", exact=True).click()
    page.get_by_label("What cannot be moved ends at").fill("201")
    page.get_by_label("What cannot be moved ends at").press("Enter")
    expect(page.get_by_text("It cannot go under 201 GiB")).to_be_visible()
    page.get_by_label("What need not go over").fill("old videos 38 GiB\nnothing")
    page.get_by_role("button", name="Set").last.click()
    expect(page.get_by_role("alert")).to_contain_text("line 2")
    expect(page.get_by_label("What need not go over")).to_have_value("old videos 38 GiB\nnothing")
    page.get_by_label("What need not go over").fill("old videos 38 GiB")
    page.get_by_role("button", name="Set").last.click()
    expect(page.get_by_text("38 GiB stay behind.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("It cannot go under 201 GiB")).to_be_hidden()


def test_a_disk_of_the_bench_is_attached_read_and_refused_as_its_own_target(window, store):
    page = window("/bench")
    for name in ("Attach Brindle K4 BK4-00731", "Attach USB adapter 7710 7710-0042", "Attach Quillon S2 QS2-4410"):
        page.get_by_role("button", name=name).click()
        expect(page.get_by_role("button", name=name.replace("Attach", "Detach"))).to_be_visible()
    expect(page.get_by_text("Same disk identity as USB adapter 7710")).to_be_visible()
    page.get_by_role("link", name="Jobs", exact=True).click()
    page.keyboard.press("n")
    page.get_by_role("button", name="Read Brindle K4 BK4-00731 as the source disk").click()
    expect(page).to_have_url(re.compile(r"/target$"))
    page.get_by_role("button", name="Read USB adapter 7710 7710-0042 as the target disk").click()
    expect(page.get_by_role("alert")).to_contain_text("both carry the disk identity 5B0A6C1E")
    page.get_by_role("button", name="Read Quillon S2 QS2-4410 as the target disk").click()
    expect(page.get_by_text("This disk holds 1 partition of 447 GiB")).to_be_visible()
    page.get_by_label("the last 4 of its serial").fill("4411")
    page.get_by_role("button", name="It may be overwritten").click()
    expect(page.get_by_role("alert")).to_contain_text("is not what the target carries")
    page.get_by_label("the last 4 of its serial").fill("4410")
    page.get_by_role("button", name="It may be overwritten").click()
    expect(page.get_by_text("Confirmed as 4410")).to_be_visible()
    page.get_by_role("link", name="Source").click()
    expect(page.get_by_text("must be packed before it can be that small").first).to_be_visible()


def test_a_new_job_from_a_file_to_a_verdict(window, store, tmp_path):
    path = tmp_path / "desk.json"
    path.write_bytes(write_survey(Survey(desk(model="Brindle K4"))).encode("utf-16"))
    page = new_job(window, "A listing")
    page.get_by_label("Pick a file").set_input_files(path)
    page.get_by_role("button", name="256 GB").click()
    expect(page.get_by_text("Shows as 238 GiB")).to_be_visible()
    page.get_by_role("button", name="See how it fits").click()
    expect(page.get_by_role("heading", name="Tight")).to_be_visible()


def test_files_that_cannot_be_used(window, store, tmp_path):
    page = new_job(window, "A listing")
    wrong = tmp_path / "wrong.json"
    for text, said in (
        ("{", "the file breaks off"),
        (json.dumps({"format": "x"}), "not the format"),
        (" " * 9_000_000, "9 MB"),
    ):
        wrong.write_text(text)
        page.get_by_label("Pick a file").set_input_files(wrong)
        expect(page.get_by_role("alert").filter(has_text=said)).to_be_visible()
    page.get_by_label("Text of a listing").fill("not a survey")
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("alert").filter(has_text="not the beginning of a listing")).to_be_visible()
    expect(page.get_by_label("Text of a listing")).to_have_value("not a survey")


def test_a_dropped_file_begins_a_job(window, store):
    page = window("/")
    expect(page.get_by_text("There are three ways to begin")).to_be_visible()
    page.evaluate(
        """text => {
            const data = new DataTransfer();
            data.items.add(new File([text], "desk.json", { type: "application/json" }));
            document.body.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
        }""",
        write_survey(Survey(desk(model="Brindle K4"))),
    )
    expect(page).to_have_url(re.compile(r"/target$"))


def test_the_role_in_doubt_is_asked_for(window, store):
    survey = json.loads(write_survey(Survey(desk())))
    for partition in survey["disk"]["partitions"]:
        partition["role"] = None
    page = new_job(window, "A listing")
    page.get_by_label("Text of a listing").fill(json.dumps(survey))
    page.get_by_role("button", name="Read it").click()
    page.get_by_role("link", name="Source").click()
    expect(page.get_by_text("The partitions 3 and 4 could each hold the operating system")).to_be_visible()
    page.get_by_label("Role of partition 3").select_option("system")
    expect(page.get_by_text("could each hold")).to_be_hidden()


@pytest.fixture
def reading_folder(served, tmp_path):
    """The running server may read from a folder for the time of one test."""
    from ylemorph.stand_ins.extents import unpack
    from ylemorph.usecases.readings import Readings

    with (IMAGES / "disk-mbr-logicals.xz").open("rb") as packed:
        unpack(packed, tmp_path / "disk.img")
    own, before = services(served[2]), services(served[2]).shop
    own.shop = replace(before, readings=Readings((tmp_path,)))
    yield tmp_path
    own.shop = before


def test_a_disk_is_read_by_its_path(window, store, reading_folder):
    page = new_job(window, "A path here")
    page.get_by_label("Image or device").fill("/etc/passwd")
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("alert")).to_contain_text("does not lie in")
    page.get_by_label("Image or device").fill(str(reading_folder / "disk.img"))
    page.get_by_role("button", name="Read it").click()
    expect(page).to_have_url(re.compile(r"/target$"))
    page.get_by_role("link", name="Source").click()
    expect(page.get_by_text("logical").first).to_be_visible()


def test_a_disk_of_128_partitions_and_one_of_a_single_sector(window, store):
    rows = "size,used,label\n" + "".join(f"1 GiB,{n % 900} MiB,Part {n}\n" for n in range(1, 129))
    page = new_job(window, "A listing")
    page.get_by_label("Text of a listing").fill(rows)
    page.get_by_role("button", name="Read it").click()
    page.get_by_role("button", name="Choose the target").click()
    page.get_by_label("Size on the label, or sectors").fill("1s")
    page.get_by_label("Size on the label, or sectors").press("Enter")
    page.get_by_role("button", name="See how it fits").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Does not fit")
    page.get_by_role("link", name="Target").click()
    page.get_by_role("button", name="Show all").click()
    page.get_by_role("button", name="2 TB").filter(has_text="Comfortable").first.click()
    page.get_by_role("button", name="See how it fits").click()
    expect(page.get_by_role("heading", name="Comfortable")).to_be_visible()
    page.get_by_text("The same as a table").click()
    expect(page.get_by_role("row").filter(has_text="Part 128")).to_be_visible()


def test_nobody_answers_while_a_disk_is_read(window, store):
    page = window("/bench")
    page.route("**/api/bench/**", lambda route: route.abort())
    page.get_by_role("button", name="Attach Brindle K4 BK4-00731").click()
    expect(page.get_by_role("alert")).to_contain_text("Ylemorph does not answer")
    page.unroute("**/api/bench/**")
    page.get_by_role("button", name="Attach Brindle K4 BK4-00731").click()
    expect(page.get_by_role("button", name="Detach Brindle K4 BK4-00731")).to_be_visible()


def test_a_command_is_copied(window, store):
    page = window("/", permissions=["clipboard-read", "clipboard-write"])
    page.get_by_role("button", name="New job").click()
    page.get_by_text("A listing", exact=True).click()
    page.get_by_text("One command that writes such a listing").click()
    page.get_by_role("button", name="Copy the command for Linux, in a terminal").click()
    expect(page.get_by_text("Copied")).to_be_visible()
    assert "lsblk --json --bytes --output-all" in page.evaluate("navigator.clipboard.readText()")


class Counted:
    """What a stranger does from an empty page on; figures that are typed do not count."""

    def __init__(self, page):
        self.page, self.commands = page, 0

    def press(self, key):
        self.commands += 1
        self.page.keyboard.press(key)

    def click(self, locator):
        self.commands += 1
        locator.click()

    def drop(self, name, text):
        self.commands += 1
        self.page.evaluate(
            """([name, text]) => {
                const dataTransfer = new DataTransfer();
                dataTransfer.items.add(new File([text], name));
                const made = { dataTransfer, bubbles: true, cancelable: true };
                for (const kind of ["dragenter", "dragover", "drop"]) window.dispatchEvent(new DragEvent(kind, made));
            }""",
            [name, text],
        )

    def to_a_verdict(self):
        """From the page of the target on."""
        self.click(self.page.get_by_role("button", name=re.compile("^240 GB")))
        self.click(self.page.get_by_role("button", name="See how it fits"))
        expect(self.page.get_by_role("heading", level=1)).to_have_text(re.compile("Comfortable|Tight|Does not fit"))
        assert self.commands <= 5


LISTING = "no,size,used,file system\n1,260 MiB,33 MiB,FAT32\n2,118 GiB,61 GiB,NTFS\n3,700 MiB,505 MiB,NTFS\n"


def test_from_a_dropped_listing_to_a_verdict_in_five_commands(window, store):
    page = window("/")
    expect(page.get_by_text("No jobs yet")).to_be_visible()
    stranger = Counted(page)
    stranger.drop("disk.csv", LISTING)
    expect(page.get_by_text("Recognised")).to_be_visible()  # it says no size of the disk: that is looked at first
    stranger.click(page.get_by_role("link", name="Target", exact=True))
    stranger.to_a_verdict()


def test_from_three_numbers_to_a_verdict_in_five_commands(window, store):
    page = window("/")
    expect(page.get_by_text("No jobs yet")).to_be_visible()
    stranger = Counted(page)
    stranger.press("n")
    stranger.click(page.get_by_text("Only the numbers"))
    page.get_by_label("Size of row 1").fill("118 GiB")
    page.get_by_label("Used of row 1").fill("61 GiB")
    page.get_by_label("File system of row 1").fill("NTFS")
    stranger.click(page.get_by_role("button", name="Use these numbers"))
    stranger.to_a_verdict()
