"""What a disk's own figures say of its health. Common practice, no source."""

from .model import Health, HealthState

WORN_PERCENT = 80  # of the rated writes
MANY_REALLOCATED = 100


def judged(
    *, passed: bool | None, hours: int | None, reallocated: int | None, pending: int | None, worn: int | None
) -> Health:
    """Failing: it says so, sectors wait to be replaced, or many were. Worn: some were, or most writes are used."""
    state: HealthState = "unknown"
    if passed is False or pending or (reallocated or 0) >= MANY_REALLOCATED:
        state = "failing"
    elif reallocated or (worn or 0) >= WORN_PERCENT:
        state = "worn"
    elif passed or any(figure is not None for figure in (reallocated, pending, worn)):
        state = "good"
    return Health(state, hours, reallocated, pending, worn)
