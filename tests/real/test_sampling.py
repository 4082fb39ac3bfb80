"""A finished disk compared with its source by places drawn at random: equal after a real clone, damage found."""

import json
import random

import pytest

from tests.cli.test_cli import run as ylemorph
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.formats.own.check import read_plan
from ylemorph.formats.own.plan import plan_to_json
from ylemorph.probe.disks import survey_path
from ylemorph.probe.media.medium import CannotRead, Part
from ylemorph.probe.media.opening import open_medium
from ylemorph.probe.sampling.draw import draw, units_in_use
from ylemorph.probe.sampling.used import used_of
from ylemorph.usecases.sampling import sampled

from .jobs import BASIC, EFI, LINUX, Job, Row, digest
from .test_hands import DEEP, Bench
from .test_script import NEEDED
from .volumes import MIB, present, run, sparse

pytestmark = pytest.mark.skipif(not present(*NEEDED), reason=f"{', '.join(NEEDED)} are needed")

SMALLER = Job(
    "smaller", "straight", (
        Row("fat16", 24, "start", EFI), Row("ntfs", 160, "system", BASIC), Row("ext4", 200, "data", LINUX),
    ), 260, Options(),
)  # fmt: skip
DRAWS = 200 if DEEP else 40
LARGER = SMALLER._replace(name="larger", target=520, options=Options(headroom=Headroom(0, 0, 0)))


class Done:
    """A job that the script carried out, and its check."""

    def __init__(self, job, work):
        self.job, self.bench = job, Bench(job, work)
        done = self.bench.go()
        assert done.returncode == 0, done.stderr
        self.planned = read_plan(plan_to_json(self.bench.plan).encode())

    def check(self, share=1.0, chance=None, source=None):
        found = self.bench.target
        checked = check_back(self.planned, survey_path(found).disk)
        return sampled(
            self.planned, checked, str(found), str(source or self.bench.made.image), share, chance or random.Random(1)
        )


@pytest.fixture(scope="module", params=[SMALLER, LARGER], ids=lambda job: job.name)
def done(request, tmp_path_factory):
    return Done(request.param, tmp_path_factory.mktemp(request.param.name) / "work")


def differing(checked):
    return [one for one in checked.differences if one.key == "places-differ"]


def test_after_a_real_clone_every_place_is_equal(done):
    """Made smaller or larger by the real resizers; all that is in use is looked at."""
    before = (digest(done.bench.made.image), digest(done.bench.target))
    checked = done.check(share=0.001)
    assert differing(checked) == []
    rows, said = checked.compared[:-1], checked.compared[-1]
    assert [line.split(":")[0] for line in rows] == ["Start (1)", "System (2)", "Data (3)"]
    assert all("all equal" in line for line in rows)
    assert all(int(line.split(": ")[1].split()[0].replace(",", "")) > 100 for line in rows)
    assert said == "All that stands alike on both was compared."
    assert done.check().compared[-1].endswith("of what stands alike on both would have been seen with 99% confidence.")
    assert (digest(done.bench.made.image), digest(done.bench.target)) == before


def used_places(path, row, kind):
    """Where files lie in a row, by 4 KiB from the disk's start."""
    partition = next(p for p in survey_path(path).disk.rows if p.number == row)
    with open_medium(path) as medium:
        part = Part(medium, partition.first_lba * 512, partition.sectors * 512)
        used = used_of(part, kind)
        units = draw(used, units_in_use(used), 1 << 40, random.Random(1))
        return [part.start + used.at + unit * used.unit for unit in units if not used.is_own(unit)]


