"""Rule 11: rates and ranges, and the times that the trade tells of."""

from fractions import Fraction

import pytest

from tests.make import disk, fs, part
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.times import (
    MB,
    Learned,
    Path,
    Rate,
    Span,
    added,
    between,
    duration,
    granted,
    learned_from,
    rate_of,
    reached,
    spent,
    time_left,
    time_range,
    turns,
    widened_by,
)
from ylemorph.core.disk.model import Disk
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB, GiB, MiB

MINUTE, HOUR = 60, 3600


def test_the_slowest_of_disk_and_link_counts():
    turning = Disk(1000, link="sata", rotational=True)
    assert rate_of(turning) == Rate(60 * MB, 180 * MB)
    assert rate_of(turning, "usb2") == Rate(35 * MB, 35 * MB)
    assert rate_of(Disk(1000, link="sata", rotational=False)) == Rate(400 * MB, 550 * MB)
    assert rate_of(Disk(1000, link="nvme", rotational=False)) == Rate(800 * MB, 3000 * MB)
    assert rate_of(turning).along(Rate(110 * MB, 110 * MB)) == Rate(60 * MB, 110 * MB)


def test_what_was_measured_goes_before_and_what_nobody_says_is_taken_for_granted():
    measured = Disk(1000, rotational=True, read_rates=(90 * MB, 120 * MB, 100 * MB))
    assert rate_of(measured) == Rate(90 * MB, 120 * MB)
    swift = Disk(1000, rotational=False, read_rates=(2000 * MB, 2500 * MB))
    assert rate_of(swift) == Rate(2000 * MB, 2500 * MB)  # the usual link is taken for what nobody measured
    assert rate_of(measured, "usb2") == Rate(35 * MB, 35 * MB)
    assert rate_of(measured, medium="solid state") == Rate(400 * MB, 550 * MB)
    assert rate_of(Disk(1000)) == Rate(400 * MB, 550 * MB)
    assert rate_of(Disk(1000), "usb3", "hard disk") == Rate(60 * MB, 180 * MB)
    assert [granted(Disk(1000, **more)) for more in (
        {}, {"link": "usb3"}, {"rotational": True}, {"link": "nvme"}, {"link": "sata", "rotational": False},
    )] == ["a solid-state disk on SATA", "a solid-state disk", "on SATA", "", ""]  # fmt: skip
    assert granted(Disk(1000), "usb3", "hard disk") == granted(measured) == ""
    assert granted(Disk(1000), "nvme") == ""
    assert (turns(measured), turns(measured, "solid state"), turns(Disk(9)), turns(Disk(9), "hard disk")) == (
        True, False, False, True,
    )  # fmt: skip


def test_the_example_of_the_theory():
    """Two steps of 100 s, the source 20 s less to 40 s more in each, the copier 30 s more in one."""
    steps = (
        Span(100_000, (("source", 20_000, 40_000),)),
        Span(100_000, (("source", 20_000, 40_000), ("copier", 0, 30_000))),
    )
    assert added(*steps).seconds == (160, 286)  # 200 + root of 80 x 80 + 30 x 30 = 285.4
    apart = Span(100_000, (("own", 20_000, 40_000),))
    assert added(apart, apart).seconds == (171, 257)  # roots of 2 x 20 x 20 and 2 x 40 x 40


def test_a_range_by_hand():
    # 90 GB at 50 to 200 MB/s, in the middle 100: 900 s; at 80.6 % 1116 s; the disk makes it 558 to 2233, the copier
    # 900 to 1385: 1116 less root of 558 x 558 + 216 x 216, and more root of 1117 x 1117 + 268 x 268.
    path = Path((("source", Rate(50 * MB, 200 * MB)), ("target", Rate(300 * MB, 300 * MB))))
    assert spent(90 * GB, path).seconds == (517, 2265)
    # Of two disks the slower one counts, and the other one only where it may be slower.
    both = Path((("source", Rate(50 * MB, 200 * MB)), ("target", Rate(50 * MB, 200 * MB))))
    assert spent(90 * GB, both).seconds == (900, 2719)
    # What is not known takes from nothing up to the most that it can be, a quarter in the middle.
    assert spent(None, path, (1000, 1000), 9 * GB).seconds == (0, 90)
    assert spent(None, path) == Span()


def test_files_are_reached_one_by_one():
    turning = Path((("source", Rate(100 * MB, 100 * MB)),), turning=True)
    assert reached(100_000, 0, turning).seconds == (800, 1500)
    assert reached(100_000, 0, turning._replace(turning=False)).seconds == (5, 20)
    # Not counted: one each 256 KiB up to 150,000, then one each 8 MiB; 8/3 times either way.
    assert reached(None, 262_144 * 1000, turning).seconds == (3, 40)
    assert reached(None, 80 * GiB, turning).middle == 160_240 * 10_954 // 1000


def test_what_has_a_cause_of_its_own_lies_between_its_ends():
    assert between(15, 600).seconds == (15, 600)
    assert between(5, 5).seconds == (5, 5)
    assert between(0, 9).seconds == (0, 9)


