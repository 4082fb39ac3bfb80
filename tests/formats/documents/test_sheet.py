"""The work sheet: read by poppler's utilities (pdftotext, pdffonts, pdfinfo), as a printer or a phone would read it."""

import re
import subprocess

import pytest

from tests.make import desk, fs, row_of
from tests.real.volumes import ENVIRONMENT, present
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM, MICROSOFT_RESERVED, RECOVERY
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.documents.sheet import Heading, sheet_pdf

pytestmark = pytest.mark.skipif(not present("pdftotext", "pdffonts"), reason="poppler-utils are needed")
ALL = Facts(both_attached="yes", change_source="yes", workspace=2**50, backup="yes", backup_size=200 * GiB)


def sheet(tmp_path, source, way="straight", target=480, heading=Heading("Lending desk PC", "YM-0107", "Lending desk")):  # noqa: B008
    carrying = carry_out(make_plan(source, nominal_disk(target * GB), Options()), ALL, way)
    path = tmp_path / "sheet.pdf"
    path.write_bytes(sheet_pdf(carrying, heading))
    return carrying, path


def asked(*command):
    return subprocess.run(command, capture_output=True, text=True, check=True, env=ENVIRONMENT).stdout


def test_the_sheet_holds_the_job(tmp_path):
    source = desk(model="Brindle K4", serial="BK4-00731")
    carrying, path = sheet(tmp_path, source)
    text = " ".join(asked("pdftotext", "-layout", str(path), "-").split())
    for wanted in (
        "Lending desk PC · YM-0107 · Lending desk", "BK4-00731", "1 TB, shows as 932 GiB", "480 GB, shows as 447 GiB",
        "206209", "422316032", "New size 206209 MiB (422316032 sectors)", "Take off 223871 MiB",
        "rehearsed: nothing lost", "The machine was shut down fully", "The system is still activated", "page 1 of 1",
    ):  # fmt: skip
        assert wanted in text, wanted
    for number in range(1, len(carrying.sequence.steps) + 1):
        assert f"{number}. " in text


def test_fonts_are_embedded_and_there_is_one_page(tmp_path):
    _, path = sheet(tmp_path, desk())
    fonts = asked("pdffonts", str(path)).splitlines()[2:]
    assert len(fonts) == 3
    assert all("IBMPlex" in line and line.split()[-5:-2] == ["yes", "yes", "yes"] for line in fonts)
    assert re.search(r"Pages:\s+1\b", asked("pdfinfo", str(path)))


@pytest.mark.parametrize("way", ["straight", "through-image", "shrink-first"])
def test_eight_rows_take_two_pages_at_most(tmp_path, way):
    data = [(100 * GiB, BASIC_DATA, fs(used=20 * GiB, label=f"Branch {n}"), {"role": "data"}) for n in range(5)]
    source = row_of(
        (260 * MiB, EFI_SYSTEM, fs("fat32", 30 * MiB)), (16 * MiB, MICROSOFT_RESERVED, None), *data,
        (980 * MiB, RECOVERY, fs(used=500 * MiB)), label_gb=1000,
    )  # fmt: skip
    _, path = sheet(tmp_path, source, way)
    pages = int(re.search(r"Pages:\s+(\d+)", asked("pdfinfo", str(path)))[1])
    assert pages <= 2


def test_names_of_any_kind_do_no_harm(tmp_path):
    label = "Ъ ä ą λ 目録 \U0001f642 \x07 \u202e"
    source = row_of((100 * GiB, BASIC_DATA, fs(used=20 * GiB, label=label), {"role": "data"}), label_gb=480)
    _, path = sheet(tmp_path, source, heading=Heading("目録 Catalogue", "", "x" * 400))
    text = asked("pdftotext", str(path), "-")
    assert "Ъ ä ą λ ??" in text
    assert "??\nCatalogue" in text
