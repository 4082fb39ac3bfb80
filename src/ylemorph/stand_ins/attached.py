"""Attaching and reading the stand-ins. An attached disk is a sparse image in a folder, read by the real probe."""

import os
import secrets
from collections.abc import Iterator
from dataclasses import replace
from importlib.resources import files
from pathlib import Path
from threading import Lock
from typing import NamedTuple

from ..core.disk.check import checked
from ..core.disk.model import Disk, Survey
from ..core.errors import YlemorphError
from ..probe.disks import survey_path
from ..probe.media.medium import CannotRead, Progress
from ..system import make_sparse
from .disks import BY_KEY, STAND_INS, StandIn
from .extents import unpack
from .starts import own_starts, put_code

RATE_SHARES = (100, 96, 88)  # percent of its rate that a stand-in gives from its beginning to its end


class NotAttached(YlemorphError):
    """A disk that is not on the bench, or not attached."""


class Attached(NamedTuple):
    """A disk of the bench: what it reports of itself, its survey while it is attached, and what to beware of."""

    stand_in: StandIn
    survey: Survey | None
    same_identity: tuple[str, ...]


class Bench:
    """The bench in a folder. Which disks are attached is told by the images that stand there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._known: dict[str, tuple[int, Survey]] = {}
        self._lock = Lock()

    def tidy(self) -> None:
        """Take away what a program left that was killed while it attached a disk. Call it once, at the start."""
        for cut_off in self.folder.glob("*.part"):
            cut_off.unlink(missing_ok=True)

    def disks(self) -> tuple[Attached, ...]:
        """All disks, those attached with their surveys. Two with one disk identity name each other (rule 7.3)."""
        surveys = {stand_in.key: self._survey(stand_in) for stand_in in STAND_INS}
        identities = {key: survey.disk.table_id for key, survey in surveys.items() if survey and survey.disk.table_id}
        return tuple(
            Attached(
                stand_in,
                surveys[stand_in.key],
                tuple(
                    f"{BY_KEY[key].model} {BY_KEY[key].serial}"
                    for key, identity in identities.items()
                    if key != stand_in.key and identity == identities.get(stand_in.key)
                ),
            )
            for stand_in in STAND_INS
        )

    def attach(self, key: str) -> None:
        """Put the disk on the bench. Raises YlemorphError where the image cannot be written."""
        stand_in = _stand_in(key)
        path = self._path(stand_in)
        if path.exists():
            return
        made = path.with_name(f"{key}.{secrets.token_hex(4)}.part")
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            _write_image(stand_in, made)
            made.replace(path)
        except OSError as error:
            raise YlemorphError(
                f"the image of {stand_in.model} cannot be written ({error.strerror})",
                mend="free some space on this disk, or detach another stand-in",
            ) from None
        finally:
            made.unlink(missing_ok=True)

    def detach(self, key: str) -> None:
        """Take the disk off the bench; attached again it is as it was shipped."""
        self._path(_stand_in(key)).unlink(missing_ok=True)

    def read(self, key: str, progress: Progress | None = None) -> Survey:
        """Read the disk with the real probe. Raises NotAttached."""
        stand_in = _stand_in(key)
        survey = self._survey(stand_in, progress)
        if survey is None:
            raise NotAttached(f"{stand_in.model} {stand_in.serial} is not attached", mend="attach it on the bench")
        return survey

    def image_of(self, serial: str) -> Path:
        """The image behind the attached disk with that serial. Raises NotAttached."""
        for stand_in in STAND_INS:
            if serial and stand_in.serial == serial and self._path(stand_in).exists():
                return self._path(stand_in)
        raise NotAttached(
            "the target of this job is no disk on the bench", mend="attach one and choose it as the target to practise"
        )

    def image_if_there(self, serial: str) -> Path | None:
        try:
            return self.image_of(serial)
        except NotAttached:
            return None

    def _path(self, stand_in: StandIn) -> Path:
        return self.folder / f"{stand_in.key}.img"

    def _survey(self, stand_in: StandIn, progress: Progress | None = None) -> Survey | None:
        """What an attached disk holds; None where it is not attached, or detached while it is read."""
        path = self._path(stand_in)
        try:
            stamp = path.stat().st_mtime_ns
        except FileNotFoundError:
            return None
        with self._lock:
            known = self._known.get(stand_in.key)
        if known is None or known[0] != stamp:
            try:
                read = survey_path(path, progress)
            except CannotRead:
                if path.exists():
                    raise
                return None
            known = (stamp, Survey(_reported(read.disk, stand_in), read.taken))
            with self._lock:
                self._known[stand_in.key] = known
        return known[1]


def _stand_in(key: str) -> StandIn:
    try:
        return BY_KEY[key]
    except KeyError:
        raise NotAttached(f"there is no disk “{key[:40]}” on the bench", mend="load the page again") from None


def _reported(disk: Disk, stand_in: StandIn) -> Disk:
    """What was read, with what only the disk or its adapter can tell. Its files are stand-ins too, and not counted."""
    return checked(
        replace(
            disk,
            partitions=tuple(
                p if p.filesystem is None else p.but(filesystem=p.filesystem.but(files=None)) for p in disk.partitions
            ),
            model=stand_in.model,
            serial=stand_in.serial,
            link=stand_in.link,
            rotational=stand_in.rotational,
            physical_sector_bytes=stand_in.physical,
            health=stand_in.health,
            read_rates=tuple(stand_in.rate * share * 10**4 for share in RATE_SHARES) if disk.holds_something else (),
        )
    )


def _write_image(stand_in: StandIn, path: Path) -> None:
    """The packed image, stretched to the size of this disk."""
    if stand_in.image is None:
        with path.open("xb") as file:
            make_sparse(file)
    else:
        with (files(__package__) / "images" / f"{stand_in.image}.xz").open("rb") as packed:
            unpack(packed, path)
    os.truncate(path, stand_in.sectors * stand_in.sector)
    if stand_in.starts:
        put_code(path)
        own_starts(path)


def usual() -> Iterator[str]:
    """The disks that the demo attaches at its first start: a source, a blank target, one that holds something."""
    yield from ("desk", "blank", "loan")
