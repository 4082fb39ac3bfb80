"""What the screens compute themselves: sizes as text, and where things stand in pixels."""

import random
from itertools import pairwise

import pytest

from tests.size_texts import SIZE_TEXTS
from ylemorph.core.sizes import format_size


def test_sizes_are_written_as_the_server_writes_them(node):
    calls = [("sizeText", size, units) for size, _, _ in SIZE_TEXTS for units in ("binary", "decimal")]
    assert node(*calls) == [text for _, *texts in SIZE_TEXTS for text in texts]


def test_both_write_alike_whatever_the_size(node):
    rng = random.Random(7)
    sizes = [rng.randrange(10 ** rng.randint(1, 15)) for _ in range(2000)]
    sizes += [n * 5 * 10**e for n in range(1, 400) for e in (2, 5, 8, 9)]
    for units in ("binary", "decimal"):
        assert node(*[("sizeText", size, units) for size in sizes]) == [format_size(size, units) for size in sizes]


@pytest.mark.parametrize(
    ("bytes_", "height", "expected"),
    [
        ([100, 100], 200, [100, 100]),
        ([300, 100], 200, [150, 50]),
        ([1, 999], 1000, [7, 993]),  # none under the least height; what it gains the large one gives
        ([0, 0], 10, [5, 5]),
        ([], 100, []),
    ],
)
def test_heights_are_true_but_for_the_least(node, bytes_, height, expected):
    (found,) = node(("heights", bytes_, height))
    assert found == pytest.approx(expected)
    assert sum(found) == pytest.approx(height if bytes_ else 0)


def test_heights_never_fall_under_the_least_and_add_up(node):
    rng = random.Random(3)
    cases = [[rng.randrange(10 ** rng.randint(1, 13)) for _ in range(rng.randint(1, 20))] for _ in range(200)]
    for case, found in zip(cases, node(*[("heights", case, 400) for case in cases]), strict=True):
        assert sum(found) == pytest.approx(400)
        assert min(found) >= 7 - 1e-6
        order = sorted(range(len(case)), key=lambda i: case[i])
        assert all(found[a] <= found[b] + 1e-6 for a, b in pairwise(order))
