"""The film's pixels, and durations written as the server writes them."""

import random

import pytest

from tests.make import desk
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.carry.facts import Facts
from ylemorph.core.carry.times import duration
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB
from ylemorph.formats.own.steps import film_to_data

HEIGHT = 300


@pytest.fixture(scope="module")
def carrying():
    plan = make_plan(desk(), nominal_disk(480 * GB), Options())
    return carry_out(plan, Facts(workspace=2**50), "through-image")


def disks(carrying):
    return [{"name": name, "sectors": shape.sectors} for name, shape in carrying.sequence.disks.items()]


def test_every_frame_shows_what_stands_there(node, carrying):
    film = film_to_data(carrying.film)
    calls = [("filmColumns", film, frame.step, disks(carrying), HEIGHT) for frame in carrying.film]
    for frame, columns in zip(carrying.film, node(*calls), strict=True):
        for column in columns:
            shown = {(block["row"], block["first_lba"], block["sectors"]) for block in column["blocks"]}
            stands = frame.contents[column["disk"]]
            assert shown == {(c.row, c.extent.start, c.extent.length) for c in stands}


def test_what_a_step_moves_is_lit_and_nothing_before_the_first(node, carrying):
    film = film_to_data(carrying.film)
    frames = node(*[("filmColumns", film, n, disks(carrying), HEIGHT) for n in range(len(film))])
    lit = [sum(block["lit"] for column in columns for block in column["blocks"]) for columns in frames]
    writes = [step.kind in ("copy", "shrink", "grow", "move", "read") for step in carrying.sequence.steps]
    assert lit == [0, *map(int, writes)]


def test_all_disks_stand_on_one_scale_and_small_rows_are_seen(node, carrying):
    film = film_to_data(carrying.film)
    (columns,) = node(("filmColumns", film, len(film) - 1, disks(carrying), HEIGHT))
    heights = {column["disk"]: column["height"] for column in columns}
    assert heights["source"] == heights["image"] == pytest.approx(HEIGHT)
    assert heights["target"] == pytest.approx(HEIGHT * 480 / 1000, rel=0.01)
    for column in columns:
        bottom = 0
        for block in column["blocks"]:
            assert block["height"] >= 4
            assert block["y"] >= bottom - 1e-6
            bottom = block["y"] + block["height"]
        assert bottom <= column["height"] + 1e-6


def test_sums_so_far(node):
    steps = [{"write_bytes": 5}, {"write_bytes": None}]
    assert node(*[("soFar", steps, n) for n in (0, 1, 2)]) == [0, 5, None]


def test_durations_are_written_as_the_server_writes_them(node):
    rng = random.Random(5)
    seconds = [0, 1, 59, 60, 89, 90, 5369, 5370, 5399, 5400, 86399, *(rng.randrange(10**6) for _ in range(500))]
    assert node(*[("duration", n) for n in seconds]) == [duration(n) for n in seconds]


def test_the_axis_goes_from_the_least_to_the_most(node):
    assert node(("onAxis", 60, 60, 3600), ("onAxis", 3600, 60, 3600), ("onAxis", 5, 60, 3600)) == [0, 1, 0]
    (half,) = node(("onAxis", 600, 60, 6000))
    assert half == pytest.approx(0.5)
    assert node(("marks", 60, 7200)) == [[600, 3600]]
