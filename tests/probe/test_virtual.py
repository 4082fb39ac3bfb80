"""Images of virtual disks and packed ones: read as the disk in them, or refused in one sentence, never taken as raw."""

import gzip
import json
import os
import random
import shutil
import subprocess
import tarfile
import zipfile
from contextlib import suppress
from dataclasses import replace

import pytest

from tests.lacking import here_alone
from ylemorph.cli import main
from ylemorph.core.disk.containers import CONTAINERS
from ylemorph.core.errors import BadSurvey, YlemorphError
from ylemorph.formats.listings.reading import read_any
from ylemorph.probe.disks import survey_path
from ylemorph.probe.media.opening import open_below, open_medium
from ylemorph.usecases.disks import read_disk

DEEP = os.environ.get("HYPOTHESIS_PROFILE") == "deep"
needs_utility = pytest.mark.skipif(not shutil.which("qemu-img"), reason="the utility is not installed")
# By its driver, and for each how it lies: as it is written, and with all of its room.
FORMS = {
    "qcow2": "", "qcow2 -o preallocation=full": "", "qcow2 -c": "", "vmdk": "", "vmdk -o subformat=monolithicFlat": "",
    "vmdk -o subformat=streamOptimized": "", "vpc -o force_size=on": "", "vpc -o subformat=fixed,force_size=on": "",
    "vhdx": "", "vhdx -o subformat=fixed": "", "vdi": "", "vdi -o static=on": "", "qed": "",
}  # fmt: skip
BACKED = {"qcow2": "qcow2", "qed": "qed", "vmdk": "vmdk", "vpc": None, "vhdx": None, "vdi": None}

pytestmark = here_alone  # the utility is reached by a socket that not every system has


def made(raw, place, form):
    driver, *more = form.split()
    command = ["qemu-img", "convert", "-f", "raw", "-O", driver, *more, raw, place]
    subprocess.run([str(part) for part in command], check=True, capture_output=True)
    return place


def of(path):
    return replace(survey_path(path), taken="")


@needs_utility
@pytest.mark.parametrize("form", [form for form in FORMS if DEEP or "preallocation" not in form])
def test_a_virtual_disk_is_the_disk_in_it(image, tmp_path, form):
    raw = image("disk-8-gib")
    assert of(made(raw, tmp_path / "desk.image", form)) == of(raw)


@needs_utility
def test_nothing_is_left_behind(image, tmp_path, monkeypatch):
    monkeypatch.setenv("TMPDIR", str(tmp_path / "tmp"))
    monkeypatch.setattr("tempfile.tempdir", None)
    (tmp_path / "tmp").mkdir()
    virtual = made(image("disk-mbr-logicals"), tmp_path / "till.qcow2", "qcow2")
    before = set(os.listdir("/proc/self/fd"))
    with open_medium(virtual) as medium:
        assert medium.read(510, 2) == b"\x55\xaa"
        with pytest.raises(YlemorphError), open_medium(tmp_path):
            pass
        process = medium._process
        assert process.poll() is None
    assert set(os.listdir("/proc/self/fd")) == before
    assert not list((tmp_path / "tmp").iterdir())
    assert process.poll() is not None


@needs_utility
@pytest.mark.parametrize("driver", [driver for driver, able in BACKED.items() if able])
def test_what_rests_on_a_file_that_nobody_named_is_refused(image, tmp_path, driver):
    base = made(image("disk-mbr-logicals"), tmp_path / "base", driver)
    over = tmp_path / "over"
    command = ["qemu-img", "create", "-q", "-f", driver, "-b", str(base), "-F", driver, str(over)]
    subprocess.run(command, check=True)
    with pytest.raises(
        YlemorphError, match=r"rests on another file; make a raw image of it: qemu-img convert .* over "
    ):
        survey_path(over)


@needs_utility
def test_data_in_another_file_are_refused_unless_they_lie_flat_beside(image, tmp_path):
    raw = image("disk-mbr-logicals")
    outside = made(raw, tmp_path / "till.qcow2", f"qcow2 -o data_file={tmp_path / 'data'}")
    with pytest.raises(YlemorphError, match="rests on another file"):
        survey_path(outside)
    with pytest.raises(YlemorphError, match="stand in other files"):
        survey_path(made(raw, tmp_path / "many.vmdk", "vmdk -o subformat=twoGbMaxExtentSparse"))
    flat = made(raw, tmp_path / "till.vmdk", "vmdk -o subformat=monolithicFlat")
    assert read_disk(str(flat)).disk == of(raw).disk
    with open_below(tmp_path, (tmp_path / "till.vmdk").relative_to(tmp_path)) as medium:
        assert medium.size == raw.stat().st_size
    text = flat.read_text()
    for instead, words in (
        ('"../secret"', "in other files"), ('"/etc/passwd"', "in other files"), ('"gone"', "gone is not beside it"),
        ('"link"', "link is not beside it"), ('"short"', "short is shorter"), ('"till.vmdk"', "till.vmdk is shorter"),
    ):  # fmt: skip
        (tmp_path / "short").write_bytes(bytes(512))
        if not (tmp_path / "link").is_symlink():
            (tmp_path / "link").symlink_to(raw)
        flat.write_text(text.replace('"till-flat.vmdk"', instead))
        with pytest.raises(YlemorphError, match=words):
            survey_path(flat)
    flat.write_text(text.replace("parentCID=ffffffff", "parentCID=12345678"))
    with pytest.raises(YlemorphError, match="in other files"):
        survey_path(flat)


