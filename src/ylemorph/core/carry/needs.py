"""What a way needs of the bench: one value each, with the fact that tells and the words for it."""

from collections.abc import Callable
from typing import NamedTuple

from ..sizes import Units, format_size
from .ground import Ground

Sentence = Callable[[Ground, Units], str]


class Need(NamedTuple):
    """What a way needs of the bench: the fact that tells, and whether it is there; None where nobody said."""

    fact: str
    met: Callable[[Ground], bool | None]
    lacking: Sentence
    words: Sentence


def _said(answer: str) -> bool | None:
    return None if answer == "unknown" else answer == "yes"


def _room(ground: Ground) -> bool | None:
    return None if ground.facts.workspace is None else ground.facts.workspace >= workspace_bytes(ground)


def workspace_bytes(ground: Ground) -> int:
    """Rule 13: what is carried, or the whole of a disk that is worn or failing."""
    return ground.plan.source.size_bytes if ground.whole_image else ground.carried_bytes


def _lacks_room(ground: Ground, units: Units) -> str:
    free = format_size(ground.facts.workspace or 0, units)
    return f"needs {format_size(workspace_bytes(ground), units)} of workspace, {free} free"


def _backup_sized(ground: Ground) -> bool | None:
    return None if ground.facts.backup_size is None else True


def text(text: str) -> Sentence:
    return lambda _ground, _units: text


BOTH = Need(
    "both_attached",
    lambda ground: _said(ground.facts.both_attached),
    text("both disks cannot be attached at once"),
    text("both disks attached at once"),
)
PERMISSION = Need(
    "change_source",
    lambda ground: _said(ground.facts.change_source),
    text("the source may not be changed"),
    text("that the source may be changed"),
)
BACKUP = Need(
    "backup", lambda ground: _said(ground.facts.backup), text("there is no backup of the source"), text("a backup")
)
BACKUP_SIZE = Need("backup_size", _backup_sized, text(""), text("the backup's size"))
ROOM = Need(
    "workspace", _room, _lacks_room, lambda ground, units: f"{format_size(workspace_bytes(ground), units)} of workspace"
)


# To finish from what is found the source is needed only where something of it is missing there.
BOTH_AGAIN = Need(
    "both_attached",
    lambda ground: _said(ground.facts.both_attached) if copies_again(ground) else True,
    BOTH.lacking,
    text("the source attached too, for what is missing"),
)
FOUND = Need(
    "found_right",
    lambda ground: _said(ground.facts.found_right) if ground.found and ground.found.unsure else True,
    text("the partitions on the target are not the rows of this plan"),
    text("that the partitions on the target are the rows of this plan"),
)


BACKUP_IN_PLACE = Need(
    "backup",
    lambda ground: _said(ground.facts.backup) if ground.in_place else True,
    BACKUP.lacking,
    text("a backup"),
)


def copies_again(ground: Ground) -> bool:
    kept = {row.row for row in ground.found.whole} if ground.found else set()
    return any(load.number not in kept for load in ground.loads)


ASKED_FIRST = (
    PERMISSION,
    BACKUP,
    BACKUP_SIZE,
    BACKUP_IN_PLACE,
)  # a way that needs one of these is not proposed before it was said
