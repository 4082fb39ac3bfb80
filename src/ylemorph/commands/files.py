"""Reading and writing files for the commands, every failure one sentence with the file's name."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import YlemorphError

if TYPE_CHECKING:
    from ..core.disk import Survey
    from ..core.listing import Listed

HEAD = 4096


def read_disk(name: str, wanted: str | None = None, option: str = "--disk") -> "Survey":
    """A survey from a file in any readable form, an image or a device, or ``-``; ``wanted`` picks one of several."""
    shown = "standard input" if name == "-" else name
    try:
        head, data = _read(name)
    except OSError as error:
        raise YlemorphError(
            f"cannot be read ({error.strerror or 'unknown reason'})", at=shown, mend="check the path"
        ) from None
    if name != "-" and _is_image(head):
        from ..probe.disks import survey_path

        return survey_path(name)
    from ..formats.reading import read_any

    try:
        found = read_any(data).found
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None
    return _picked(found, wanted, shown, option).survey


def _read(name: str) -> tuple[bytes, bytes]:
    """The first bytes, and the whole as far as a listing may be long."""
    from ..formats.survey_data import MAX_FILE_BYTES

    if name == "-":
        data = sys.stdin.buffer.read(MAX_FILE_BYTES + 1)
        return data[:HEAD], data
    with Path(name).open("rb") as file:
        head = file.read(HEAD)
        return head, head + (b"" if _is_image(head) else file.read(MAX_FILE_BYTES + 1 - HEAD))


def _is_image(head: bytes) -> bool:
    """A first sector is mostly zeros or has its mark at the end; UTF-16 text has a zero in every second byte."""
    return len(head) == HEAD and (head[510:512] == b"\x55\xaa" or head.count(0) > HEAD * 3 // 4)


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


def write_text(text: str, out: str | None) -> None:
    if out is None:
        sys.stdout.write(text)
        return
    try:
        Path(out).write_text(text, encoding="utf-8", newline="")
    except OSError as error:
        raise YlemorphError(
            f"cannot be written ({error.strerror or 'unknown reason'})", at=out, mend="choose another place"
        ) from None
