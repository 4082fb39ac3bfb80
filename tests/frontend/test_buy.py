"""Geometry of the ladder, the growth picture and the histogram: bytes and days against pixels."""

import pytest


def offer(name, verdict, size=0):
    return {"name": name, "verdict": verdict, "size_bytes": size}


def test_the_ladder_shows_the_rungs_around_the_two_lines(node):
    words = ["does-not-fit"] * 5 + ["tight"] * 2 + ["comfortable"] * 6
    offers = [offer(f"d{place}", word) for place, word in enumerate(words)]
    (shown, with_chosen, none) = node(
        ("around", offers, ""), ("around", offers, "d12"), ("around", [offer("a", "does-not-fit")] * 9, "")
    )
    assert [one["name"] for one in shown] == [f"d{place}" for place in range(2, 10)]
    assert [one["name"] for one in with_chosen][-1] == "d12"
    assert len(none) == 4


def row(**more):
    lasting = {"full": "2028-11-23", "headroom": None, "per_year_bytes": 50, "low_bytes": 40, "high_bytes": 60}
    return {
        "size_bytes": 200, "limit_bytes": 170, "used_bytes": 100, "lasting": lasting,
        "readings": [{"day": "2024-11-23", "used_bytes": 0}, {"day": "2026-11-23", "used_bytes": 100}], **more,
    }  # fmt: skip


def test_growth_is_drawn_to_scale(node):
    """Readings two years apart and the day it is full two years on: equal widths, equal heights."""
    (drawn, unknown, flat) = node(
        ("picture", row(), "2026-11-23", 300, 100), ("picture", row(lasting=None), "2026-11-23", 300, 100),
        ("picture", row(lasting={**row()["lasting"], "full": None}), "2026-11-23", 300, 100),
    )  # fmt: skip
    first, now = drawn["readings"]
    assert first["x"] == 0
    assert drawn["full"] - now["x"] == pytest.approx(now["x"] - first["x"], abs=1)
    assert first["y"] - now["y"] == pytest.approx(now["y"] - drawn["size"], abs=0.5)
    assert drawn["size"] < drawn["limit"] < now["y"]
    assert len(drawn["band"]) == 3
    assert (unknown, flat["full"]) == (None, None)


def test_the_histogram_has_equal_widths_for_equal_ratios_and_keeps_names_apart(node):
    bins = [{"from_bytes": 2**n, "to_bytes": 2 ** (n + 1), "machines": n - 30} for n in range(32, 38)]
    models = [{"name": f"Quillon {n}", "size_bytes": 2**36 + n * 10**9} for n in range(3)]
    (shape,) = node(("shape", bins, models, 800, 100))
    widths = {round(bar["width"], 3) for bar in shape["bars"]}
    assert len(widths) == 1
    assert [bar["height"] for bar in shape["bars"]] == pytest.approx([n * 100 / 7 for n in range(2, 8)])
    assert [model["row"] for model in shape["models"]] == [0, 1, 2]
    bar = next(bar for bar in shape["bars"] if bar["bin"]["from_bytes"] == 2**36)
    assert shape["models"][0]["x"] == pytest.approx(bar["x"])