def test_what_is_learned_by_hand():
    """1.2, 1.5, 2, 2.2 and 9 times the nominal: quartiles 1.5 and 2.2, wherever the outlier lies (rule 11.3)."""
    ratios = [Fraction(n, 10) for n in (12, 22, 90, 15, 20)]
    assert learned_from(ratios) == Learned((1000 * 10 // 22, 1000 * 10 // 15), 5)
    assert learned_from([*ratios[:2], Fraction(900), *ratios[3:]]) == learned_from(ratios)
    assert learned_from(ratios[:4]) is None
    # Eight: positions 1.75 and 5.25 of the sorted ones
    eight = [Fraction(n) for n in (1, 2, 3, 4, 5, 6, 7, 8)]
    assert learned_from(eight).shares == (int(1000 / Fraction(25, 4)), int(1000 / Fraction(11, 4)))


def test_a_learned_range_is_the_middle_half_of_the_nominal_time():
    source = disk(
        2**29, part(1, MiB, 200 * GiB, BASIC_DATA, fs(used=90 * GB), role="data"), rotational=True, link="sata"
    )
    plan = make_plan(source, nominal_disk(480 * GB).but(link="usb3", rotational=False), Options(fit="same"))
    facts = Facts(both_attached="yes")
    usual, learned = (carry_out(plan, facts, "straight", learned=one) for one in (None, Learned((500, 800), 7)))
    # 90 GB at 180 MB/s are 500 s; at 80 % and 50 % of that 625 s and 1000 s, and 2 to 30 s beside
    copy = next(step for step in learned.sequence.steps if step.kind == "copy")
    assert 625 <= copy.seconds[0] <= 10 + 625
    assert 1000 <= copy.seconds[1] <= 30 + 1000
    assert learned.way.seconds[1] * usual.way.seconds[0] < usual.way.seconds[1] * learned.way.seconds[0]  # narrower
    assert (learned.times_from, usual.times_from) == ("from 7 finished jobs", "common practice")
    assert learned.ground.bench_kind == "turning sata, solid usb3"


@pytest.mark.parametrize(
    ("seconds", "text"),
    [((20, 20), "20 s"), ((20, 50), "20 to 50 s"), ((45, 3000), "45 s to 50 min"), ((75, 3000), "1 to 50 min"),
     ((1200, 3000), "20 to 50 min"),
     ((4200, 7200), "70 min to 2 h"), ((7200, 10800), "2 to 3 h"), ((6000, 9000), "1 h 40 min to 2 h 30 min")],
)  # fmt: skip
def test_ranges_read_well(seconds, text):
    assert time_range(seconds) == text


def test_durations_are_rounded_to_what_one_plans_by():
    assert [duration(n) for n in (0, 59, 60, 89, 90, 5399, 5400, 86400)] == [
        "0 s",
        "59 s",
        "1 min",
        "1 min",
        "2 min",
        "1 h 30 min",
        "1 h 30 min",
        "24 h",
    ]


def cloned(used, size, way="straight", *, source, room="unknown"):
    """The whole of a clone of one partition with ``used`` bytes; ``room``: what an image or a backup lies on."""
    made = disk(
        size // 512 + 2**21, part(1, MiB, size, BASIC_DATA, fs(used=used), role="data"), rotational=True, link=source
    )
    onto = nominal_disk(2000 * GB).but(link="sata", rotational=False)
    facts = Facts(workspace=2**50, both_attached="yes", backup="yes", backup_size=used, workspace_medium=room)
    carrying = carry_out(make_plan(made, onto, Options(fit="same")), facts, way)
    return carrying.way.seconds


# Common practice, no source: times that technicians told of; each lies inside the range that is shown.
@pytest.mark.parametrize(
    ("told", "low", "high"),
    [
        # 30 GB over USB 3 from a laptop's hard disk: 20 to 25 min
        (cloned(30 * GB, 100 * GiB, source="usb3"), 20 * MINUTE, 25 * MINUTE),
        # 35 GB restored in 8 min, as from a backup on a hard disk, which is where most lie
        (cloned(35 * GB, 100 * GiB, "restore", source="sata", room="hard disk"), 8 * MINUTE, 8 * MINUTE),
        # 90 GB in 40 min to 2 h
        (cloned(90 * GB, 300 * GiB, source="sata"), 40 * MINUTE, 2 * HOUR),
        # a 1 TB disk, nearly full, in 2.5 to 3 h
        (cloned(950 * GB, 925 * GiB, source="sata"), 150 * MINUTE, 3 * HOUR),
    ],
)
def test_what_the_trade_tells_lies_inside_the_range(told, low, high):
    assert told[0] <= low <= high <= told[1]
    assert told[1] < 8 * told[0]


@pytest.mark.parametrize(
    ("passed", "left"),
    [(0, "10 to 20 min"), (300, "5 to 15 min"), (600, "0 s to 10 min"), (1199, "0 to 1 s"), (1200, ""), (9000, "")],
)
def test_what_is_left_of_a_range(passed, left):
    assert time_left((600, 1200), passed) == left


def test_a_range_is_wide_for_the_cause_that_swings_it_most():
    def made(low, high, cause="files"):
        return Span(10_000, ((cause, 10_000 - low, high - 10_000), ("copier", 10, 10)))

    assert widened_by(made(5_000, 19_900)) is None
    assert widened_by(made(5_000, 22_000)) == "files"
    assert widened_by(made(5_000, 22_000, "source")) == "source"
    assert widened_by(added(made(9_000, 12_000), Span(1000, (("unknown", 1000, 50_000),)))) == "unknown"
    assert widened_by(Span()) is None


def test_a_wide_range_says_what_would_narrow_it():
    def wide(used, **more):
        source = disk(2**29, part(1, MiB, 100 * GiB, BASIC_DATA, fs(used=used), role="data"), **more)
        plan = make_plan(source, nominal_disk(480 * GB), Options(fit="proportional"))
        return carry_out(plan, Facts(both_attached="yes"), "straight").wide

    assert wide(60 * GiB, rotational=False, link="sata") == ""
    assert wide(60 * GiB, rotational=True) == "Nobody counted the files: read the source here, which counts them."
    assert wide(GiB) == "What the utilities themselves take makes most of so short a job."
