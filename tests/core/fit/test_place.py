"""Where rows stand (rule 7), in grains."""

import pytest

from ylemorph.core.disk.model import Disk
from ylemorph.core.fit.frame import frame_of
from ylemorph.core.fit.options import Options, Tail
from ylemorph.core.fit.place import place
from ylemorph.core.sizes import MiB

PRIMARY = [False, False, False]


def placed(sizes, logical=PRIMARY, free_after=None, tail=0):
    # 102 MiB and a GPT: grains 1 to 100 are usable.
    frame = frame_of(Disk(102 * 2048), "gpt", Options(tail=Tail(tail * MiB)))
    made = place(frame, sizes, logical, free_after)
    return [tuple(e) for e in made.rows], [tuple(e) for e in made.unallocated]


@pytest.mark.parametrize(
    ("sizes", "more", "rows", "gaps"),
    [
        ((10, 20, 30), {}, [(1, 11), (11, 31), (31, 61)], [(61, 101)]),
        ((10, 20, 70), {}, [(1, 11), (11, 31), (31, 101)], []),
        ((10, 20, 30), {"free_after": 0}, [(1, 11), (51, 71), (71, 101)], [(11, 51)]),
        ((10, 20, 30), {"free_after": 2}, [(1, 11), (11, 31), (31, 61)], [(61, 101)]),
        ((10, 20, 30), {"free_after": 0, "tail": 5}, [(1, 11), (46, 66), (66, 96)], [(11, 46), (96, 101)]),
        ((10, 20, 30), {"free_after": 2, "tail": 5}, [(1, 11), (11, 31), (31, 61)], [(61, 101)]),
        ((10, 20, 65), {"tail": 5}, [(1, 11), (11, 31), (31, 96)], [(96, 101)]),
        ((10, 20, 30), {"logical": [False, True, True]}, [(1, 11), (12, 32), (33, 63)], [(63, 101)]),
        ((10, 20, 68), {"logical": [False, True, True]}, [(1, 11), (12, 32), (33, 101)], []),
    ],
)
def test_by_hand(sizes, more, rows, gaps):
    assert placed(sizes, **more) == (rows, gaps)
