"""The demo: its jobs show every verdict, its bench agrees with its jobs, and loading twice changes nothing."""

import pytest

from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GiB
from ylemorph.demo.load import load_demo
from ylemorph.demo.scenario import jobs as demo_jobs
from ylemorph.stand_ins.attached import Bench
from ylemorph.stand_ins.disks import STAND_INS
from ylemorph.store import closings, jobs, runs
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare


@pytest.fixture
def store(tmp_path):
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


def test_loading_twice_changes_nothing(store, tmp_path):
    bench = Bench(tmp_path / "bench")
    assert load_demo(store, bench) == len(demo_jobs()) + 3
    attached = [disk.stand_in.key for disk in bench.disks() if disk.survey]
    assert attached == ["desk", "blank", "loan"]
    bench.detach("blank")
    assert load_demo(store, bench) == 0
    assert [disk.stand_in.key for disk in bench.disks() if disk.survey] == ["desk", "loan"]
    assert jobs.count(store) == len(demo_jobs()) + 3


def test_one_job_is_finished_one_under_way_and_one_has_a_difference(store):
    load_demo(store)
    by_code = {line.code: line.id for line in jobs.lines(store)}
    finished, differs, going = (by_code[code] for code in ("YM-0098", "YM-0099", "YM-0100"))
    assert closings.closing(store, finished).result == "done"
    assert runs.current(store, finished).step is None

    def found(job):
        state = jobs.get(store, job).state
        plan = make_plan(*state.pair, state.options)
        return [
            d.kind.code for d in check_back(planned_of(plan), closings.checks(store, job)[0].survey.disk).differences
        ]

    assert found(finished) == []
    assert found(differs) == ["row-missing", "size-off", "idle-space"]
    assert runs.under_way(store) == {going: (4, 8)}


def test_every_verdict_is_there():
    verdicts = set()
    for job in demo_jobs():
        source, target = job.source.disk, job.target_disk
        verdicts.add(make_plan(source, target, job.options).verdict)
    assert verdicts == {"comfortable", "tight", "does-not-fit"}


@pytest.mark.parametrize(("key", "code"), [("desk", "YM-0107"), ("reading", "YM-0104"), ("bindery", "YM-0103")])
def test_the_bench_holds_the_disks_of_the_jobs(tmp_path, key, code):
    """Model, serial, size and identity are the same; sizes of the large rows differ by less than a few GiB."""
    bench = Bench(tmp_path)
    bench.attach(key)
    read = bench.read(key).disk
    told = next(job.source.disk for job in demo_jobs() if job.code == code)
    assert (read.model, read.serial, read.sectors) == (told.model, told.serial, told.sectors)
    assert read.table_id.upper() == told.table_id.upper()
    pairs = list(zip(read.rows, told.rows, strict=True))
    assert all(abs(a.sectors - b.sectors) * 512 < 2 * GiB for a, b in pairs)
    used = [(a.filesystem.used_bytes, b.filesystem.used_bytes) for a, b in pairs if a.filesystem and b.filesystem]
    assert all(abs(a - b) < 2 * GiB for a, b in used if b > GiB)


def test_a_disk_of_the_bench_is_planned_like_any_other(tmp_path):
    bench = Bench(tmp_path)
    for key in ("desk", "loan"):
        bench.attach(key)
    plan = make_plan(bench.read("desk").disk, bench.read("loan").disk, Options())
    assert plan.verdict == "comfortable"
    assert {f.code for f in plan.findings} >= {"target-holds-data", "past-new-end"}


def test_an_attached_disk_is_whole_or_not_there(tmp_path, monkeypatch):
    """A full disk while a stand-in is attached leaves nothing behind that could be taken for one."""
    from ylemorph.core.errors import YlemorphError

    def full(*_args):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("ylemorph.stand_ins.attached.unpack", full)
    bench = Bench(tmp_path)
    with pytest.raises(YlemorphError, match="No space left on device"):
        bench.attach("desk")
    assert list(tmp_path.iterdir()) == []
    assert all(disk.survey is None for disk in bench.disks())


def test_what_a_killed_program_left_is_cleared_away(tmp_path):
    (tmp_path / "desk.0badcafe.part").write_bytes(b"half")
    bench = Bench(tmp_path)
    bench.tidy()
    assert list(tmp_path.iterdir()) == []
    bench.attach("reading")
    bench.tidy()
    assert Bench(tmp_path).read("reading").disk.serial == "QS1-2093"


def test_serials_and_keys_are_given_once():
    assert len({s.key for s in STAND_INS}) == len({s.serial for s in STAND_INS}) == len(STAND_INS)
