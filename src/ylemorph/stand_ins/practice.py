"""A job carried out on a stand-in, for practice: real bytes into its sparse image, with a fault if wished.

The table is written by our own writer; each row becomes a file system of the planned size with the source's figures.
"""

import secrets
import tempfile
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Literal, get_args

from ..core.carry.sequence import Sequence, Step
from ..core.disk.starting import CODE_BYTES
from ..core.disk.tables import GPT_ENTRIES, GPT_ENTRY_BYTES
from ..core.errors import BadOption
from ..core.fit.entries import Entry, planned_entries
from ..core.fit.plan import Plan, PlanRow
from ..core.sizes import div_up
from ..formats.documents.table_bytes import identity_of, table_pieces
from ..probe.media.opening import open_medium
from ..probe.start_code import code_pieces
from .extents import stretches
from .starts import keep_serial, name_start
from .volumes import make_volume

Fault = Literal[
    "none",
    "stopped",
    "last-row",
    "not-extended",
    "backup-missing",
    "identity-off",
    "off-grain",
    "flag-lost",
    "code-lost",
    "code-off",
    "start-named-off",
]
FAULTS: tuple[Fault, ...] = get_args(Fault)
FAULT_WORDS: dict[Fault, str] = {
    "none": "Nothing goes wrong",
    "stopped": "Stopped half-way",
    "last-row": "The last row is left out",
    "not-extended": "A file system is not extended",
    "backup-missing": "The table's backup is missing",
    "identity-off": "The identity is not the planned one",
    "off-grain": "The last row starts off the grain",
    "flag-lost": "A mark is lost",
    "code-lost": "The code of the first sector is left out",
    "code-off": "A byte of that code is another",
    "start-named-off": "A row names its old place",
}
OFF_GRAIN = 63  # sectors


