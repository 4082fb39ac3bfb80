"""What is worth saying: one table of kinds with level, sentence and what to do, and the finding that names one.

A finding keeps its figures as values; its sentences are made only when somebody reads them.
"""

from typing import Literal, NamedTuple

from ..sizes import Units, format_size
from .rows import Row

Level = Literal["stop", "mind", "note"]
FindingCode = Literal[
    "sector-size-differs", "source-is-target", "nothing-to-carry", "target-holds-data", "target-failing",
    "table-lost-whole", "start-firmware", "no-table", "source-failing", "source-worn", "target-worn",
    "table-first-copy-damaged", "table-copies-differ", "table-hybrid", "table-chain-broken", "partition-cut-off",
    "array-member", "partitions-overlap", "table-backup-missing", "table-backup-misplaced", "table-without-guard",
    "start-left-behind", "system-left-behind", "no-start-row", "firmware-asked", "start-data", "start-moved",
    "start-loader", "identity-kept", "identity-new", "system-unclear", "used-unknown", "not-resizable-now",
    "unreachable", "free-space-cut-off", "row-tight", "nearly-full", "table-lost", "few-sectors-short",
    "identity-equal", "start-fallback", "past-new-end", "past-new-end-unknown", "counts-differ", "backup-boot-missing",
    "resizer-refuses-clusters", "resizer-refuses-stable-inodes", "encrypted", "encrypted-open", "volumes-inside",
    "told-least", "row-left-behind", "recovery-left-behind", "fat-limit", "grows-for-nothing", "held-by-kind",
    "grow-only", "misaligned", "swap-made-new", "space-left-over", "data-only",
]  # fmt: skip
LEVELS: tuple[Level, ...] = ("stop", "mind", "note")


class Size(int):
    """A figure in bytes, written with a unit where a sentence is made."""


class FindingKind(NamedTuple):
    """Level, sentence and what to do; the braces take the finding's figures in their order."""

    level: Level
    text: str
    do: str


