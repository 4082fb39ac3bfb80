"""Where an error says that it stands, when what holds it is named too."""

import pytest

from ylemorph.core.errors import BadSurvey


@pytest.mark.parametrize(
    ("at", "said"),
    [("size", "disk.size"), ("[3].size", "disk[3].size"), ("", "disk")],
)
def test_a_place_in_front_of_the_place(at, said):
    error = BadSurvey("it is off", at=at, mend="mend it").under("disk")
    assert (type(error), error.sentence()) == (BadSurvey, f"{said}: it is off; mend it")


def test_a_sentence_without_a_place_or_a_way_out():
    assert BadSurvey("it\nis off").sentence() == "it is off"
