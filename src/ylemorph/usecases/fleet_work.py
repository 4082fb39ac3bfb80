"""What one process works out of a fleet: surveys as they are kept, each against all targets under all fits."""

import json
from collections.abc import Sequence
from typing import NamedTuple

from ..core.buy.assess import Assessed, FleetLine, LeastSizes, Target, assess
from ..core.buy.verdicts import Outcome
from ..core.errors import YlemorphError
from ..core.fit.options import Fit, Options
from ..formats.own.survey import survey_from_kept


class Against(NamedTuple):
    """The same for every machine of a fleet."""

    targets: tuple[Target, ...]
    fits: tuple[Fit, ...]
    options: Options


Made = list[tuple[int, Assessed]]


def work_out(items: Sequence[tuple[int, str]], work: Against) -> Made:
    """Each machine's number with what there is to say of it; one that cannot be worked out says why in its lines."""
    return [(number, _one(body, work)) for number, body in items]


def _one(body: str, work: Against) -> Assessed:
    try:
        survey = survey_from_kept(json.loads(body))
    except (YlemorphError, ValueError, TypeError, KeyError):
        return _nothing(work, "its survey is damaged; take it out and read it again")
    try:
        return assess(survey, *work)
    except YlemorphError as error:
        disk = survey.disk
        return _nothing(work, error.sentence(), disk.serial, disk.table_id, survey.taken, disk.size_bytes)


def _nothing(
    work: Against, why: str, serial: str = "", table_id: str = "", taken: str = "", source_bytes: int = 0
) -> Assessed:
    none = Outcome(None, 0, 0, None, None)
    lines = tuple(FleetLine(place, fit, none, why, "") for place in range(len(work.targets)) for fit in work.fits)
    needs = (LeastSizes(None, None),) * len(work.fits)
    best = (None,) * len(work.targets)
    return Assessed(serial, table_id, taken, source_bytes, 0, 0, 0, needs, lines, best)
