"""What is ticked off before and after the steps, made from this job's facts. Common practice, no source."""

from collections.abc import Callable, Iterator
from typing import Literal, NamedTuple

from ..disk.compare import confirmation
from ..disk.roles import WINDOWS_KINDS
from ..disk.starting import starting_of
from ..fit.finding_kinds import FindingCode
from ..fit.plan import PlanRow
from ..plain import sentence_case
from .ground import Ground
from .sequence import WayKey

When = Literal["before", "after"]


class Item(NamedTuple):
    """One line to tick. ``key`` stays the same for the same thing, whatever the words."""

    key: str
    when: When
    text: str


class _Line(NamedTuple):
    key: str
    when: When
    text: Callable[["_Job"], str]
    wanted: Callable[["_Job"], bool] = lambda _job: True


class _Job(NamedTuple):
    ground: Ground
    way: WayKey | None

    @property
    def source(self) -> str:
        return self.ground.plan.source.model or "the source"

    @property
    def target(self) -> str:
        disk = self.ground.plan.target
        other = self.ground.plan.source if self.leaves_source else None
        signs = confirmation(disk, other) if disk.serial else ""
        return f"{disk.model or 'the target'}{f', serial ending {signs[-4:]}' if signs else ''}"

    @property
    def systems(self) -> list[PlanRow]:
        return [row for row in self.ground.plan.rows if row.role == "system" and row.carried]

    @property
    def is_windows(self) -> bool:
        return any(row.kind in WINDOWS_KINDS for row in self.systems)

    @property
    def starts(self) -> bool:
        """Whether a machine is to start from the target."""
        return bool(self.systems)

    @property
    def leaves_source(self) -> bool:
        """Whether there is another disk afterwards."""
        return not self.ground.in_place

    @property
    def may_be_encrypted(self) -> bool:
        return self.is_windows or any(row.kind in ("bitlocker", "luks") for row in self.ground.plan.rows)

    @property
    def of_sealed(self) -> str:
        names = " and ".join(load.name for load in self.ground.sealed)
        return f" of {names}" if names else ""

    @property
    def mode(self) -> str:
        """As it was said, else as the source starts where the table is kept, else as such a table usually does."""
        plan = self.ground.plan
        if plan.options.firmware != "unknown":
            return "UEFI" if plan.options.firmware == "uefi" else "legacy"
        start = starting_of(plan.source)
        if plan.source.table == plan.frame.table and start.uefi != start.legacy:
            return "UEFI" if start.uefi else "legacy"
        return "UEFI" if plan.frame.table == "gpt" else "legacy"

    @property
    def mending(self) -> str:
        """What is typed at its prompt; W: and S: are where it shows the system and the start row."""
        return f"bcdboot W:\\Windows /s S: /f {'UEFI' if self.mode == 'UEFI' else 'BIOS'}"

    def must_mend(self, *codes: FindingCode) -> bool:
        return any(finding.code in codes for finding in self.ground.plan.findings)

    @property
    def Source(self) -> str:  # the same at the beginning of a sentence
        return sentence_case(self.source)

    @property
    def from_backup(self) -> bool:
        return self.way == "restore"


def _always(text: str) -> Callable[[_Job], str]:
    return lambda _job: text


LINES: tuple[_Line, ...] = (
    _Line("backup", "before", lambda job: f"A backup of {job.source} is there and was opened once"),
    _Line(
        "checked", "before",
        lambda job: f"The file systems of {job.source} were checked", lambda job: not job.from_backup,
    ),
    _Line(
        "clean-shutdown", "before",
        _always("The machine was shut down fully: hibernation and fast start off"),
        lambda job: job.is_windows and not job.from_backup,
    ),
    _Line(
        "encryption", "before",
        lambda job: f"Encryption{job.of_sealed} is paused, and the recovery key is written down",
        lambda job: job.may_be_encrypted and job.ground.encryption != "none",
    ),
    _Line("programs", "before", _always("Programs are closed, and nothing else uses the disks")),
    _Line("mains", "before", _always("The computer runs on mains, and does not go to sleep")),
    _Line("right-disk", "before", lambda job: f"The disk that is written to is {job.target}"),
    _Line(
        "room", "before",
        _always("The place for the image has the room, and is neither of the two disks"),
        lambda job: job.way == "through-image",
    ),
    _Line(
        "detached", "after", lambda job: f"{job.Source} is detached before the first start",
        lambda job: job.starts and job.leaves_source,
    ),
    _Line(
        "never-both", "after",
        _always("Both disks carry one identity: they are never attached together while a system runs"),
        lambda job: job.starts and job.leaves_source and job.ground.plan.identity == "keep",
    ),
    _Line(
        "start-data", "after",
        lambda job: f"The start data are mended from Windows' own installation medium: {job.mending}",
        lambda job: job.is_windows and job.must_mend("start-data", "start-moved", "identity-new"),
    ),
    _Line(
        "loader", "after",
        _always("The loader is installed again from a live system, onto the new disk itself"),
        lambda job: job.must_mend("start-loader"),
    ),
    _Line("start-order", "after", lambda job: f"The start order names {job.target}",
          lambda job: job.starts and job.leaves_source),
    _Line("firmware", "after", lambda job: f"The firmware starts in {job.mode} mode", lambda job: job.starts),
    _Line(
        "starts", "after",
        lambda job: f"The machine started from {'the new disk' if job.leaves_source else job.source}",
        lambda job: job.starts,
    ),
    _Line("sizes", "after", _always("Sizes, free space and places are as planned")),
    _Line(
        "encryption-again", "after",
        _always("Encryption is on again"),
        lambda job: job.may_be_encrypted and job.ground.encryption in ("paused", "active"),
    ),
    _Line("activation", "after", _always("The system is still activated"), lambda job: job.is_windows),
    _Line(
        "licences", "after",
        _always("Programs that ask for their licence again were started once"), lambda job: job.starts,
    ),
    _Line("permissions", "after", _always("Permissions and long names were looked at"), lambda job: job.way == "files"),
    _Line(
        "keep-old", "after", lambda job: f"{job.Source} is put away unchanged, with the date until it is kept",
        lambda job: job.leaves_source,
    ),
)  # fmt: skip


def lists_of(ground: Ground, way: WayKey | None) -> tuple[Item, ...]:
    """The lines that this job needs, in order."""
    return tuple(_items(_Job(ground, way)))


def _items(job: _Job) -> Iterator[Item]:
    for line in LINES:
        if line.wanted(job):
            yield Item(line.key, line.when, line.text(job))