@needs_utility
def test_a_description_inside_that_names_other_files_is_refused(image, tmp_path):
    """Without a capacity of its own such an image is what its description says (VMDK specification, from memory)."""
    virtual = made(image("disk-mbr-logicals"), tmp_path / "till.vmdk", "vmdk")
    data = bytearray(virtual.read_bytes())
    data[12:20] = bytes(8)
    virtual.write_bytes(data)
    with pytest.raises(YlemorphError, match="rests on another file"):
        survey_path(virtual)


@needs_utility
@pytest.mark.parametrize("driver", ["qcow2", "vmdk", "vpc", "vhdx", "vdi", "qed"])
def test_one_whose_end_is_missing_is_refused(image, tmp_path, driver):
    """The utility would give zeros for it: bitmaps of nothing used."""
    virtual = made(image("disk-mbr-logicals"), tmp_path / "till", driver)
    os.truncate(virtual, virtual.stat().st_size * 3 // 4)
    with pytest.raises(YlemorphError, match=r"whose end is missing|cannot read"):
        survey_path(virtual)


@needs_utility
def test_damaged_ones_end_in_one_sentence(image, tmp_path):
    random.seed(24)
    whole = {driver: made(image("disk-mbr-logicals"), tmp_path / driver, driver).read_bytes() for driver in BACKED}
    for _ in range(200 if DEEP else 12):
        driver = random.choice(list(whole))
        data = bytearray(whole[driver])
        for _ in range(random.randint(1, 8)):
            at = random.randrange(4, random.choice((600, 70_000, len(data) - 8)))
            data[at : at + random.randint(1, 8)] = random.randbytes(random.randint(1, 8))
        place = tmp_path / "damaged"
        place.write_bytes(data)
        with suppress(YlemorphError):
            survey_path(place)


@pytest.mark.parametrize("form", ["qcow2", "vmdk"])
@needs_utility
def test_without_the_utility_one_sentence_says_so(image, tmp_path, monkeypatch, form):
    virtual = made(image("disk-mbr-logicals"), tmp_path / "till", form)
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(YlemorphError, match="qemu-img and qemu-nbd are not there to read it; make a raw image of it"):
        survey_path(virtual)


def packed(raw, tmp_path):
    """What packs, the file it makes, and what unpacks it."""
    data = raw.read_bytes()[: 2 << 20]
    (tmp_path / "a.gz").write_bytes(gzip.compress(data))
    for name in ("xz", "zstd", "bzip2"):
        if shutil.which(name):
            ran = subprocess.run([name, "-c"], input=data, capture_output=True, check=True)
            (tmp_path / f"a.{name}").write_bytes(ran.stdout)
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        archive.writestr("desk.img", data)
    with tarfile.open(tmp_path / "a.tar", "w") as archive:
        archive.add(raw, "desk.img", filter=lambda one: one if one.size < 2**40 else None)
    return sorted(tmp_path.glob("a.*"))


def test_packed_images_are_refused_with_what_unpacks_them(image, tmp_path):
    small = tmp_path / "raw"
    small.write_bytes(image("disk-mbr-logicals").read_bytes()[: 2 << 20])
    files = packed(small, tmp_path)
    assert len(files) >= 3
    for place in files:
        with pytest.raises(YlemorphError, match=r"not a disk; make a raw image of it: .* a\.\w+ > disk\.img"):
            survey_path(place)
        with pytest.raises(YlemorphError, match="not a disk"):
            read_disk(str(place))
        with pytest.raises(BadSurvey, match="not a listing; unpack it first"):
            read_any(place.read_bytes())


@needs_utility
def test_a_fleet_reads_what_it_can_and_names_the_rest(image, tmp_path, capsys):
    folder = tmp_path / "fleet"
    folder.mkdir()
    made(image("disk-mbr-logicals"), folder / "till.qcow2", "qcow2")
    (folder / "desk.img.gz").write_bytes(gzip.compress(bytes(4096)))
    assert main(["fleet", str(folder), "--target", "480GB", "--format", "json"]) == 0
    text = capsys.readouterr()
    assert "packed by gzip" in text.out + text.err
    assert {line["machine"] for line in json.loads(text.out)["lines"]} == {"till"}
    with pytest.raises(BadSurvey, match="a QCOW2 image, not a listing; give it to `ylemorph survey"):
        read_any((folder / "till.qcow2").read_bytes()[:4096])


@pytest.mark.parametrize("mark", [one for one in CONTAINERS if one.driver], ids=lambda one: one.magic[:8].hex())
@pytest.mark.parametrize("length", [12, 100, 513, 4096])
def test_a_mark_with_little_or_nonsense_behind_is_said(tmp_path, mark, length):
    place = tmp_path / "piece"
    place.write_bytes((bytes(mark.offset) + mark.magic + b"\xff" * 4096)[:length])
    with pytest.raises(YlemorphError):
        survey_path(place)


@needs_utility
def test_where_no_folder_can_be_made_it_is_said(image, tmp_path, monkeypatch):
    virtual = made(image("disk-mbr-logicals"), tmp_path / "till", "qcow2")
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path / "nowhere"))
    with pytest.raises(YlemorphError, match="no room for what reads it"):
        survey_path(virtual)