class Practice:
    """One job on one stand-in's image. ``begun`` is called before each step, and may stop it by raising."""

    def __init__(self, plan: Plan, sequence: Sequence, image: Path, fault: Fault, source: Path | None = None) -> None:
        """``source``: the image of the source, where that is on the bench. Raises BadOption."""
        if fault == "backup-missing" and plan.frame.table != "gpt":
            raise BadOption("an MBR has no backup copy", at="fault", mend="choose another fault")
        if fault == "flag-lost" and not any(_marked(entry) for entry in planned_entries(plan)):
            raise BadOption("no row of this plan carries a mark", at="fault", mend="choose another fault")
        if plan.starting.code and source is None:
            raise BadOption(
                f"the code that starts {plan.source.model or 'the source'} is not on the bench",
                mend="practise with a source that is attached there",
            )
        if fault in ("code-lost", "code-off") and not plan.starting.code:
            raise BadOption("no code goes over in this plan", at="fault", mend="choose another fault")
        if fault == "start-named-off" and not plan.starting.named:
            raise BadOption("no row of this plan names its place", at="fault", mend="choose another fault")
        if not _reached(plan, sequence, fault):
            raise BadOption(
                "no step of this way comes to that", at="fault", mend="choose another fault, or another way"
            )
        self.plan, self.sequence, self.image, self.fault = plan, sequence, image, fault
        self.source = source
        self.naming = [moved.row.number for moved in plan.starting.named]
        self.sector = plan.frame.logical_sector_bytes
        self.entries = _entries(plan, fault)

    def run(self, begun: Callable[[int, Step], None], done: Callable[[int, Step], None]) -> None:
        """All steps, or half of them where it is to stop half-way."""
        steps, written = self.sequence.steps, self._when_written()
        for number, step in enumerate(steps, 1):
            begun(number, step)
            if self.fault == "stopped" and number > max(1, len(steps) // 2):
                raise BadOption(f"it stopped at step {number}, as was wished", mend="say so in the record")
            if step.kind == "table" or (step.kind == "mend-table" and self.in_place):
                self._write_table()
            if step.kind == "start-code" and step.disk == "target":
                self._start(copies=step.from_disk is not None)
            for row in written.get(number, ()):
                self._write_row(row)
            done(number, step)
        if self.fault == "backup-missing":
            self._lose_backup()

    @property
    def in_place(self) -> bool:
        """What stands on the target already stays, but for the rows that a step is about."""
        return self.sequence.way == "finish"

    def _when_written(self) -> dict[int, list[int]]:
        """The rows that come to stand with each step: with the last one about them, or with the table after it, which
        begins a disk anew."""
        steps = self.sequence.steps
        last = {step.row: number for number, step in enumerate(steps, 1) if step.disk == "target" and step.row}
        table = max((number for number, step in enumerate(steps, 1) if step.kind == "table"), default=0)
        written: dict[int, list[int]] = {}
        for entry in self.entries:
            if entry.row is not None and (entry.row in last or not self.in_place):
                number = last.get(entry.row, 0)
                written.setdefault(number if self.in_place else max(number, table), []).append(entry.row)
        return written

    def _write_table(self) -> None:
        """The disk begins anew: the table and nothing else; in place nothing else is touched."""
        disk = None
        if self.fault == "identity-off":
            disk = uuid.uuid4() if self.plan.identity == "keep" else identity_of(self.plan.source.table_id)
        pieces = table_pieces(self.plan, entries=self.entries, disk=disk)
        if self.in_place:
            with self.image.open("r+b") as file:
                for offset, data in pieces:
                    file.seek(offset)
                    file.write(data)
            return
        beside = self.image.with_name(f"{self.image.name}.{secrets.token_hex(4)}.part")
        with beside.open("wb") as file:
            for offset, data in pieces:
                file.seek(offset)
                file.write(data)
            file.truncate(self.plan.frame.sectors * self.sector)
        beside.replace(self.image)  # whoever reads the bench meanwhile finds the old disk or the new one

    def _write_row(self, number: int) -> None:
        entry = next((entry for entry in self.entries if entry.row == number), None)
        row = self.plan.row(number)
        if entry is None or row.role == "reserved":
            return
        size = entry.sectors * self.sector
        if self.fault == "not-extended" and row is _largest(self.plan):
            size = size * 8 // 10 // 2**20 * 2**20
        held = row.row.floors.carried_bytes if row.row.floors is not None else row.used_bytes
        with tempfile.TemporaryDirectory(dir=self.image.parent, prefix="practice-") as folder:
            volume = Path(folder) / "volume"
            label = row.row.fs.label if row.row.fs is not None else ""
            if make_volume(row.kind, volume, size, label, None if row.change == "made" else held):
                with volume.open("r+b") as file:
                    keep_serial(file, 0, row.row.fs.uuid if row.row.fs is not None else "")
                    if number in self.naming:
                        off = 63 if self.fault == "start-named-off" and number == self.naming[0] else 0
                        name_start(file, 0, entry.first_lba + off)
                _lay(volume, self.image, entry.first_lba * self.sector)

    def _start(self, *, copies: bool) -> None:
        """The code, where it is not there yet; in place rows name where they stand, as the others do when written."""
        if self.plan.starting.code and (copies or not self.in_place):
            self._write_code()
        if self.in_place:
            with self.image.open("r+b") as file:
                for entry in self.entries:
                    if entry.row in self.naming:
                        name_start(file, entry.first_lba * self.sector, entry.first_lba)

    def _write_code(self) -> None:
        """As the source has it, before the first row."""
        assert self.source is not None
        if self.fault == "code-lost":
            return
        start = self.plan.starting
        with open_medium(self.source) as medium:
            pieces = code_pieces(medium, self.sector, start.placed_reach, start.loader_now)
        with self.image.open("r+b") as target:
            for offset, data in pieces:
                target.seek(offset)
                target.write(data)
            if self.fault == "code-off":
                middle = pieces[0][1][CODE_BYTES // 2]
                target.seek(CODE_BYTES // 2)
                target.write(bytes([middle ^ 0xFF]))

    def _lose_backup(self) -> None:
        length = (div_up(GPT_ENTRIES * GPT_ENTRY_BYTES, self.sector) + 1) * self.sector
        with self.image.open("r+b") as file:
            file.seek(-length, 2)
            file.write(bytes(length))


def _entries(plan: Plan, fault: Fault) -> list[Entry]:
    entries = planned_entries(plan)
    held = [entry for entry in entries if entry.row is not None]
    last = max(held, key=lambda entry: entry.first_lba)
    if fault == "last-row":
        return [entry for entry in entries if entry is not last]
    if fault == "off-grain":
        moved = last._replace(first_lba=last.first_lba + OFF_GRAIN, sectors=last.sectors - OFF_GRAIN)
        return [moved if entry is last else entry for entry in entries]
    if fault == "flag-lost":
        marked = next(entry for entry in entries if _marked(entry))
        return [entry._replace(flags=frozenset()) if entry is marked else entry for entry in entries]
    return entries


def _reached(plan: Plan, sequence: Sequence, fault: Fault) -> bool:
    """Whether the steps touch what the fault is about; to finish from what is found they may leave it as it is."""
    if sequence.way != "finish":
        return True
    kinds, rows = {step.kind for step in sequence.steps}, {step.row for step in sequence.steps}
    last = max((entry for entry in planned_entries(plan) if entry.row is not None), key=lambda entry: entry.first_lba)
    reached: dict[Fault, bool] = {
        "identity-off": "table" in kinds, "flag-lost": "table" in kinds, "last-row": "table" in kinds,
        "off-grain": "table" in kinds and last.row in rows, "not-extended": _largest(plan).number in rows,
        "code-lost": "start-code" in kinds, "code-off": "start-code" in kinds, "start-named-off": "copy" in kinds,
    }  # fmt: skip
    return reached.get(fault, True)


def _marked(entry: Entry) -> bool:
    return bool(entry.flags & {"active", "required"})


def _largest(plan: Plan) -> PlanRow:
    return max((row for row in plan.rows if row.carried), key=lambda row: row.size_bytes or 0)


def _lay(volume: Path, image: Path, offset: int) -> None:
    with image.open("r+b") as file:
        for at, data in stretches(volume):
            file.seek(offset + at)
            file.write(data)
