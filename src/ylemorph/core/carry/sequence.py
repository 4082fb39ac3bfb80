"""Steps as values: what stands where, what is done to it, and where it must end. LBAs are half-open extents."""

from dataclasses import dataclass
from hashlib import sha256
from typing import Literal, NamedTuple, get_args

from ..sizes import Extent
from .times import Span

DiskName = Literal["source", "image", "target"]
DISK_NAMES: tuple[DiskName, ...] = get_args(DiskName)
DiskStepKind = Literal["read", "table", "cut", "mend-table", "identity", "start-code"]  # about a whole disk
RowStepKind = Literal["copy", "shrink", "grow", "move", "make", "check"]
StepKind = Literal[DiskStepKind, RowStepKind]
STEP_KINDS: tuple[StepKind, ...] = get_args(StepKind)
WayKey = Literal["straight", "shrink-first", "through-image", "restore", "files", "finish"]
WAYS: tuple[WayKey, ...] = get_args(WayKey)


class Shape(NamedTuple):
    """A disk of the bench as far as steps care: its size, and which LBAs may hold rows."""

    sectors: int
    sector_bytes: int


class Hold(NamedTuple):
    """Where a carried row stands on the source, bytes that must find room in it, and whether it keeps its length."""

    row: int
    extent: Extent
    bytes: int
    fixed: bool


class Step(NamedTuple):
    """One step. ``source`` and ``to`` are extents in LBAs of ``from_disk`` (or ``disk``) and ``disk``.

    ``read_bytes`` and ``write_bytes`` are None where they are not known (rule 9.2). ``span``: its time (rule 11).
    ``free_sectors``: what stands free behind the row afterwards, where that is asked for.
    """

    kind: StepKind
    disk: DiskName
    row: int | None = None
    from_disk: DiskName | None = None
    source: Extent | None = None
    to: Extent | None = None
    read_bytes: int | None = 0
    write_bytes: int | None = 0
    span: Span = Span()
    free_sectors: int | None = None

    @property
    def seconds(self) -> tuple[int, int]:
        return self.span.seconds


class Goal(NamedTuple):
    """Where a row of the plan must stand on the target; None where it stays behind. ``added``: no source has it."""

    row: int
    extent: Extent | None
    added: bool = False
    logical: bool = False


class StartGoal(NamedTuple):
    """What the start asks of the finished target: code before the first row, and rows that name their own place."""

    code: bool = False
    named: frozenset[int] = frozenset()


NOTHING_ASKED = StartGoal()


class FoundContent(NamedTuple):
    """What of a row stands on the target before the first step: where, whether whole, where it says that it starts."""

    row: int
    extent: Extent
    whole: bool
    named: int


class FoundTarget(NamedTuple):
    """The target before the first step, where it holds something of the plan."""

    rows: tuple[FoundContent, ...] = ()
    as_table: bool = False  # its table is the plan's
    backup: bool = False
    code: bool = False


BLANK = FoundTarget()


@dataclass(frozen=True, slots=True)
class Sequence:
    """Everything that a rehearsal looks at. ``usable``: LBAs of the target that may hold rows."""

    way: WayKey
    disks: dict[DiskName, Shape]
    grain_bytes: int
    holds: tuple[Hold, ...]
    steps: tuple[Step, ...]
    goals: tuple[Goal, ...]
    gpt: bool
    usable: Extent
    start: StartGoal = NOTHING_ASKED
    found: FoundTarget = BLANK

    @property
    def fingerprint(self) -> str:
        """The same for the same steps between disks of the same sizes: by it a script's log and journal know their
        plan."""
        steps = [
            (step.kind, step.disk, step.row, step.from_disk, step.source and (*step.source,), step.to and (*step.to,))
            for step in self.steps
        ]
        disks = sorted((name, *shape) for name, shape in self.disks.items())
        return sha256(repr((self.way, disks, steps)).encode()).hexdigest()[:32]
