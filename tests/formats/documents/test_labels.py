"""Labels for disks: the code read back by a reader of QR codes, the words by poppler's pdftotext."""

import subprocess

import pytest
import zxingcpp
from PIL import Image

from tests.make import desk
from tests.real.volumes import ENVIRONMENT, present
from ylemorph.core.disk.model import Disk
from ylemorph.formats.documents.labels import ACROSS, DOWN, LabelText, label_pdf, label_sheet_pdf
from ylemorph.formats.documents.sheet import Heading

pytestmark = pytest.mark.skipif(not present("pdftotext", "pdftoppm"), reason="poppler-utils are needed")
ADDRESS = "https://192.168.30.12:8642/jobs/107/carry"


def label(address=ADDRESS, name="Lending desk PC", model="Brindle K4"):
    source = desk(model=model, serial="BK4-00731")
    target = Disk(937_703_088, model="Quillon S2", serial="QS2-4411")
    return LabelText(Heading(name, "YM-0107", "Lending desk"), source, target, address)


def asked(*command):
    return subprocess.run(command, capture_output=True, text=True, check=True, env=ENVIRONMENT).stdout


def pages(tmp_path, pdf, dots=200):
    """Each page as a picture, as a printer of 200 dots an inch would make it."""
    path = tmp_path / "labels.pdf"
    path.write_bytes(pdf)
    asked("pdftoppm", "-r", str(dots), "-png", str(path), str(tmp_path / "page"))
    drawn = []
    for one in sorted(tmp_path.glob("page*.png")):
        with Image.open(one) as page:
            drawn.append(page.copy())
    return path, drawn


@pytest.mark.parametrize(
    "address", [ADDRESS, "http://127.0.0.1:8642/jobs/1/carry", f"https://{'w' * 60}.example:65535/jobs/9"]
)
def test_the_code_opens_the_job(tmp_path, address):
    _, drawn = pages(tmp_path, label_pdf(label(address)))
    assert [[one.text for one in zxingcpp.read_barcodes(page)] for page in drawn] == [[address], [address]]


def test_a_label_says_which_disk_and_both_serials(tmp_path):
    path, drawn = pages(tmp_path, label_pdf(label()))
    first, second = (asked("pdftotext", "-f", str(n), "-l", str(n), str(path), "-") for n in (1, 2))
    for text, which, model in ((first, "Old disk", "Brindle K4 1 TB"), (second, "New disk", "Quillon S2 480 GB")):
        for wanted in (which, model, "YM-0107", "Lending desk PC", "old BK4-00731", "new QS2-4411"):
            assert wanted in text
    assert [round(side / 200 * 25.4) for side in drawn[0].size] == [70, 37]


def test_a_sheet_is_full_of_them(tmp_path):
    path, drawn = pages(tmp_path, label_sheet_pdf(label()))
    assert len(drawn) == 1
    assert [one.text for one in zxingcpp.read_barcodes(drawn[0])] == [ADDRESS] * (ACROSS * DOWN)
    text = asked("pdftotext", str(path), "-")
    assert (text.count("Old disk"), text.count("New disk")) == (12, 12)


def test_long_and_odd_words_stay_on_their_label(tmp_path):
    path, drawn = pages(tmp_path, label_pdf(label(name="Höhe 𝄞 " * 40, model="Brindle " * 30)))
    assert [one.text for one in zxingcpp.read_barcodes(drawn[0])] == [ADDRESS]
    assert "old BK4-00731" in asked("pdftotext", str(path), "-")
