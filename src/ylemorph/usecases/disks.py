"""A disk from whatever a person names: a survey, a listing, an image, a device, standard input, or just a size."""

import codecs
import os
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import IO, TYPE_CHECKING

from ..core.disk.containers import container_of
from ..core.errors import YlemorphError
from ..opening import open_regular, read_most
from ..system import opened

if TYPE_CHECKING:
    from ..core.disk.listing import Listed
    from ..core.disk.model import Disk, Survey
    from ..core.fit.plan import Plan

SAME = "same"  # the source itself, as a target
EDGE = 4096  # bytes at the start and the end of a file by which text is told from an image
LEAST_IMAGE = 512
CONTROLS = bytes(byte for byte in range(32) if byte not in b"\t\n\v\f\r\x1a")  # that no text has


def read_disk(name: str, wanted: str | None = None, option: str = "--disk") -> "Survey":
    """A survey from a file in any readable form, an image or a device, or ``-``; ``wanted`` picks one of several."""
    shown = "standard input" if name == "-" else name
    try:
        is_image, data = _read(name)
    except (OSError, ValueError) as error:
        raise _unreadable(error, name, shown) from None
    if is_image:
        from ..probe.disks import survey_path

        return survey_path(name)
    from ..formats.listings.reading import read_any

    try:
        reading = read_any(data)
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None
    for broken in reading.unreadable:
        if wanted == broken.name:
            raise YlemorphError(broken.error.sentence(), at=shown)
    return _picked(reading.found, wanted, shown, option).survey


def read_text_file(name: str) -> tuple[str, bytes]:
    """How a file is named in sentences, and its text; ``-`` is standard input. Raises YlemorphError."""
    shown = "standard input" if name == "-" else name
    try:
        return shown, _read(name)[1]
    except (OSError, ValueError) as error:
        raise _unreadable(error, name, shown) from None


def _unreadable(error: OSError | ValueError, name: str, shown: str) -> YlemorphError:
    reason = getattr(error, "strerror", None) or ("it is closed" if name == "-" else "not a path")
    return YlemorphError(f"cannot be read ({reason})", at=shown, mend="check the path")


def _read(name: str) -> tuple[bool, bytes]:
    """Whether it is an image or a device, and else the whole text as far as a listing may be long."""
    from ..formats.own.survey_data import MAX_FILE_BYTES

    if name == "-":
        if sys.stdin is None or sys.stdin.closed:
            raise ValueError("standard input is closed")
        return False, sys.stdin.buffer.read(MAX_FILE_BYTES + 1)
    with open_regular(name, device=True) as file:
        is_image, head = _told(file, name)
        return is_image, b"" if is_image else head + read_most(file, MAX_FILE_BYTES + 1 - EDGE)


def is_image(name: str) -> bool:
    """Whether a file holds a disk and no text; False for one that cannot be opened."""
    try:
        with open_regular(name, device=True) as file:
            return _told(file, name)[0]
    except (OSError, ValueError):
        return False


def _told(file: IO[bytes], name: str) -> tuple[bool, bytes]:
    """Whether an open file is an image or a device, and its beginning, behind which the file stands then."""
    _, kind, size = opened(file.fileno(), name)
    if kind == "device":
        return True, b""
    head = read_most(file, EDGE)
    if kind == "file" and size > EDGE:
        file.seek(-EDGE, os.SEEK_END)
        tail = file.read(EDGE)
        file.seek(EDGE)
    else:
        tail = b""
    is_raw = size >= LEAST_IMAGE and not (is_text(head) and is_text(tail))
    return is_raw or container_of(head) is not None, head


def is_text(block: bytes) -> bool:
    """Whether a block is part of a text: no control characters; UTF-16 has a zero in every second byte."""
    if not block or block.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return True
    if b"\0" in block:
        narrow = [half for half in (block[::2], block[1::2]) if not any(half)]
        return len(narrow) == 1 and is_text(block[1::2] if narrow[0] == block[::2] else block[::2])
    return len(block) == len(block.translate(None, CONTROLS))


def _picked(found: "tuple[Listed, ...]", wanted: str | None, shown: str, option: str) -> "Listed":
    """The one disk, or the one of several that ``wanted`` names by path, model or serial."""
    if wanted is not None:
        for item in found:
            if wanted in (item.name, item.survey.disk.model, item.survey.disk.serial):
                return item
    elif len(found) == 1:
        return found[0]
    names = ", ".join(f"“{item.name}”" for item in found)
    problem = f"there is no disk “{wanted}” in it" if wanted is not None else f"it lists {len(found)} disks"
    raise YlemorphError(problem, at=shown, mend=f"choose with {option} one of {names}")


def plan_for(
    source: str,
    target: str,
    sector: int,
    disk: str | None,
    target_disk: str | None,
    given: Mapping[str, object],
) -> "Plan":
    """The plan for two disks as a person names them, under the options that were given. Raises YlemorphError.

    ``disk`` and ``target_disk`` pick one of several; ``sector``: the logical one of a target that is only a size.
    """
    from ..core.fit.plan import make_plan
    from ..formats.own.options import options_from

    if source == "-" and target == "-":
        raise YlemorphError("standard input can be read only once", at="--target", mend="give one of the two as a file")
    source_read = read_disk(source, disk).disk
    if target == SAME:
        given = {**given, "in_place": "yes"}
    target_read = source_read if target == SAME else read_target(target, sector, target_disk)
    return make_plan(source_read, target_read, options_from(given, source_read, target_read))


def start_code_of(name: str, plan: "Plan") -> "list[tuple[int, bytes]]":
    """The code that starts a machine from ``plan``'s source, by its byte offsets; nothing where a survey or listing
    names the disk, since those do not hold it."""
    if not plan.starting.code or name == "-" or not is_image(name):
        return []
    from ..probe.media.opening import open_medium
    from ..probe.start_code import code_pieces

    with open_medium(name) as medium:
        start = plan.starting
        return code_pieces(medium, plan.source.logical_sector_bytes, start.placed_reach, start.loader_now)


def read_target(text: str, sector: int, wanted: str | None) -> "Disk":
    """A size where the text reads as one and no file has that name; else a file."""
    from ..core.errors import BadSize
    from ..formats.own.targets import target_from_text

    if text != "-" and not Path(text).exists():
        try:
            return target_from_text(text, sector)
        except BadSize:
            if text[:1].isdigit() or text[:1] in "+-." or not text:
                raise YlemorphError(
                    f"“{text}” is neither a file nor a size",
                    at="--target",
                    mend="give a survey file, a nominal size (480GB) or sectors (937703088s)",
                ) from None
    return read_disk(text, wanted, "--target-disk").disk
