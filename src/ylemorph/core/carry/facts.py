"""Facts of the bench: what a person knows of this job and no survey tells. One table, declared like the options."""

from dataclasses import dataclass, replace
from typing import Literal, get_args

from ..disk.model import Encryption, HealthState, Link
from ..errors import BadOption
from ..fit.options import OptionKind, kinds_of, option

YesNo = Literal["unknown", "yes", "no"]
Medium = Literal["unknown", "hard disk", "solid state"]
Slot = Literal["unknown", "3.5-inch SATA", "2.5-inch SATA", "m.2 SATA", "m.2 NVMe"]


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of the bench; ``unknown`` or None where nobody said. Sizes are bytes.

    The question that a person is asked is the field's help. How the machine starts is an option of the plan.
    """

    both_attached: YesNo = option(
        "unknown",
        "choice",
        "bench",
        "Can both disks be attached at once?",
        choices=get_args(YesNo),
        set_words="Both disks attached at once: {}",
        unset_words="Not known whether both disks can be attached at once",
    )
    change_source: YesNo = option(
        "unknown",
        "choice",
        "bench",
        "May the source be changed?",
        choices=get_args(YesNo),
        set_words="Source may be changed: {}",
        unset_words="Not known whether the source may be changed",
    )
    source_link: Link = option(
        "unknown",
        "choice",
        "bench",
        "How is the source attached while it is read?",
        choices=get_args(Link),
        set_words="Source attached by {}",
        unset_words="Source attached as its survey says",
    )
    target_link: Link = option(
        "unknown",
        "choice",
        "bench",
        "How is the target attached while it is written?",
        choices=get_args(Link),
        set_words="Target attached by {}",
        unset_words="Target attached as its survey says",
    )
    source_medium: Medium = option(
        "unknown",
        "choice",
        "bench",
        "What is the source?",
        choices=get_args(Medium),
        set_words="The source is a disk of this kind: {}",
        unset_words="The source is a disk as its survey says",
    )
    target_medium: Medium = option(
        "unknown",
        "choice",
        "bench",
        "What is the target?",
        choices=get_args(Medium),
        set_words="The target is a disk of this kind: {}",
        unset_words="The target is a disk as its survey says",
    )
    slot: Slot = option(
        "unknown",
        "choice",
        "bench",
        "Which slot of the machine does the new disk go into?",
        choices=get_args(Slot),
        set_words="Slot for the new disk: {}",
        unset_words="Not known which slot the new disk goes into",
    )
    workspace: int | None = option(
        None,
        "size",
        "bench",
        "How much room is there for an image?",
        metavar="SIZE",
        set_words="Workspace of {}",
        unset_words="Workspace not known",
    )
    workspace_medium: Medium = option(
        "unknown",
        "choice",
        "bench",
        "What is that room on?",
        choices=get_args(Medium),
        set_words="Room for an image is on a disk of this kind: {}",
        unset_words="Not known what the room for an image is on",
    )
    backup: YesNo = option(
        "unknown",
        "choice",
        "bench",
        "Is there a backup of the source?",
        choices=get_args(YesNo),
        set_words="Backup of the source: {}",
        unset_words="Not known whether there is a backup",
    )
    backup_size: int | None = option(
        None,
        "size",
        "bench",
        "How large is the backup?",
        metavar="SIZE",
        set_words="Backup of {}",
        unset_words="Size of the backup not known",
    )
    encryption: Encryption = option(
        "unknown",
        "choice",
        "bench",
        "Is the source encrypted by its system?",
        choices=get_args(Encryption),
        set_words="Encryption: {}",
        unset_words="Encryption as the survey says",
    )
    found_right: YesNo = option(
        "unknown",
        "choice",
        "bench",
        "Are the partitions on the target the rows of this plan?",
        choices=get_args(YesNo),
        set_words="Partitions on the target are the plan's rows: {}",
        unset_words="Not known whether the partitions on the target are the plan's rows",
    )
    again: frozenset[int] = option(
        frozenset(),
        "rows",
        "bench",
        "Which rows on the target are not whole, and are copied again?",
        metavar="N",
        set_words="Copied again: {}",
        unset_words="Nothing is copied again",
    )
    health: HealthState = option(
        "unknown",
        "choice",
        "bench",
        "How is the source's health?",
        choices=get_args(HealthState),
        set_words="Health of the source: {}",
        unset_words="Health of the source as its survey says",
    )

    def but(self, **changes: object) -> "Facts":
        return replace(self, **changes)  # type: ignore[arg-type]  # read and checked against the table before


def check_facts(facts: Facts) -> None:
    """Raises BadOption where two facts contradict each other."""
    if facts.backup == "no" and facts.backup_size is not None:
        raise BadOption(
            "a size is given for a backup that is not there",
            at="facts.backup_size",
            mend="take the size out, or say that there is a backup",
        )


FACTS: dict[str, OptionKind] = {kind.key: kind for kind in kinds_of(Facts)}
