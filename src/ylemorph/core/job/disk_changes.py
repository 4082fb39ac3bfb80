"""Changes of the job's words and disks."""

from dataclasses import dataclass
from typing import ClassVar

from ..carry.facts import Facts
from ..disk.compare import confirms, same_disk
from ..disk.model import Disk, Survey
from ..errors import BadOption
from .change import Applied, Change
from .state import JobState, SizedTarget

TYPE_AGAIN = "look at the disk and type it again"


@dataclass(frozen=True, slots=True)
class Describe(Change):
    """Name, code, machine and note; None stays as it is."""

    key: ClassVar[str] = "describe"
    name: str | None = None
    code: str | None = None
    machine: str | None = None
    note: str | None = None

    def make(self, state: JobState) -> Applied:
        given = {"name": self.name, "code": self.code, "machine": self.machine, "note": self.note}
        return Applied(state.but(**{k: v for k, v in given.items() if v is not None}), "Name and notes changed")


@dataclass(frozen=True, slots=True)
class SetSource(Change):
    """Another source, or none.

    What was set for the rows of the old one is taken back; the same partitions surveyed again keep all of it.
    """

    key: ClassVar[str] = "source"
    survey: Survey | None

    def make(self, state: JobState) -> Applied:
        before, after = state.source_disk, self.survey.disk if self.survey else None
        keeps = before is not None and after is not None and _is_same(before, after)
        options = state.options if keeps else state.options.without("rows", "source", "target")
        made = state.but(source=self.survey, options=options)
        if state.options.in_place == "yes":  # the target was the old one itself
            made = made.but(
                target=self.survey if keeps else None,
                options=made.options if keeps else made.options.but(in_place="no"),
            )
        if not keeps:  # what was said of the old source does not hold for another
            made = made.but(facts=Facts(workspace=state.facts.workspace, target_link=state.facts.target_link), way=None)
        _refuse_source_as_target(made)
        return Applied(made, f"Source set to {after.model or 'a disk'}" if after else "Source taken out")


@dataclass(frozen=True, slots=True)
class SetTarget(Change):
    """Another target, or none; what confirmed the old one lapses."""

    key: ClassVar[str] = "target"
    target: Survey | SizedTarget | None

    def make(self, state: JobState) -> Applied:
        made = state.but(
            target=self.target,
            options=state.options.without("target"),
            facts=state.facts.but(target_link="unknown", both_attached="unknown"),
        )
        _refuse_source_as_target(made)
        if self.target is None:
            return Applied(made, "Target taken out")
        shown = self.target.text if isinstance(self.target, SizedTarget) else self.target.disk.model
        return Applied(made, f"Target set to {shown or 'a disk'}")


@dataclass(frozen=True, slots=True)
class SameDisk(Change):
    """The source itself is the target, and its rows are refitted where they stand: at first as they are."""

    key: ClassVar[str] = "same-disk"

    def make(self, state: JobState) -> Applied:
        if state.source is None:
            raise BadOption("there is no source yet", mend="read or type the disk on Source first")
        if not state.source.disk.rows:
            raise BadOption("the source has no partitions to refit", mend="choose another disk")
        options = state.options.without("target").but(in_place="yes", table="keep", fit="same")
        facts = state.facts.but(target_link="unknown", both_attached="unknown")
        made = state.but(target=state.source, options=options, facts=facts, way=None)
        return Applied(made, f"{state.source.disk.model or 'The source'} is refitted where it is")


@dataclass(frozen=True, slots=True)
class Confirm(Change):
    """The target may be overwritten: the text that was typed to say that it is the right one."""

    key: ClassVar[str] = "confirm"
    text: str

    def make(self, state: JobState) -> Applied:
        pair = state.pair
        if not confirms(self.text, pair.target, pair.source):
            raise BadOption(f"“{self.text[:40]}” is not what the target carries", at="text", mend=TYPE_AGAIN)
        made = state.but(options=state.options.but(overwrite=self.text))
        return Applied(made, f"{pair.target.model or 'The target'} may be overwritten")


def _is_same(before: Disk, after: Disk) -> bool:
    """The same partitions on a disk that says nothing else of itself than it did before."""
    places = [[(p.number, p.first_lba, p.sectors) for p in disk.partitions] for disk in (before, after)]
    facts = ((before.model, after.model), (before.serial, after.serial), (before.table_id, after.table_id))
    return places[0] == places[1] and all(one == two or not one for one, two in facts)


def _refuse_source_as_target(state: JobState) -> None:
    if state.source is None or not isinstance(state.target, Survey) or state.options.in_place == "yes":
        return
    same = same_disk(state.source.disk, state.target.disk)
    if same:
        raise BadOption(
            f"this is the source itself: both carry {same}",
            mend="choose another disk; if these are two disks, read one of them without its adapter",
        )
