"""Reading and writing files for the commands, every failure one sentence with the file's name."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import YlemorphError

if TYPE_CHECKING:
    from ..core.disk import Survey


def read_disk(name: str) -> "Survey":
    from ..formats.survey import MAX_FILE_BYTES, read_survey

    shown = "standard input" if name == "-" else name
    try:
        if name == "-":
            data = sys.stdin.buffer.read(MAX_FILE_BYTES + 1)
        else:
            with Path(name).open("rb") as file:
                data = file.read(MAX_FILE_BYTES + 1)
    except OSError as error:
        raise YlemorphError(
            f"cannot be read ({error.strerror or 'unknown reason'})", at=shown, mend="check the path"
        ) from None
    try:
        return read_survey(data)
    except YlemorphError as error:
        raise YlemorphError(error.sentence(), at=shown) from None


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
