"""Which disk is meant: what is asked to confirm it, and what confirms it."""

import pytest

from ylemorph.core.disk.compare import confirmation, confirms
from ylemorph.core.disk.model import Disk

OLD = Disk(1000, model="Brindle K4", serial="BK4-00731")


@pytest.mark.parametrize(
    ("typed", "serial", "other", "meant"),
    [
        ("0731", "BK4-00731", None, True),
        ("bk4 00731", "BK4-00731", None, True),  # the whole serial, as a scanner types it
        ("BK4-00731", "BK4-00731", OLD, False),  # both have it: it tells nothing
        ("QS2-4411", "QS2-4411", OLD, True),
        ("4411", "QS2-4411", OLD, True),
        ("2441", "QS2-4411", OLD, False),
        ("S2-4411", "QS2-4411", OLD, False),
        ("0731", "QS2-0731", OLD, False),  # both end alike: the whole is asked for
        ("QS2-0731", "QS2-0731", OLD, True),
        ("", "QS2-4411", OLD, False),
        ("--", "QS2-4411", OLD, False),
        ("a1", "A1", OLD, False),  # too short to tell anything
    ],
)
def test_the_last_four_or_the_whole_serial_confirm_a_disk(typed, serial, other, meant):
    assert confirms(typed, Disk(1000, model="Quillon S2", serial=serial), other) is meant


def test_what_is_asked_for_always_confirms():
    for disk in (OLD, Disk(1000, model="Quillon S2", serial="A1"), Disk(937_703_088), Disk(9, serial="BK4-00731")):
        assert confirms(confirmation(disk, OLD), disk, OLD)
