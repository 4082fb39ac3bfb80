"""What a disk says of itself, and what follows from it."""

import pytest

from ylemorph.core.disk.health import judged

NOTHING = {"passed": None, "hours": None, "reallocated": None, "pending": None, "worn": None}


@pytest.mark.parametrize(
    ("said", "state"),
    [
        ({}, "unknown"),
        ({"hours": 41_000}, "unknown"),
        ({"passed": True}, "good"),
        ({"reallocated": 0}, "good"),
        ({"pending": 0}, "good"),
        ({"worn": 79}, "good"),
        ({"worn": 80}, "worn"),
        ({"reallocated": 1}, "worn"),
        ({"reallocated": 99}, "worn"),
        ({"reallocated": 100}, "failing"),
        ({"pending": 1, "passed": True}, "failing"),
        ({"passed": False, "worn": 0}, "failing"),
    ],
)
def test_what_it_says_makes_its_state(said, state):
    assert judged(**NOTHING | said).state == state
