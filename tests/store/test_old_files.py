"""A data file of the version before opens, is migrated with a copy kept beside it, and shows the same plans."""

import json
import lzma
from contextlib import closing
from pathlib import Path

import pytest

from ylemorph.core.fit.plan import make_plan
from ylemorph.store import history, jobs, settings
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.store.preparing import prepare

OLD = Path(__file__).parent / "old"
PLANS = json.loads((OLD / "version-2.json").read_text())


@pytest.fixture
def store(tmp_path):
    (tmp_path / FILE_NAME).write_bytes(lzma.decompress((OLD / "version-2.sqlite3.xz").read_bytes()))
    connection = connect(prepare(tmp_path))
    yield connection
    connection.close()


def test_the_jobs_of_the_version_before(store, tmp_path):
    assert (tmp_path / "ylemorph.before-0003.sqlite3").is_file()
    assert store.execute("PRAGMA user_version").fetchone()[0] >= 3
    assert len(jobs.lines(store)) == len(PLANS) + 1
    assert settings.read(store) == {"headroom": 20.0}


@pytest.mark.parametrize("job_id", PLANS)
def test_the_same_plans(store, job_id):
    job, expected = jobs.get(store, int(job_id)), PLANS[job_id]
    plan = make_plan(*job.state.pair, job.state.options)
    assert (plan.verdict, plan.fit) == (expected["verdict"], expected["fit"])
    for row, (number, role, change, first, sectors, hard, comfort) in zip(plan.rows, expected["rows"], strict=True):
        assert (row.number, row.role, row.change) == (number, role, change)
        assert (row.first_lba, row.sectors, row.comfort_floor_bytes) == (first, sectors, comfort)
        if row.kind.startswith("ext"):
            assert row.hard_floor_bytes >= hard  # the least that its resizer accepts was not known then
        else:
            assert row.hard_floor_bytes == hard


def test_changes_go_on_and_back_past_the_migration(store):
    job = jobs.get(store, 7)
    assert job.state.options.leave == {5}
    back = jobs.undo(store, 7, None)
    assert jobs.undo(store, 7, back.version).state.options.lighten == job.state.options.lighten
    assert [entry.change for entry in history.entries(store, 7)] == [None] * 6


def test_each_open_job_says_once_that_its_identity_is_read_anew(store, tmp_path):
    def said(job):
        return [entry.sentence for entry in history.entries(store, job)].count(
            "Identity as needed from now on: kept where a system goes over, new where none does"
        )

    told = {line.id: said(line.id) for line in jobs.lines(store)}
    assert set(told.values()) == {0, 1}
    for job, times in told.items():
        state = jobs.get(store, job).state
        assert times == (state.source is not None)
        assert state.options.identity == "as-needed"
    store.close()
    prepare(tmp_path)  # and not again
    with closing(connect(tmp_path / FILE_NAME)) as again:
        assert history.entries(again, 7)[0].sentence.startswith("Identity as needed")
        assert not history.entries(again, 7)[1].sentence.startswith("Identity as needed")
        before = jobs.undo(again, 7, None).state
        assert before == jobs.get(again, 7).state
