import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.size_texts import SIZE_TEXTS
from ylemorph.core.errors import BadSize
from ylemorph.core.sizes import GB, GiB, MiB, TiB, format_size, nominal_sectors, parse_size

# IDEMA document LBA1-03; values from memory.
IDEMA = [
    (50, 97_696_368), (120, 234_441_648), (240, 468_862_128), (250, 488_397_168), (256, 500_118_192),
    (480, 937_703_088), (500, 976_773_168), (512, 1_000_215_216), (960, 1_875_385_008), (1000, 1_953_525_168),
    (2000, 3_907_029_168), (4000, 7_814_037_168),
]  # fmt: skip


@pytest.mark.parametrize(("label", "sectors"), IDEMA)
def test_nominal_sizes(label, sectors):
    assert nominal_sectors(label * GB, 512) == sectors


@pytest.mark.parametrize(
    ("label_bytes", "sector", "sectors"),
    [
        (50 * GB, 4096, 12_212_046),
        (51 * GB, 4096, 12_456_234),
        (32 * GB, 512, 62_500_000),  # under 50 GB: 32 x 10^9 / 512
        (49 * GB, 4096, 11_962_890),  # 49 x 10^9 / 4096 = 11 962 890.6
        (1920 * GB, 512, 97_696_368 + 1_953_504 * 1870),
    ],
)
def test_nominal_sizes_elsewhere(label_bytes, sector, sectors):
    assert nominal_sectors(label_bytes, sector) == sectors


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        # IEC 80000-13
        ("1KiB", 1024), ("1 kB", 1000), ("1MiB", 1024**2), ("1MB", 10**6), ("240GiB", 240 * GiB), ("480GB", 480 * GB),
        ("2TiB", 2 * TiB), ("2TB", 2 * 10**12),
        ("20G", 20 * GiB), ("513 MiB", 513 * MiB), ("100m", 100 * MiB), ("1.5GiB", 3 * GiB // 2), (".5K", 512),
        ("7", 7), ("0", 0), (" 12 b ", 12), ("4s", 4 * 512), ("50%", 500),
    ],
)  # fmt: skip
def test_read(text, expected):
    assert parse_size(text, sector=512, whole=1000) == expected


@pytest.mark.parametrize(
    "text", ["", "x", "-1", "++5", "12 parsecs", "1,5GiB", "0x10", "1e9", "GiB", "9" * 400, "9000000T", "1 2", "٣GiB"]
)
def test_refused(text):
    with pytest.raises(BadSize) as caught:
        parse_size(text)
    assert len(str(caught.value)) < 160
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("text", ["5s", "5%"])
def test_refused_without_a_base(text):
    with pytest.raises(BadSize):
        parse_size(text)


@pytest.mark.parametrize(
    ("size", "units", "text"),
    [
        (0, "binary", "0 B"), (999, "binary", "999 B"), (1023, "binary", "1023 B"), (1024, "binary", "1 KiB"),
        (260 * MiB, "binary", "260 MiB"), (201 * GiB, "binary", "201 GiB"), (int(70.3 * GiB), "binary", "70.3 GiB"),
        (1000 * GiB, "binary", "1000 GiB"), (1024 * GiB, "binary", "1 TiB"), (9999 * MiB // 10, "binary", "1000 MiB"),
        (480 * GB, "decimal", "480 GB"), (999_999_999, "decimal", "1 GB"), (2**63 - 1, "binary", "8 EiB"),
        (-5 * GiB, "binary", "-5 GiB"), (int(9.994 * GiB), "binary", "9.99 GiB"),
        (int(9.996 * GiB), "binary", "10 GiB"),
    ],
)  # fmt: skip
def test_written(size, units, text):
    assert format_size(size, units) == text


@given(st.integers(0, 2**63 - 1), st.sampled_from(("binary", "decimal")))
def test_what_is_written_reads_back_within_its_digits(size, units):
    back = parse_size(format_size(size, units)) if size < 2**62 else size
    assert abs(back - size) * 180 <= size


@pytest.mark.parametrize(("size", "binary", "decimal"), SIZE_TEXTS)
def test_the_table_that_the_screens_share(size, binary, decimal):
    assert (format_size(size), format_size(size, "decimal")) == (binary, decimal)
