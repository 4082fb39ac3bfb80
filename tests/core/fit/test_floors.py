import pytest

from ylemorph.core.fit.floors import floors_of
from ylemorph.core.fit.options import Headroom
from ylemorph.core.sizes import GiB, MiB

TERMS = {"role": "data", "may_shrink": True, "immovable_bytes": 0, "minimum_bytes": 0}


USUAL = Headroom()


def floors(carried, source, headroom=USUAL, grain=MiB, **terms):
    made = floors_of(carried, source, headroom=headroom, grain=grain, **{**TERMS, **terms})
    return made.hard, made.comfort, made.binding


# Expected values worked out by hand from rules 5.2 to 5.5, in MiB.
@pytest.mark.parametrize(
    ("carried", "source", "terms", "expected"),
    [
        (0, 10 * GiB, {}, (16, 512, "used")),
        (800 * MiB, 10 * GiB, {}, (816, 1312, "used")),  # 2 % of 800 MiB is 16 MiB
        (800 * MiB + 1, 10 * GiB, {}, (817, 1313, "used")),
        (100 * GiB, 400 * GiB, {}, (104_448, 117_760, "used")),  # 102 GiB and 115 GiB
        (10 * GiB, 400 * GiB, {"role": "system"}, (10_445, 15_360, "used")),  # 10.2 GiB; 10 + 5 GiB
        (100 * GiB, 400 * GiB, {"immovable_bytes": 300 * GiB}, (307_200, 307_200, "immovable")),
        (100 * GiB, 400 * GiB, {"immovable_bytes": 101 * GiB}, (104_448, 117_760, "used")),
        (MiB, GiB, {"minimum_bytes": 256 * MiB}, (256, 513, "minimum")),
        (99 * GiB, 100 * GiB, {}, (102_400, 116_583, "source")),  # never over the source; 113.85 GiB
        (10 * GiB, 100 * GiB, {"may_shrink": False}, (102_400, 102_400, "source")),
        (10 * GiB, 100 * GiB + 512, {"may_shrink": False}, (102_401, 102_401, "source")),
        (
            100 * GiB,
            400 * GiB,
            {"shed_bytes": 3 * GiB},
            (101_376, 117_760, "used"),
        ),  # 99 GiB; files need headroom still
        (100 * GiB, 400 * GiB, {"immovable_bytes": 102 * GiB}, (104_448, 117_760, "used")),  # equal: what is used binds
        (100 * GiB, 400 * GiB, {"minimum_bytes": 102 * GiB}, (104_448, 117_760, "used")),
        (100 * GiB, 102 * GiB, {}, (104_448, 117_760, "used")),  # just as large as it may become small
    ],
)
def test_worked_out_by_hand(carried, source, terms, expected):
    assert floors(carried, source, **terms) == expected


def test_headroom_is_a_setting():
    wide = Headroom(hundredths=50_00, system_bytes=GiB, data_bytes=GiB)
    assert floors(100 * GiB, 400 * GiB, wide) == (104_448, 153_600, "used")
    none = Headroom(hundredths=0, system_bytes=0, data_bytes=0)
    assert floors(100 * GiB, 400 * GiB, none) == (104_448, 104_448, "used")
