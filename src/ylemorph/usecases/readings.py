"""Disks read by a path of this machine: off unless folders are allowed, each reading in a thread with its progress."""

import os
import secrets
from pathlib import Path
from threading import Lock, Thread
from typing import Literal

from ..core.disk.model import Survey
from ..core.errors import YlemorphError
from ..probe.disks import survey_medium
from ..probe.media.medium import Medium, Stopped
from ..probe.media.opening import open_below
from ..store.database import NotFound

ReadingState = Literal["running", "done", "failed", "stopped"]
MOST_KEPT = 20


class NotAllowed(YlemorphError):
    """A path outside the allowed folders."""


class DiskRead:
    """One reading: how far it is, and what came of it."""

    def __init__(self, medium: Medium) -> None:
        self.id = secrets.token_hex(6)
        self.path = medium.name
        self._medium = medium
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
                self.survey = survey_medium(medium, self.progress)
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
        with self._lock:
            if sum(kept.state == "running" for kept in self._kept.values()) >= 4:
                raise YlemorphError("four disks are being read already", mend="wait for one of them, or stop it")
            reading = DiskRead(self._opened(text))
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
