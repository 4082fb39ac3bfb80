"""What would help one machine of a fleet, where its disk does not fit."""

import pytest

from tests.make import fs, row_of
from ylemorph.core.buy.assess import Target, assess
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.roles import BASIC_DATA
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Headroom, Options
from ylemorph.core.sizes import GB, GiB

SMALL = Target("480 GB", nominal_disk(480 * GB))
USUAL = Headroom()
WIDE = Headroom(hundredths=1000_00)  # so much that no usual size is comfortable


def remedy(used, *, label_gb, fit="proportional", state="clean", headroom=USUAL):
    row = (label_gb * GB // GiB * GiB - GiB, BASIC_DATA, fs(used=used, state=state), {"role": "data"})
    survey = Survey(row_of(row, label_gb=label_gb))
    (line,) = assess(survey, [SMALL], [fit], Options(fit=fit, headroom=headroom)).lines
    return line.outcome.verdict, line.remedy


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"used": 600 * GiB}, ("does-not-fit", "take 960GB")),
        ({"used": 6000 * GiB, "label_gb": 8000, "headroom": WIDE}, ("does-not-fit", "take 8TB")),
        ({"used": 420 * GiB}, ("tight", "comfortable from 960 GB")),
        (
            {"used": 600 * GiB, "state": "dirty"},
            ("does-not-fit", "make Data (1) fit to be resized and survey it again"),
        ),
        ({"used": 40 * GiB, "fit": "same"}, ("does-not-fit", "use Proportional")),
        ({"used": 40 * GiB}, ("comfortable", "")),
    ],
)
def test_what_would_help(given, said):
    assert remedy(**{"label_gb": 4000} | given) == said


def test_a_machine_of_which_nothing_is_known_has_no_free_space_to_tell():
    survey = Survey(row_of((100 * GiB, BASIC_DATA, None, {"role": "unknown"}), label_gb=120))
    (line,) = assess(survey, [SMALL], ["same"], Options(fit="same")).lines
    assert (line.outcome.verdict, line.outcome.system_free_bytes) == ("comfortable", None)
