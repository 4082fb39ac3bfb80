"""Options from what was typed or sent, and back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.make import desk
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.options import FITS, Headroom, Options, Tail
from ylemorph.core.sizes import GB, GiB, MiB
from ylemorph.formats.own.options import options_from, options_to_data
from ylemorph.formats.own.targets import target_from_text

SOURCE, TARGET = desk(), nominal_disk(480 * GB)


def read(**data):
    return options_from(data, SOURCE, TARGET)


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        ({}, Options()),
        ({"fit": "snug", "grow": None}, Options(fit="snug")),
        ({"pin": {"4": "1GiB", "3": 5}}, Options(pins=((3, 5), (4, GiB)))),
        ({"pin": ["3=2048s"]}, Options(pins=((3, MiB),))),
        ({"pin": ["3 = 50%"]}, Options(pins=((3, 457_861 * MiB // 2),))),
        ({"headroom": "12.5%"}, Options(headroom=Headroom(1250))),
        ({"headroom": 0, "headroom_system": 0, "headroom_data": "1GiB"}, Options(headroom=Headroom(0, 0, GiB))),
        ({"tail": "10%"}, Options(tail=Tail(0, 1000))),
        ({"tail": 0}, Options()),
        ({"role": ["3=data"]}, Options(roles=((3, "data"),))),
        ({"leave": ["4", 5]}, Options(leave=frozenset((4, 5)))),
        ({"grain": "64KiB"}, Options(grain_bytes=65_536)),
        ({"order": [5, 4]}, Options(order=(5, 4))),
    ],
)
def test_read(data, expected):
    assert read(**data) == expected


@pytest.mark.parametrize(
    "data",
    [
        {"fitt": "snug"}, {"fit": "SNUG"}, {"grow": "three"}, {"grow": -1.0}, {"leave": 4}, {"leave": [None]},
        {"pin": "3=1GiB"}, {"pin": ["=1GiB"]}, {"pin": ["3="]}, {"pin": {"3": None}}, {"pin": {"3": 1.5}},
        {"pin": {"3": "1GiB", "03": "2GiB"}}, {"headroom": 1001}, {"headroom": "12.345"}, {"headroom": True},
        {"headroom": "inf"}, {"tail": "101%"}, {"tail": -1}, {"tail": []}, {"grain": "100"}, {"grain": "2GiB"},
        {"table": "GPT"}, {"order": [3, 3]}, {"role": {"3": 7}}, {"role": 3},
    ],
)  # fmt: skip
def test_refused_in_one_sentence(data):
    with pytest.raises(YlemorphError) as caught:
        read(**data)
    assert caught.value.at.startswith("options")
    assert caught.value.mend
    assert "\n" not in str(caught.value)


numbers = st.frozensets(st.integers(1, 5), max_size=3)
pairs = st.dictionaries(st.integers(1, 5), st.integers(0, 2**62), max_size=3).map(lambda d: tuple(sorted(d.items())))


@given(
    st.builds(
        Options,
        fit=st.sampled_from(FITS),
        grow=st.none() | st.integers(1, 5),
        pins=pairs,
        lighten=pairs,
        leave=numbers,
        hold=numbers,
        elastic=numbers,
        cleared=numbers,
        headroom=st.builds(Headroom, st.integers(0, 100_000), st.integers(0, 2**40), st.integers(0, 2**40)),
        tail=st.builds(Tail, st.integers(0, 100 * GiB), st.just(0)),
        free_after=st.none() | st.integers(1, 5),
        order=st.permutations((1, 2, 3)).map(tuple),
        grain_bytes=st.sampled_from((4096, MiB, 4 * MiB)),
    )
)
def test_what_is_written_reads_back_equal(options):
    assert options_from(options_to_data(options), SOURCE, TARGET) == options


@pytest.mark.parametrize(
    ("text", "sector", "sectors"),
    [
        ("480GB", 512, 937_703_088), ("480 gb", 512, 937_703_088), ("1TB", 512, 1_953_525_168),
        ("0.5TB", 512, 976_773_168), ("1.92TB", 512, 97_696_368 + 1_953_504 * 1870), ("50GB", 4096, 12_212_046),
        ("32GB", 512, 62_500_000), ("937703088s", 512, 937_703_088), ("447GiB", 512, 447 * GiB // 512),
    ],
)  # fmt: skip
def test_targets_that_are_only_a_size(text, sector, sectors):
    disk = target_from_text(text, sector)
    assert (disk.sectors, disk.logical_sector_bytes) == (sectors, sector)


@pytest.mark.parametrize("text", ["", "480", "50%", "0GB", "100B", "1.5s", "0s", "-1GB", "9999999999TB", "many"])
def test_sizes_that_are_no_target(text):
    with pytest.raises(YlemorphError):
        target_from_text(text)
