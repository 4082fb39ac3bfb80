"""Every kind of step with its record."""

from typing import get_args

from typing_extensions import TypeIs

from ..sizes import Units
from . import disk_steps, row_steps
from .ground import Ground
from .sequence import RowStepKind, Step, StepKind, WayKey
from .step_record import StepRecord
from .told import Told, Words

ROW_STEP_KINDS: tuple[RowStepKind, ...] = get_args(RowStepKind)


def record_of(kind: StepKind) -> StepRecord:
    return row_steps.record_of(kind) if _is_about_a_row(kind) else disk_steps.record_of(kind)


def _is_about_a_row(kind: StepKind) -> TypeIs[RowStepKind]:
    return kind in ROW_STEP_KINDS


def words_of(ground: Ground, way: WayKey, step: Step, units: Units = "binary") -> Words:
    """A step in words: what it does, what must be true before it, and what can be undone after it."""
    return record_of(step.kind).words(Told(ground, way, step, units))
