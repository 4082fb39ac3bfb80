"""Asking the system for its disks: the one table of systems, each with its utility and the right that reading takes."""

import os
import shutil
import subprocess
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Lock, Thread
from typing import NamedTuple

from ..core.disk.model import Health
from ..core.errors import YlemorphError
from ..system import System, system_name
from . import linux, macos, windows
from .real_disk import RealDisk

FRESH_SECONDS = 1.0  # so long a listing stands, however many windows look
ANSWER_SECONDS = 20
HEALTH_SECONDS = 600
Run = Callable[[tuple[str, ...]], bytes]


class Lister(NamedTuple):
    """How a system is asked, and what to do where it does not let a disk be read."""

    ask: Callable[[Run], tuple[RealDisk, ...]]
    right: str
    health: tuple[str, ...] = ()  # the command that tells it of one disk


LISTERS: dict[System, Lister] = {
    "linux": Lister(
        linux.ask,
        "start Ylemorph as root, or let its user read disks (sudo usermod -aG disk NAME) and sign in again",
        linux.HEALTH,
    ),
    "windows": Lister(windows.ask, "start Ylemorph as administrator"),
    "macos": Lister(macos.ask, "start Ylemorph by sudo, from a terminal that has Full Disk Access"),
}


def run(command: tuple[str, ...]) -> bytes:
    """What a utility of the system prints. Raises YlemorphError where it is missing, fails or does not answer."""
    try:
        done = subprocess.run(  # noqa: S603  # fixed words, and names that the system itself gave
            command, capture_output=True, timeout=ANSWER_SECONDS, stdin=subprocess.DEVNULL, check=False
        )
    except (OSError, subprocess.TimeoutExpired):
        raise YlemorphError(
            f"{command[0]} did not list the disks of this machine", mend="see whether it is there and answers"
        ) from None
    if done.returncode and not done.stdout.strip():
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise YlemorphError(f"{command[0]} failed ({said[-1][:200] if said else done.returncode})")
    return done.stdout


@dataclass
class DisksHere:
    """The disks of this machine as they are now. Many may ask at once; the system is asked once a second."""

    lister: Lister = field(default_factory=lambda: LISTERS[system_name()])
    run: Run = run
    _found: tuple[RealDisk, ...] = ()
    _at: float = 0.0
    _lock: Lock = field(default_factory=Lock)
    _healths: dict[str, tuple[float, Health | None]] = field(default_factory=dict)  # by the disk's key: when, and what

    def disks(self) -> tuple[RealDisk, ...]:
        """Raises YlemorphError where the system does not tell."""
        with self._lock:
            if not self._at or time.monotonic() - self._at >= FRESH_SECONDS:
                self._found = tuple([self._with_health(disk) for disk in self.lister.ask(self.run)])
                self._at = time.monotonic()
                self._ask_health()
            return self._found

    def find(self, key: str) -> RealDisk:
        """The disk of that key, looked for anew. Raises YlemorphError where it is not attached any more."""
        with self._lock:
            self._at = 0.0
        found = next((disk for disk in self.disks() if disk.key == key), None)
        if found is None:
            raise YlemorphError("this disk is not attached any more", at="key", mend="attach it and choose it again")
        return found

    def cannot(self, disk: RealDisk) -> str:
        """Why it cannot be opened, and how to get the right; empty where it can, or where only trying tells."""
        if self.lister is LISTERS["windows"] or os.access(disk.path, os.R_OK):
            return ""
        return f"Reading it takes a right that Ylemorph does not have: {self.lister.right}."

    def _with_health(self, disk: RealDisk) -> RealDisk:
        _, health = self._healths.get(disk.key, (0.0, None))
        return disk if health is None else disk._replace(disk=disk.disk.but(health=health))

    def _ask_health(self) -> None:
        """Behind the answer, since a disk takes its time; the next look shows it."""
        if not self.lister.health or shutil.which(self.lister.health[0]) is None:
            return
        now = time.monotonic()
        known = {disk.key: self._healths[disk.key] for disk in self._found if disk.key in self._healths}
        stale = [d for d in self._found if d.key not in known or now - known[d.key][0] >= HEALTH_SECONDS]
        self._healths = known | {disk.key: (now, known.get(disk.key, (0.0, None))[1]) for disk in stale}
        if stale:
            Thread(target=self._learn, args=(stale,), name="health of disks", daemon=True).start()

    def _learn(self, disks: list[RealDisk]) -> None:
        for disk in disks:
            try:
                health = linux.read_health(self.run((*self.lister.health, disk.path)))
            except YlemorphError:
                continue
            with self._lock:
                self._healths[disk.key] = (time.monotonic(), health)
