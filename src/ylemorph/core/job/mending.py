"""Which change of a job carries a remedy out."""

from typing import assert_never

from ..disk.usual_sizes import nominal_disk
from ..fit.options import Tail
from ..fit.plan import Plan
from ..fit.remedies import Remedy
from ..sizes import GB, Bytes
from .change import Change
from .disk_changes import SetTarget
from .row_changes import ClearEnd, HoldRow, Leave, Lighten, SetFit, SetOption
from .state import SizedTarget


def change_for(plan: Plan, remedy: Remedy) -> Change | None:  # noqa: PLR0911  # one for each kind
    """The change that makes ``plan`` better as the remedy says; None where it takes more than one change, or the source
    itself must be mended."""
    match remedy.kind:
        case "fit":
            assert remedy.fit is not None
            return SetFit(remedy.fit)
        case "lighten":
            return Lighten(_row(remedy), Bytes(dict(plan.options.lighten).get(_row(remedy), 0) + remedy.bytes))
        case "leave":
            return Leave((_row(remedy),))
        case "leave-set":
            return Leave(remedy.rows)
        case "clear":
            return ClearEnd(_row(remedy))
        case "tail":
            left = Tail(bytes=Bytes(plan.frame.tail * plan.frame.grain_bytes - remedy.bytes))
            return SetOption("tail", left, f"{left.bytes}B")
        case "shelf":
            sector = plan.target.logical_sector_bytes
            return SetTarget(SizedTarget(f"{remedy.bytes // GB}GB", nominal_disk(Bytes(remedy.bytes), sector)))
        case "stay":
            return HoldRow(remedy.rows[0]) if len(remedy.rows) == 1 else None
        case "table":
            return SetOption("table", remedy.table, remedy.table)
        case "identity":
            return SetOption("identity", "as-needed", "as-needed")
        case "repair":
            return None
        case _:
            assert_never(remedy.kind)


def _row(remedy: Remedy) -> int:
    assert remedy.row is not None  # remedies of these kinds are about a row
    return remedy.row
