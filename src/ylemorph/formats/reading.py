"""A survey from whatever text a technician has: recognised by its content, never by a file's name."""

import codecs
import json
from collections.abc import Mapping
from typing import Any, NamedTuple

from ..core.disk.listing import Listed, Unreadable
from ..core.disk.model import Table
from ..core.errors import BadSurvey
from .csv_rows import looks_like_rows, read_rows
from .lsblk import read_lsblk
from .powershell import is_powershell, read_powershell
from .sfdisk_read import looks_like_dump, read_dump, read_json
from .smart import is_smart, read_smart
from .survey_data import FORMAT, MAX_FILE_BYTES

KNOWN = (
    "an own survey, sfdisk --dump or --json, lsblk --json, smartctl --json, the PowerShell listing, or a table with a "
    "header line"
)


class Reading(NamedTuple):
    """What was recognised, in words, and the disks that stand in it; more than one where the user must choose."""

    form: str
    found: tuple[Listed, ...]
    unreadable: tuple[Unreadable, ...] = ()


def read_any(data: bytes | str, *, size: str = "", table: Table = "gpt") -> Reading:
    """Recognise and read. ``size`` and ``table`` say what a typed table leaves out. Raises BadSurvey."""
    if len(data) > MAX_FILE_BYTES:
        raise BadSurvey(
            f"the file is larger than the {MAX_FILE_BYTES // 1_000_000} MB that a survey can have",
            mend="check that it is the right file",
        )
    text = data if isinstance(data, str) else decoded(data)
    text = text.removeprefix("\ufeff").strip("\0")
    if not text.strip():
        raise BadSurvey("there is nothing in it", mend="copy the listing again")
    if text.lstrip()[0] in "{[":
        reading = _from_json(_parsed(text))
    elif looks_like_dump(text):
        reading = Reading("sfdisk dump", (read_dump(text),))
    elif looks_like_rows(text):
        reading = Reading("table of partitions", (read_rows(text, table=table, size=size),))
    else:
        raise BadSurvey(f"“{_first_words(text)}” is not the beginning of a listing that is known", mend=f"give {KNOWN}")
    if not reading.found and reading.unreadable:
        raise reading.unreadable[0].error
    if not reading.found:
        raise BadSurvey(f"there is no disk in this {reading.form}", mend="take the listing of the whole disk")
    return reading


MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))


def decoded(data: bytes) -> str:
    """Text from UTF-8 or UTF-16, with or without a byte order mark; PowerShell writes the latter."""
    for mark, encoding in MARKS:
        if data.startswith(mark):
            return _decoded(data, encoding)
    if b"\0" in data[:200]:
        guess = "utf-16-le" if data[1:2] == b"\0" else "utf-16-be"
        if data[:200].count(0) < 60:
            raise BadSurvey(
                "this is no text", mend="give a disk image to `ylemorph survey PATH`, which reads it where it stands"
            )
        return _decoded(data, guess)
    return _decoded(data, "utf-8")


def _decoded(data: bytes, encoding: str) -> str:
    try:
        return data.decode(encoding)
    except UnicodeDecodeError as error:
        if encoding == "utf-8":
            return data.decode("cp1252", "replace")  # labels from an older Windows; figures are the same in it
        raise BadSurvey(f"the text is damaged at byte {error.start}", mend="copy the file again") from None


def _parsed(text: str) -> Any:
    try:
        return json.loads(text)
    except RecursionError:
        raise BadSurvey("this is not JSON (nested too deeply)", mend="take the listing again") from None
    except ValueError as error:
        if isinstance(error, json.JSONDecodeError):
            place = f"line {error.lineno}, column {error.colno}"
            if error.pos >= len(text.rstrip()) - 1 or error.msg.startswith("Unterminated"):
                raise BadSurvey(f"the file breaks off ({place})", mend="copy it again as a whole") from None
            raise BadSurvey(f"this is not JSON ({place})", mend="take the listing again or pick another file") from None
        raise BadSurvey("this is not JSON (the text cannot be decoded)", mend="take the listing again") from None


def _from_json(data: Any) -> Reading:
    if not isinstance(data, Mapping):
        raise BadSurvey("a list of values is no listing that is known", mend=f"give {KNOWN}")
    if "blockdevices" in data:
        return _of_each("lsblk listing", read_lsblk(data))
    if "partitiontable" in data:
        return Reading("sfdisk table", (read_json(data),))
    if is_smart(data):
        return Reading("smartctl listing", (read_smart(data),))
    if is_powershell(data):
        return _of_each("PowerShell listing", read_powershell(data))
    if "format" not in data and "disk" not in data:
        keys = _first_words(", ".join(map(str, data)))
        raise BadSurvey(f"JSON with “{keys}” is no listing that is known", mend=f"give {KNOWN}")
    return _own(data)


def _of_each(form: str, items: tuple[Listed | Unreadable, ...]) -> Reading:
    good = tuple(item for item in items if isinstance(item, Listed))
    return Reading(form, good, tuple(item for item in items if isinstance(item, Unreadable)))


def _own(data: Mapping[str, Any]) -> Reading:
    from .survey import survey_from_data

    survey = survey_from_data(data)
    return Reading(f"survey {FORMAT}", (Listed(survey.disk.model, survey, ()),))


def _first_words(text: str) -> str:
    line = " ".join(text.split())
    return line if len(line) <= 40 else line[:37] + "…"
