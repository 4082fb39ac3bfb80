"""Disks read here, each reading in a thread with its progress: by a path of this machine, where folders are allowed, or
one that is attached to it, where that was said at the start, and then for whom."""

import os
import secrets
from collections.abc import Callable
from pathlib import Path
from threading import Lock, Thread
from typing import Literal, NamedTuple

from ..attached.listing import DisksHere
from ..attached.real_disk import RealDisk
from ..core.carry.times import Path as Through
from ..core.carry.times import added, between, rate_of, spent, turns
from ..core.disk.model import Disk, Survey
from ..core.errors import YlemorphError
from ..core.sizes import MiB
from ..probe.disks import survey_medium
from ..probe.media.medium import Medium, Stopped
from ..probe.media.opening import open_below, open_medium
from ..store.database import NotFound

ReadingState = Literal["running", "done", "failed", "stopped"]
MOST_KEPT = 20
Dressed = Callable[[Survey], Survey]


def as_read(survey: Survey) -> Survey:
    return survey


class NotAllowed(YlemorphError):
    """What may not be read: a path outside the allowed folders, a disk of this machine."""


class DiskRead:
    """One reading: how far it is, and what came of it."""

    def __init__(self, medium: Medium, dressed: Dressed = as_read) -> None:
        self.id = secrets.token_hex(6)
        self.path = medium.name
        self._medium, self._dressed = medium, dressed
        self.state: ReadingState = "running"
        self.done = self.total = 0
        self.survey: Survey | None = None
        self.trouble = ""
        self.stopping = False

    def progress(self, done: int, total: int) -> None:
        """The probe's progress; a reading that is to stop is stopped here."""
        if self.stopping:
            raise Stopped("the reading was stopped", mend="begin it again when you want to")
        self.done, self.total = max(self.done, done), total or self.total

    def run(self) -> None:
        try:
            with self._medium as medium:
                self.survey = self._dressed(survey_medium(medium, self.progress))
            self.state = "done"
        except Stopped:
            self.state = "stopped"
        except YlemorphError as error:
            self.trouble, self.state = error.sentence(), "failed"
        except Exception:
            self.trouble, self.state = "the disk could not be read; see the log of the program", "failed"
            raise


class Readings:
    """The readings of this server, the last ones kept."""

    def __init__(self, folders: tuple[Path, ...]) -> None:
        self.folders = tuple(Path(os.path.realpath(folder)) for folder in folders)
        self._kept: dict[str, DiskRead] = {}
        self._lock = Lock()

    @property
    def shown(self) -> list[str]:
        return [str(folder) for folder in self.folders]

    def begin(self, text: str) -> DiskRead:
        """Raises NotAllowed for whatever does not lie in an allowed folder, links and ``..`` followed first."""
        return self.begin_with(lambda: self._opened(text), as_read)

    def begin_with(self, opened: Callable[[], Medium], dressed: Dressed) -> DiskRead:
        """Begin to read what is ``opened``, once it is its turn; ``dressed``: the survey with what else is known."""
        with self._lock:
            if sum(kept.state == "running" for kept in self._kept.values()) >= 4:
                raise YlemorphError("four disks are being read already", mend="wait for one of them, or stop it")
            reading = DiskRead(opened(), dressed)
            self._kept[reading.id] = reading
            for old in [key for key, kept in self._kept.items() if kept.state != "running"][:-MOST_KEPT]:
                del self._kept[old]
        Thread(target=reading.run, name=f"reading {reading.id}", daemon=True).start()
        return reading

    def get(self, reading_id: str) -> DiskRead:
        with self._lock:
            if reading_id in self._kept:
                return self._kept[reading_id]
        raise NotFound("this reading is not known any more", mend="begin it again")

    def stop(self, reading_id: str) -> DiskRead:
        reading = self.get(reading_id)
        reading.stopping = True
        return reading

    def _opened(self, text: str) -> Medium:
        if not self.folders:
            raise NotAllowed(
                "reading by path is switched off", at="path", mend="start Ylemorph with --read-from and a folder"
            )
        if "\0" in text or not text.strip():
            raise NotAllowed("this is no path", at="path", mend="write one such as /dev/sdb or /images/desk.img")
        try:
            real = Path(os.path.realpath(text.strip()))
        except (OSError, ValueError):  # a link was exchanged while it was followed, or leads in circles
            raise NotAllowed("this path leads nowhere", at="path", mend="check it and try again") from None
        for folder in self.folders:
            if real.is_relative_to(folder):
                return open_below(folder, real.relative_to(folder))
        named = ", ".join(self.shown)
        raise NotAllowed(f"“{text.strip()[:200]}” does not lie in {named}", at="path", mend="choose a file there")