FINDINGS: dict[FindingCode, FindingKind] = {
    "sector-size-differs": FindingKind(
        "stop",
        "The source has sectors of {0} bytes, the target of {1}.",
        "Choose a target with the same logical sector size; file systems made for one do not work on the other.",
    ),
    "source-is-target": FindingKind(
        "stop",
        "Source and target are the same disk: both carry {0}.",
        "Choose another target.",
    ),
    "nothing-to-carry": FindingKind(
        "stop", "No partition of the source goes over.", "Survey the source again, or carry at least one row."
    ),
    "target-holds-data": FindingKind(
        "stop",
        "{0} holds {1}; all of it will be overwritten.",
        "Look at what is on it, and confirm it on Target by typing {2}.",
    ),
    "target-failing": FindingKind(
        "stop", "{0} says that it is failing ({1}).", "Take another disk; a clone onto this one will not last."
    ),
    "table-lost-whole": FindingKind(
        "stop",
        "Both copies of the table on {0} are damaged.",
        "Let the table be mended from the partitions that are found, then survey the disk again.",
    ),
    "start-firmware": FindingKind(
        "stop", "The machine starts in {1} mode, and nothing on the target starts so: {0} will not start.", "{2}"
    ),
    "no-table": FindingKind(
        "stop",
        "{0} has no table: {1} covers the whole disk.",
        "It cannot be planned row by row. Copy its files, or make a table on the target and copy into it.",
    ),
    "source-failing": FindingKind(
        "mind",
        "{0} says that it is failing ({1}).",
        "Read it into an image first, before anything else, and do not make anything smaller on it.",
    ),
    "source-worn": FindingKind(
        "mind", "{0} is worn ({1}).", "Read it into an image first; allow more time for places that read slowly."
    ),
    "target-worn": FindingKind("mind", "{0} is worn ({1}).", "Use it for a trial only, or take another disk."),
    "table-first-copy-damaged": FindingKind(
        "mind",
        "The first copy of the table on {0} is damaged; the backup at the end was read.",
        "Let the disk be checked for failing sectors. The target gets both copies anew.",
    ),
    "table-copies-differ": FindingKind(
        "mind",
        "The two copies of the table on {0} differ; the first was read.",
        "Check that the partitions below are the right ones.",
    ),
    "table-hybrid": FindingKind(
        "mind",
        "Beside its GPT {0} carries an MBR table; the GPT was read.",
        "The target gets a GPT alone. Check that the machine starts in UEFI mode.",
    ),
    "table-chain-broken": FindingKind(
        "mind",
        "The chain of logical partitions on {0} breaks off.",
        "Check that no logical partition is missing below.",
    ),
    "partition-cut-off": FindingKind(
        "mind",
        "The table of {0} names a partition past the end of the disk.",
        "The disk or image was cut short: what lies past the end is lost. Take a whole image if there is one.",
    ),
    "partitions-overlap": FindingKind(
        "mind",
        "The table of {0} names partitions that overlap; one of them is not shown below.",
        "Look into them by hand and mend the table before anything goes over: what is not shown stays behind.",
    ),
    "array-member": FindingKind(
        "mind",
        "A mark at the end of {0} says that it belongs to a disk array.",
        "Find out whether the array is in use; if it is, clone the array and not one of its disks.",
    ),
    "table-backup-missing": FindingKind(
        "note",
        "The backup copy of the table on {0} is missing or damaged.",
        "Nothing for the clone: the target gets both copies. It is usual on a disk that was cut to a smaller one.",
    ),
    "table-backup-misplaced": FindingKind(
        "note",
        "The backup copy of the table on {0} does not stand at the disk's end.",
        "Nothing for the clone. It is usual after a copy onto a larger disk: the end was never taken into use.",
    ),
    "table-without-guard": FindingKind(
        "note",
        "The GPT on {0} has no protective record in its first sector.",
        "Nothing for the clone: the target gets one. Older programs may take this disk for an empty one.",
    ),
    "start-left-behind": FindingKind(
        "mind", "{0} is left behind: the clone will not start by itself.", "Carry it, or make a new start row later."
    ),
    "system-left-behind": FindingKind(
        "mind", "{0} is left behind: the target will hold no operating system.", "Carry it if the machine must start."
    ),
    "no-start-row": FindingKind(
        "mind",
        "The source has a system row but no start row.",
        "Check how the machine starts; the clone may need a start row made new.",
    ),
    "firmware-asked": FindingKind(
        "mind",
        "The table changes to GPT, and it is not known how the machine starts.",
        "Look into its firmware: with UEFI mode the clone will start. Say which it is under Margins.",
    ),
    "start-data": FindingKind(
        "stop",
        "The start data name {0}, and will not find it on the target: {1}.",
        "Let it stay what they name, or mend them from the system's own installation medium before the first start.",
    ),
    "start-moved": FindingKind(
        "mind",
        "{0} moves from sector {1} to {2}: the start data of the system name the old place, so it will not start.",
        "Keep its start by holding the rows before it, or mend the start data from the system's own installation "
        "medium before the first start.",
    ),
    "start-loader": FindingKind(
        "mind",
        "The loader stands where it cannot stay on the target ({0}): it will not be found there.",
        "Install the loader again before the first start, from a live system of the same kind.",
    ),
    "identity-kept": FindingKind(
        "mind",
        "The target keeps the identity of {0}.",
        "Detach {0} before the first start; never attach both.",
    ),
    "identity-new": FindingKind(
        "mind",
        "The target gets a new identity, and the start data of {0} name the old one: it will not start as it is.",
        "Keep the identity, or mend the start data from the system's own installation medium before the first start.",
    ),
    "start-fallback": FindingKind(
        "note",
        "{0} has no loader at the usual place: only firmware that was told of this disk starts from it.",
        "On another machine choose the loader by hand once, or copy it to EFI/BOOT in the start row.",
    ),
    "system-unclear": FindingKind(
        "mind",
        "The partitions {0} could each hold the operating system.",
        "Say which one is the system; until then all of them count as data.",
    ),
    "used-unknown": FindingKind(
        "mind",
        "The used space of {0} is not known, so it is held at {1}.",
        "Survey the source again, or type what it holds.",
    ),
    "not-resizable-now": FindingKind("mind", "{0} is {1}, so it is held at {2}.", "To free it: {3}."),
    "unreachable": FindingKind(
        "mind",
        "{0} of the target lie past what an MBR table can reach.",
        "Change the table to GPT if the machine starts in UEFI mode or the disk holds data only.",
    ),
    "free-space-cut-off": FindingKind(
        "mind",
        "{0} stands between {1} and the {2} left open: they cannot be joined later without moving it.",
        "Put the free space after {1}, or let {1} take the rest.",
    ),
    "row-tight": FindingKind(
        "mind",
        "{0} gets {1}, under the {2} that leave it room to work.",
        "Lighten it, leave something behind, or take a larger target.",
    ),
    "nearly-full": FindingKind(
        "mind", "{0} will have {1} free, under a tenth of its {2}.", "Give it more room or lighten it."
    ),
    "table-lost": FindingKind(
        "mind",
        "{0} goes from the old start row to a new one: the table changes to {1}.",
        "The machine's firmware must start in UEFI mode afterwards.",
    ),
    "few-sectors-short": FindingKind(
        "mind",
        "The target is {0} smaller than the source although both labels say {1}.",
        "A copy at the same sizes would cut off the end; use any fit but Same sizes.",
    ),
    "identity-equal": FindingKind(
        "mind",
        "Source and target carry the same disk identity {0}: the target looks like an earlier clone.",
        "Do not start with both attached.",
    ),
    "past-new-end": FindingKind(
        "mind",
        "{1} of {0} lie past its new end and are packed first.",
        "Allow time for it, or give the row more room.",
    ),
    "past-new-end-unknown": FindingKind(
        "note",
        "How much of {0} lies past its new end is not known.",
        "Read the source disk itself to learn it; making it smaller may take long.",
    ),
    "counts-differ": FindingKind(
        "mind",
        "What {0} records as free is not what its own maps say.",
        "Check the file system on the source (e2fsck -f), then survey it again.",
    ),
    "backup-boot-missing": FindingKind(
        "note",
        "{0} lacks the copy of its boot sector at its end.",
        "Nothing for the clone: making it smaller or larger writes one. It is usual after a copy that left it out.",
    ),
    "resizer-refuses-clusters": FindingKind(
        "mind",
        "{0} gathers its blocks in clusters (bigalloc), which the usual resizer refuses; it keeps {1}.",
        "Copy its files to a new file system if its size must change.",
    ),
    "resizer-refuses-stable-inodes": FindingKind(
        "mind",
        "{0} promises that its inodes never move, so the usual resizer does not make it smaller than {1}.",
        "Copy its files to a new file system if it must be smaller.",
    ),
    "encrypted-open": FindingKind(
        "mind",
        "{0} is encrypted by the system that runs from it, and open there ({1}); from outside it is only copied whole.",
        "Pause the protection before the clone and write the recovery key down. What makes it smaller runs in that "
        "system: Shrink first, or a copier that is started there.",
    ),
    "volumes-inside": FindingKind(
        "mind",
        "{0} is the volume group {1} with {2}; only LVM's own utilities change its length.",
        "Pack it (pvmove) and make it smaller (pvresize) at the source before the copy; after it got larger, pvresize "
        "first and then its volumes.",
    ),
    "told-least": FindingKind(
        "mind",
        "{0} is planned at {1}, and the running Windows makes it no smaller than {2}{3}.",
        "Shrink first ends at that size{4}. Or switch page file, hibernation and restore points off there and list the "
        "disk again.",
    ),
    "encrypted": FindingKind(
        "mind", "{0} is encrypted ({1}) and goes over sector by sector.", "Pause or remove the encryption to resize it."
    ),
    "row-left-behind": FindingKind(
        "note", "{0} is left behind: its {1} stay on the source alone.", "Carry it, or keep the source disk safe."
    ),
    "recovery-left-behind": FindingKind(
        "note", "{0} is left behind: the machine cannot repair itself from it.", "Carry it if the customer wants it."
    ),
    "fat-limit": FindingKind(
        "note",
        "{0} stands at {1}, the {2} that {3} can have.",
        "Copy its files to another file system if it must change further.",
    ),
    "grows-for-nothing": FindingKind(
        "note",
        "{0} grows to {1} although it needs no more than it has.",
        "Hold it, and let system and data rows have the room.",
    ),
    "held-by-kind": FindingKind(
        "note", "{0} holds {1}, which cannot be resized; it keeps {2}.", "Copy its files if it must change."
    ),
    "grow-only": FindingKind(
        "note", "{0} is {1}, which can grow but not shrink.", "Copy its files to a new one if it must be smaller."
    ),
    "misaligned": FindingKind(
        "note",
        "{0} starts off the grain on the source, at sector {1}.",
        "Nothing: on the target it starts on the grain.",
    ),
    "swap-made-new": FindingKind(
        "note", "{0} is made new; its content does not go over.", "Check that the system finds the new one."
    ),
    "space-left-over": FindingKind(
        "note", "{0} stay unallocated.", "Use Proportional or Rest to one if the rows should take them."
    ),
    "data-only": FindingKind(
        "note",
        "The source holds data only.",
        "No clone is needed: copying the files to a freshly made partition is quicker and simpler.",
    ),
}


class Finding(NamedTuple):
    """A kind from the table above, the row it is about (None: the whole disk) and the figures of its sentences."""

    code: FindingCode
    row: int | None
    figures: tuple[object, ...] = ()

    @property
    def level(self) -> Level:
        return FINDINGS[self.code].level

    def text(self, units: Units = "binary") -> str:
        return self._filled(FINDINGS[self.code].text, units)

    def do(self, units: Units = "binary") -> str:
        return self._filled(FINDINGS[self.code].do, units)

    def _filled(self, template: str, units: Units) -> str:
        return template.format(*[_written(figure, units) for figure in self.figures])


def _written(figure: object, units: Units) -> object:
    if isinstance(figure, Row):
        return figure.name_and_number
    return format_size(figure, units) if isinstance(figure, Size) else figure


_RANK = {code: LEVELS.index(kind.level) for code, kind in FINDINGS.items()}


def gravest_first(found: list[Finding]) -> tuple[Finding, ...]:
    """By level, else in the order in which they were found."""
    return tuple(sorted(found, key=lambda finding: _RANK[finding.code]))
