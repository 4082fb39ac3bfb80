"""The exact smallest disk against a scan over sizes, and the ladder's marks (rules 2 and 6)."""

import pytest
from hypothesis import given

from tests.make import desk, disk, fs, part, row_of, sources, wishes
from ylemorph.core.buy.assess import FleetLine, Target, assess, best_of
from ylemorph.core.buy.least import grains_needed, least_sectors
from ylemorph.core.buy.verdicts import FITTING, Outcome, ladder, looked_at, outcome
from ylemorph.core.disk.model import Disk, Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk, shelf_disks
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.layout import Prepared
from ylemorph.core.fit.options import FITS, Options, Tail
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB


def verdict_on(prepared, sectors, sector=512):
    try:
        return prepared.on(Disk(sectors, sector, 4096)).verdict
    except YlemorphError:
        return None


@given(sources(), wishes(desk()))
def test_the_least_size_is_the_first_of_a_scan(source, wish):
    """Grain by grain around the answer, and sector by sector at the answer; where there is none, no size gives it."""
    options = Options(fit=wish.fit, tail=wish.tail, grain_bytes=wish.grain_bytes)
    prepared = Prepared(source, options)
    for wanted in ("tight", "comfortable"):
        least = least_sectors(prepared, wanted)
        if least is None:
            # Nothing from the least disk that takes the rows up to one with many times the room.
            base = least_sectors(prepared, "tight") or source.sectors
            tried = [verdict_on(prepared, base * share // 4) for share in (4, 5, 6, 8, 12, 20, 80)]
            assert prepared.table == "mbr" or not any(wanted in FITTING.get(verdict, ()) for verdict in tried)
            continue
        grain = options.grain_bytes // 512
        scanned = [*range(least - 40 * grain, least, grain), least - 1, least]
        good = [n for n in scanned if n > 0 and wanted in FITTING.get(verdict_on(prepared, n), ())]
        assert good[:1] == [least], wanted


@pytest.mark.parametrize(("table", "sector"), [("gpt", 512), ("gpt", 4096), ("mbr", 512)])
def test_every_size_in_grains_of_a_small_disk(table, sector):
    """All of them, from nothing to twice the source."""
    source = disk(
        700 * 2048, part(1, MiB, 300 * MiB, "0x07", fs(used=100 * MiB), role="data"),
        part(2, 301 * MiB, 300 * MiB, "0x07", fs(used=50 * MiB), role="data"), table=table,
    )  # fmt: skip
    for fit in FITS:
        prepared = Prepared(source, Options(fit=fit, tail=Tail(hundredths=700)))
        for wanted in ("tight", "comfortable"):
            scan = (n for n in range(1, 2200 * MiB // sector, MiB // sector // 8)
                    if wanted in FITTING.get(verdict_on(prepared, n, sector), ()))  # fmt: skip
            first = next(scan, None)
            least = least_sectors(prepared, wanted, sector=sector)
            assert (first is None) == (least is None), (fit, wanted)
            if first is not None:
                assert first - MiB // sector // 8 < least <= first


def test_no_size_is_comfortable_where_rows_keep_a_size_that_is_not():
    full = row_of((100 * GiB, BASIC_DATA, fs(used=98 * GiB), {"role": "data"}), label_gb=120)
    assert grains_needed(Prepared(full, Options(fit="same")), "comfortable") is None
    assert grains_needed(Prepared(full, Options()), "comfortable") is not None
    assert grains_needed(Prepared(full, Options(leave=frozenset((1,)))), "tight") is None


def test_an_mbr_ends_where_it_ends():
    """2^32 sectors (UEFI specification, Legacy Master Boot Record): no disk gives more than 2 TiB."""
    wide = disk(2**32, part(1, MiB, 2047 * GiB, "0x07", fs(used=2040 * GiB), role="data"), table="mbr")
    prepared = Prepared(wide, Options())
    assert least_sectors(prepared, "tight") <= 2**32
    assert least_sectors(prepared, "comfortable") is None
    assert least_sectors(Prepared(wide, Options(table="gpt")), "comfortable") > 2**32


def test_a_ladder_has_the_plan_s_verdicts_and_marks_the_first_of_each():
    prepared = Prepared(desk(), Options())
    disks = [disk for _, disk in shelf_disks(512)]
    rungs = ladder(prepared, reversed(disks))
    assert [rung.disk for rung in rungs] == disks
    for rung in rungs:
        plan = make_plan(desk(), rung.disk, Options())
        assert rung.outcome.verdict == plan.verdict
        assert rung.outcome.shortfall_bytes == plan.shortfall_bytes
        system = next(row for row in plan.rows if row.role == "system")
        assert rung.outcome.system_free_bytes == system.free_after_bytes
    words = [rung.outcome.verdict for rung in rungs]
    assert [rung.smallest for rung in rungs if rung.smallest] == ["tight", "comfortable"]
    assert rungs[words.index("tight")].smallest == "tight"
    assert rungs[words.index("comfortable")].smallest == "comfortable"
    larger = [disk for disk in disks if disk.sectors >= rungs[words.index("comfortable")].disk.sectors]
    assert [rung.smallest for rung in ladder(prepared, larger)][:2] == ["comfortable", None]


def test_what_is_gained_is_the_free_space_of_the_whole_disk():
    """Worked by hand: everything goes over, so it is the larger disk less the smaller, but for tables."""
    source = desk()
    prepared = Prepared(source, Options())
    made = outcome(prepared.on(nominal_disk(2000 * GB)), looked_at(prepared))
    assert abs(made.gained_bytes - (nominal_disk(2000 * GB).size_bytes - source.size_bytes)) < 4 * MiB
    assert prepared.carried[looked_at(prepared).place].number == 3


def test_the_best_verdict_on_each_target():
    def line(target, verdict):
        return FleetLine(target, "same", Outcome(verdict, 0, 0, None, None), "", "")

    lines = [line(0, "tight"), line(0, "comfortable"), line(0, "does-not-fit"), line(1, None), line(2, "does-not-fit")]
    assert best_of(lines, 4) == ("comfortable", None, "does-not-fit", None)


@pytest.mark.parametrize(("target", "remedy"), [(480, "use Proportional"), (240, "take 1TB"), (120, "take 1TB")])
def test_what_is_offered_in_a_list(target, remedy):
    """The desk's two rows hold 227 GiB: the same sizes need 1 TB, in proportion half a disk is enough."""
    made = assess(Survey(desk()), [Target("x", nominal_disk(target * GB))], ("same",), Options())
    (only,) = made.lines
    assert (only.outcome.verdict, only.remedy) == ("does-not-fit", remedy)
