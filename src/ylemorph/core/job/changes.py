"""The closed set of changes to a job, each a value, and the one way to make one: ``apply``.

A change carries figures, never text: what a person typed is read before, under the state that it is applied to. A new
change is one class, named here under its key.
"""

from ..errors import OutOfBounds
from ..fit.layout import Layout, Prepared
from ..fit.options import Options
from ..fit.plan import make_plan
from ..sizes import div_up, format_size
from .amendments import ListLightened, SetDiskSize, SetImmovableEnd, SetUsed
from .bench_changes import ChooseWay, SetFact
from .change import Applied, Change
from .disk_changes import Confirm, Describe, SameDisk, SetSource, SetTarget
from .row_changes import (
    Carry,
    ClearEnd,
    HoldRow,
    Leave,
    Lighten,
    MoveRow,
    Release,
    Reset,
    SetFit,
    SetGrowth,
    SetOption,
    SetRole,
    TakeRest,
)
from .size_changes import Drag, Pin, Unpin
from .state import JobState

CHANGES: dict[str, type[Change]] = {
    change.key: change
    for change in (
        Describe, SetSource, SetTarget, SameDisk, Confirm, SetDiskSize, SetUsed, SetImmovableEnd, ListLightened, SetFit,
        TakeRest, Pin, Unpin, Drag, Leave, Carry, HoldRow, Release, SetRole, Lighten, SetGrowth, ClearEnd, MoveRow,
        SetOption, Reset, SetFact, ChooseWay,
    )
}  # fmt: skip


def apply(state: JobState, change: Change) -> Applied:
    """The job after ``change``. Raises BadOption, BadSurvey, BadSize or OutOfBounds where it cannot be made.

    What is wanted of the plan must be possible; another disk or fact may come, even where options do not suit it.
    """
    made = change.make(state)
    source, target = made.state.source_disk, made.state.target_disk
    if source is None or made.state.options == state.options or isinstance(change, SetSource | SetTarget | SameDisk):
        return made
    try:
        prepared = Prepared(source, made.state.options)
        layout = prepared.on(target) if target is not None else None
    except OutOfBounds as error:
        raise OutOfBounds(error.problem, at="size", mend=error.mend, bound_bytes=error.bound_bytes) from None
    if layout is not None and isinstance(change, Pin | Drag):
        _leaves_room(state, change, made.state.options, layout)
    return made._replace(layout=layout)


def _leaves_room(before: JobState, change: "Pin | Drag", options: Options, layout: Layout) -> None:
    """A size set by hand must leave the other rows what they need, unless it did not fit before either."""
    if layout.verdict != "does-not-fit" or make_plan(*before.pair, before.options).verdict == "does-not-fit":
        return
    size, grain = dict(options.pins).get(change.row, 0), options.grain_bytes
    most = div_up(size, grain) * grain - layout.shortfall_bytes
    raise OutOfBounds(
        f"{format_size(size)} leaves the other rows {format_size(layout.shortfall_bytes)} too little",
        at="size",
        mend=f"give at most {format_size(most)}",
        bound_bytes=most,
    )
