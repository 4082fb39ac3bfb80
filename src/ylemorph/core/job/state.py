"""A job as one value: its disks, what is wanted of the plan, and what people call it. Plans follow from it."""

from dataclasses import dataclass, replace
from typing import Any, Literal, NamedTuple

from ..carry.facts import Facts
from ..carry.sequence import WayKey
from ..disk.model import Disk, Survey
from ..errors import BadOption
from ..fit.options import Options

Stage = Literal["source", "target", "fit", "carry", "check"]


@dataclass(frozen=True, slots=True)
class SizedTarget:
    """A target of which only the size is known: as typed (``480GB``, rule 1.3), and as a blank disk."""

    text: str
    disk: Disk


class Pair(NamedTuple):
    """The disks that a plan is made for."""

    source: Disk
    target: Disk


@dataclass(frozen=True, slots=True)
class JobState:
    """All that a user can change."""

    name: str = ""
    code: str = ""
    machine: str = ""
    note: str = ""
    source: Survey | None = None
    target: Survey | SizedTarget | None = None
    options: Options = Options()
    facts: Facts = Facts()
    way: WayKey | None = None

    def but(self, **changes: Any) -> "JobState":
        return replace(self, **changes)

    @property
    def source_disk(self) -> Disk | None:
        return self.source.disk if self.source is not None else None

    @property
    def target_disk(self) -> Disk | None:
        return self.target.disk if self.target is not None else None

    @property
    def stage(self) -> Stage:
        """The stage at which something is missing, or where the plan is made."""
        return "source" if self.source is None else "target" if self.target is None else "fit"

    @property
    def pair(self) -> Pair:
        """Both disks. Raises BadOption where one is not known yet."""
        source, target = self.source_disk, self.target_disk
        if source is None or target is None:
            raise BadOption("source and target must be known first", mend="go to the stage Source or Target")
        return Pair(source, target)
