"""Every kind of step with its record; the type checker names the place that a new kind is missing from."""

from typing import assert_never

from ..sizes import Units
from . import disk_steps, row_steps
from .ground import Ground
from .sequence import Step, StepKind, WayKey
from .step_record import StepRecord
from .told import Told, Words


def record_of(kind: StepKind) -> StepRecord:  # noqa: PLR0911  # one for each kind
    match kind:
        case "read":
            return disk_steps.READ
        case "copy":
            return row_steps.COPY
        case "shrink":
            return row_steps.SHRINK
        case "grow":
            return row_steps.GROW
        case "move":
            return row_steps.MOVE
        case "table":
            return disk_steps.TABLE
        case "cut":
            return disk_steps.CUT
        case "mend-table":
            return disk_steps.MEND_TABLE
        case "make":
            return row_steps.MAKE
        case "check":
            return row_steps.CHECK
        case "identity":
            return disk_steps.IDENTITY
        case _:
            assert_never(kind)


def words_of(ground: Ground, way: WayKey, step: Step, units: Units = "binary") -> Words:
    """A step in words: what it does, what must be true before it, and what can be undone after it."""
    return record_of(step.kind).words(Told(ground, way, step, units))
