"""What can be otherwise than planned: one table of kinds, each with level, sentence and what to do."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Literal, NamedTuple

from ..fit.finding_kinds import Level, Size
from ..sizes import Units, format_size

Code = Literal[
    "wrong-size-disk", "source-again", "table-kind", "table-backup", "row-missing", "row-unexpected", "start-off",
    "size-off", "off-grain", "not-extended", "cut-off", "idle-space", "identity-equal", "kind-off", "type-off",
    "flag-off", "contents-short", "state", "identity-lost", "start-code", "start-named-off",
    "start-data", "old-mark", "contents-differ",
]  # fmt: skip
# What mends it on the disk itself: the steps that one click leads to.
Mend = Literal["", "extend", "move", "mend-table", "identity", "table", "copy", "check", "shrink", "start-code"]


class DifferenceKind(NamedTuple):
    code: Code
    level: Level
    text: str
    do: str
    mend: Mend = ""


# Some codes have several sentences; the key tells them apart.
DifferenceKey = Literal[
    "wrong-size-disk", "source-again", "no-table", "table-kind", "backup-missing", "backup-misplaced", "copies-differ",
    "row-missing", "last-row-missing", "row-unexpected", "start-off", "off-grain", "old-size", "smaller", "larger",
    "grown", "not-extended", "cut-off", "idle-space", "identity-equal", "kind-off", "type-off", "flag-off",
    "contents-short", "files-fewer", "damaged", "dirty", "row-identity-equal", "identity-lost", "row-identity-lost",
    "code-lost", "code-off", "loader-off", "start-named-off", "copy-named-off", "start-data", "old-mark",
    "old-contents", "places-differ",
]  # fmt: skip
DIFFERENCES: dict[DifferenceKey, DifferenceKind] = {
    "wrong-size-disk": DifferenceKind(
        "wrong-size-disk", "stop", "This disk has {0}, the plan was made for {1}.",
        "Read the disk that the job names, or plan anew for this one.",
    ),
    "source-again": DifferenceKind(
        "source-again", "stop", "This is the source itself: both carry {0}.", "Read the finished target instead."
    ),
    "no-table": DifferenceKind(
        "table-kind", "stop", "The disk has no table, planned was a {0}.",
        "Nothing was written to it, or to another disk: look at the serial, then begin with the table.", "table",
    ),
    "table-kind": DifferenceKind(
        "table-kind", "stop", "The table is a {0}, planned was a {1}.", "Write the table as planned and copy again.",
        "table",
    ),
    "backup-missing": DifferenceKind(
        "table-backup", "mind", "The backup copy of the table is missing.",
        "Put it at the end of the disk: the image was cut off before it.", "mend-table",
    ),
    "backup-misplaced": DifferenceKind(
        "table-backup", "mind", "The backup copy of the table does not stand at the end of the disk.",
        "Move it to the end: programs hold the disk for smaller than it is until then.", "mend-table",
    ),
    "copies-differ": DifferenceKind(
        "table-backup", "mind", "The two copies of the table are not alike, or one is damaged.",
        "Write the planned table again; both copies are made anew by that.", "mend-table",
    ),
    "row-missing": DifferenceKind(
        "row-missing", "stop", "{0} is not there.", "Copy it to its place at sector {1}.", "copy"
    ),
    "last-row-missing": DifferenceKind(
        "row-missing", "stop", "{0} at the end is not there: the copier left it out.",
        "Copy it to its place at sector {1}; its room must be free first.", "copy",
    ),
    "row-unexpected": DifferenceKind(
        "row-unexpected", "mind", "At sector {0} stands a partition of {1} that the plan has not.",
        "Look at what it holds; delete it if it was left behind on purpose.",
    ),
    "start-off": DifferenceKind(
        "start-off", "stop", "{0} starts at sector {1}, planned was {2}.", "Move it to sector {2}.", "move"
    ),
    "off-grain": DifferenceKind(
        "off-grain", "mind", "{0} starts at sector {1}, which is no whole {3}; planned was {2}.",
        "Move it to sector {2}: off the grain a solid-state disk works slower and wears sooner.", "move",
    ),
    "old-size": DifferenceKind(
        "size-off", "mind", "{0} still has its old size of {1}, planned were {2}: the extension was forgotten.",
        "Make it larger to {2}.", "extend",
    ),
    "smaller": DifferenceKind(
        "size-off", "mind", "{0} has {1}, planned were {2}.", "Make it larger to {2}.", "extend"
    ),
    "larger": DifferenceKind(
        "size-off", "mind", "{0} has {1}, planned were {2}: it stands where others belong.",
        "Make it smaller to {2}, or plan anew with this size.", "shrink",
    ),
    "grown": DifferenceKind(
        "size-off", "note", "{0} was made larger afterwards: {1}, planned were {2}.", "Nothing to do, if that is meant."
    ),
    "not-extended": DifferenceKind(
        "not-extended", "mind", "The file system of {0} has {1} in a partition of {2}: it was not extended.",
        "Make the file system as large as its partition.", "extend",
    ),
    "cut-off": DifferenceKind(
        "cut-off", "stop", "The file system of {0} has {1}, its partition only {2}: its end is cut off.",
        "Do not start from it. Make the partition as large as its file system, or copy it again.", "copy",
    ),
    "idle-space": DifferenceKind(
        "idle-space", "mind", "{0} stand idle at sector {1} that the plan gives to its rows.",
        "Make the row in front of it larger.", "extend",
    ),
    "identity-equal": DifferenceKind(
        "identity-equal", "stop", "The disk has the identity of the source, {0}.",
        "Do not start with both attached; give this one a new identity.", "identity",
    ),
    "row-identity-equal": DifferenceKind(
        "identity-equal", "mind", "{0} has the identity that it has on the source, {1}.",
        "Do not start with both attached; give the row a new one.", "identity",
    ),
    "identity-lost": DifferenceKind(
        "identity-lost", "stop", "The disk has the identity {0}, planned was that of the source, {1}.",
        "Set the source's identity: the start data of the system name it.", "identity",
    ),
    "row-identity-lost": DifferenceKind(
        "identity-lost", "stop", "{0} has the identity {1}, planned was that of the source, {2}.",
        "Set the source's identity of the row: the start data of the system name it.", "identity",
    ),
    "code-lost": DifferenceKind(
        "start-code", "stop", "The code of the first sector is not there: nothing starts from this disk.",
        "Copy bytes 0 to 439 of the source, and what stands between its first sector and its first row.", "start-code",
    ),
    "code-off": DifferenceKind(
        "start-code", "stop", "The code before the first row is not that of the source.",
        "Copy bytes 0 to 439 of the source, and what stands between its first sector and its first row.", "start-code",
    ),
    "loader-off": DifferenceKind(
        "start-code", "stop", "The code of the first sector does not name sector {0}, where its loader stands.",
        "Set the number, or install the loader again.", "start-code",
    ),
    "start-named-off": DifferenceKind(
        "start-named-off", "mind", "{0} names sector {1} as its start and stands at sector {2}.",
        "Set the number in its boot sector: a legacy start from this row fails without.", "start-code",
    ),
    "copy-named-off": DifferenceKind(
        "start-named-off", "note", "The copy of the boot sector of {0} names sector {1}, the row stands at sector {2}.",
        "Set the number there too, so that a repair does not bring the old one back.", "start-code",
    ),
    "start-data": DifferenceKind(
        "start-data", "stop", "The start data on the disk name a row that is not there, or not there any more.",
        "Mend them from the system's own installation medium before the first start.", "start-code",
    ),
    "kind-off": DifferenceKind(
        "kind-off", "stop", "{0} holds {1}, planned was {2}.", "Look whether the right row was copied there.", "copy"
    ),
    "type-off": DifferenceKind(
        "type-off", "mind", "The type of {0} is {1}, planned was {2}.", "Set the type in the table.", "table"
    ),
    "flag-off": DifferenceKind(
        "flag-off", "stop", "{0} lost its mark “{1}”.", "Set it in the table: without it the machine may not start.",
        "table",
    ),
    "contents-short": DifferenceKind(
        "contents-short", "stop", "{0} holds {1}, while {2} went over.", "Compare the folders with the source.", "copy"
    ),
    "files-fewer": DifferenceKind(
        "contents-short", "mind", "{0} holds {1} files and folders, while {2} went over.",
        "Where nobody used it since, something is missing: compare the folders with the source.", "copy",
    ),
    "places-differ": DifferenceKind(
        "contents-differ", "stop",
        "In {0} {1} of {2} places that were compared hold other bytes than the source, the first at byte {3}.",
        "Where nobody used either disk since, copy the row again.", "copy",
    ),
    "damaged": DifferenceKind(
        "state", "stop", "The file system of {0} is {1}.", "Check it, and copy it again if that does not mend it.",
        "check",
    ),
    "dirty": DifferenceKind(
        "state", "note", "The file system of {0} waits for a check.",
        "Let the system check it at its first start, as usual after a change of size.", "check",
    ),
    "old-mark": DifferenceKind(
        "old-mark", "mind", "In {0}, at byte {2} of the disk, stands a mark of a {1} that was there before.",
        "Blank the 4 KiB there, once you know that nothing uses it: programs may take the row for what it was.",
    ),
    "old-contents": DifferenceKind(
        "old-mark", "mind", "{0} is to be empty, and holds {1} of what stood there before.",
        "Blank its first MiB: programs may take it for what it was.",
    ),
}  # fmt: skip


class Difference(NamedTuple):
    """A key of the table, the row (None: the whole disk), the figures of its sentences, and both sides as data."""

    key: DifferenceKey
    row: int | None
    figures: tuple[object, ...] = ()
    planned: Mapping[str, Any] = MappingProxyType({})
    found: Mapping[str, Any] = MappingProxyType({})

    @property
    def kind(self) -> DifferenceKind:
        return DIFFERENCES[self.key]

    def text(self, units: Units = "binary") -> str:
        return self.kind.text.format(*self._written(units))

    def do(self, units: Units = "binary") -> str:
        return self.kind.do.format(*self._written(units))

    def _written(self, units: Units) -> list[object]:
        return [format_size(figure, units) if isinstance(figure, Size) else figure for figure in self.figures]