@pytest.mark.parametrize(("row", "kind"), [(2, "ntfs"), (3, "ext4")] if DEEP else [(2, "ntfs")])
def test_damage_of_one_percent_is_found_as_often_as_is_said(done, row, kind):
    """Many draws, each of so many places that damage of one percent is missed once in a hundred times."""
    if done.job is SMALLER:
        assert " moved by packing, " in done.check().compared[2]  # most of it: these places tell nothing
        return
    places = used_places(done.bench.target, row, kind)
    chance = random.Random(5)
    other = {n: len(used_places(done.bench.target, n, k)) for n, k in ((2, "ntfs"), (3, "ext4"))}
    wanted = sum(other.values()) // 100
    hit = chance.sample(places[:: max(1, len(places) // 4000)], wanted)
    kept = {}
    with done.bench.target.open("r+b") as disk:
        for place in hit:
            disk.seek(place)
            kept[place] = disk.read(512)
            disk.seek(place)
            disk.write(chance.randbytes(512))
    try:
        seen = [differing(done.check(share=1.0, chance=random.Random(n))) for n in range(DRAWS)]
    finally:
        with done.bench.target.open("r+b") as disk:
            for place, data in kept.items():
                disk.seek(place)
                disk.write(data)
    assert sum(bool(found) for found in seen) >= DRAWS * 49 // 50
    assert {one.row for found in seen for one in found} == {row}
    assert differing(done.check()) == []


def test_the_command_says_it_and_ends_with_its_code(done, tmp_path, capsys):
    plan = tmp_path / "plan.json"
    plan.write_text(plan_to_json(done.bench.plan))
    words = ["check", str(plan), str(done.bench.target), "--with", str(done.bench.made.image)]
    status, out, _ = ylemorph(capsys, *words)
    assert status == 0, out
    assert "places compared, all equal" in out
    told = json.loads(ylemorph(capsys, *words, "--format", "json", "--share", "5")[1])
    assert len(told["compared"]) == 4
    at = used_places(done.bench.target, 2, "ntfs")[-60]
    with done.bench.target.open("r+b") as disk:
        disk.seek(at)
        kept = disk.read(60 * 4096)
        disk.seek(at)
        disk.write(random.Random(3).randbytes(60 * 4096))
        disk.flush()
        status, out, _ = ylemorph(capsys, *words, "--share", "0.01")
        disk.seek(at)
        disk.write(kept)
    assert (status, "contents-differ" in out, "hold other bytes" in out) == (1, True, True)
    for share in ("0", "51", "x"):
        assert ylemorph(capsys, *words, "--share", share)[0] == 2


def test_what_cannot_be_compared_is_refused(done, tmp_path):
    for source, words in (
        (done.bench.target, "the finished disk itself"),
        (done.bench.script, "only an image or a device"),
        (tmp_path / "none.img", "only an image or a device"),
        (sparse(tmp_path / "other.img", 300 * MIB), "not the source of the plan"),
    ):
        with pytest.raises(YlemorphError, match=words):
            done.check(source=source)
    other = tmp_path / "same.img"
    sparse(other, done.bench.made.image.stat().st_size)
    run("sfdisk", "--quiet", other, send="label: gpt\n\nstart=2048, size=4096\n")
    with pytest.raises(YlemorphError, match="another identity"):
        done.check(source=other)


def test_places_of_the_source_that_cannot_be_read_are_left_out(done, monkeypatch):
    """A source with bad places: these are counted apart; on the target they would be differences."""
    real = Part.read
    start = next(p for p in survey_path(done.bench.made.image).disk.rows if p.number == 2).first_lba * 512
    places = {place - start for place in used_places(done.bench.made.image, 2, "ntfs")[-3000:]}

    def read(part, offset, length):
        if part.start == start and offset in places:
            raise CannotRead("the disk does not give its bytes")
        return real(part, offset, length)

    monkeypatch.setattr(Part, "read", read)
    checked = done.check()
    assert " not given by the source" in checked.compared[1]
    assert differing(checked) == []


@pytest.mark.parametrize("disk", ["source", "target"])
def test_a_bitmap_that_cannot_be_read_is_said(done, disk, monkeypatch):
    """Its descriptors point outside: found only while the bits are read."""
    path = done.bench.made.image if disk == "source" else done.bench.target
    partition = next(p for p in survey_path(path).disk.rows if p.number == 3)
    at = partition.first_lba * 512 + 2048  # the first group's descriptor, at blocks of 1 KiB
    with path.open("r+b") as file:
        file.seek(at)
        kept = file.read(8)
        file.seek(at)
        file.write(b"\xff\xff\xff\x7f" * 2)
        file.flush()
        checked = done.check()
        file.seek(at)
        file.write(kept)
    assert [line.split(":")[0] for line in checked.unknown if "place by place" in line or "in use" in line] == [
        "Data (3)"
    ]
    assert len(checked.compared) == 3