# --- the disks that are attached to this machine ----------------------------------------------------------------------

DisksFor = Literal["nobody", "here", "network"]
"""Who may read the disks of this machine: nobody; whoever sits at it; the workshop's network too."""

BITMAP_SHARE, RECORD_BYTES = 32_768, 1024  # a bit for each 4 KiB; a record for each file


class InUse(YlemorphError):
    """A disk that is in use, and was not asked for all the same."""


class OneDisk(NamedTuple):
    """A disk of this machine for the page: why it cannot be opened, which others look the same, seconds to read it."""

    real: RealDisk
    cannot: str
    alike: tuple[str, ...]
    seconds: tuple[int, int]


class RealDisks:
    """The disks of this machine, for those who may read them."""

    def __init__(self, allowed: DisksFor, readings: Readings, listing: DisksHere | None = None) -> None:
        self.allowed = allowed
        self._readings = readings
        self._listing = listing or DisksHere()

    def open_to(self, *, here: bool) -> bool:
        """Whether a request from this machine itself (``here``) or from another may see them."""
        return self.allowed == "network" or (self.allowed == "here" and here)

    def check(self, *, here: bool) -> None:
        """Raises NotAllowed."""
        if self.allowed == "nobody":
            raise NotAllowed("reading this machine's disks is switched off", mend="start Ylemorph with serve --disks")
        if not self.open_to(here=here):
            raise NotAllowed(
                "this machine's disks are read from this machine alone",
                mend="open Ylemorph there, or start it with --disks-over-network",
            )

    def disks(self) -> list[OneDisk]:
        """Raises YlemorphError where the system does not list them."""
        found = self._listing.disks()
        return [
            OneDisk(
                real,
                self._listing.cannot(real),
                tuple(other.path for other in found if real.looks_like(other)),
                reading_seconds(real.disk),
            )
            for real in found
        ]

    def begin(self, key: str, *, although_in_use: bool) -> DiskRead:
        """Begin to read one. Raises InUse, or YlemorphError where it is gone or cannot be opened."""
        real = self._listing.find(key)
        cannot = self._listing.cannot(real)
        if cannot:
            raise NotAllowed(cannot.rstrip("."), at=real.path)
        if real.uses and not although_in_use:
            raise InUse(
                f"it is in use: {', '.join(real.uses)}",
                at=real.path,
                mend="its figures may change while it is read; say that it is read all the same",
            )

        def dressed(survey: Survey) -> Survey:
            return Survey(_dressed(survey.disk, real.disk), survey.taken)

        return self._readings.begin_with(lambda: open_medium(real.path), dressed)


def _dressed(read: Disk, listed: Disk) -> Disk:
    """What was read, with what only the system knows of the disk."""
    if listed.size_bytes != read.size_bytes:
        raise YlemorphError("another disk has taken its place", mend="look at the list and choose again")
    return read.but(
        model=listed.model, serial=listed.serial, link=listed.link, rotational=listed.rotational, health=listed.health,
        physical_sector_bytes=read.physical_sector_bytes or listed.physical_sector_bytes,
    )  # fmt: skip


def reading_seconds(disk: Disk) -> tuple[int, int]:
    """How long reading it takes, about: its maps and its files' records, at the disk's usual rate."""
    path = Through((("source", rate_of(disk)),), turns(disk))
    held = sum(p.filesystem.used_bytes or 0 for p in disk.rows if p.filesystem is not None)
    files = (held or disk.size_bytes // 2) // MiB
    maps = disk.size_bytes // BITMAP_SHARE + files * RECORD_BYTES
    return added(between(1, 20 if path.turning else 3), spent(maps, path)).seconds
