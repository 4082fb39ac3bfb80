"""A survey from whatever text a technician has: recognised by its content, never by a file's name."""

import codecs
import json
from collections.abc import Callable, Iterable, Mapping
from typing import Any, NamedTuple

from ...core.disk.containers import HEAD_BYTES, container_of
from ...core.disk.listing import Listed, Unreadable
from ...core.disk.model import Table
from ...core.errors import BadSurvey
from ..own.survey_data import FORMAT, MAX_FILE_BYTES
from . import lsblk, powershell, smart
from .blkid import Blocks, apart
from .collected import is_collected, read_collected
from .csv_rows import looks_like_rows, read_rows
from .lsblk import Beside, read_lsblk
from .parted import is_parted, read_parted
from .powershell import is_powershell, read_powershell
from .sfdisk_read import looks_like_dump, read_dump, read_json
from .smart import is_smart, read_smart


class Recognised(NamedTuple):
    """What was recognised, in words, and the disks that stand in it; more than one where the user must choose."""

    form: str
    found: tuple[Listed, ...]
    unreadable: tuple[Unreadable, ...] = ()


class Given(NamedTuple):
    """What a reader gets: the text, its JSON where it is some, and what a typed table leaves out."""

    text: str
    data: Mapping[str, Any] | None
    size: str
    table: Table
    beside: Blocks


class Listing(NamedTuple):
    """One form of listing: how it is told, read and made. ``name`` is how it is asked for.

    ``command`` writes it, shown under ``where``; empty for one that people write themselves.
    """

    form: str
    name: str
    matches: Callable[[Given], bool]
    read: Callable[[Given], Iterable[Listed | Unreadable]]
    where: str = ""
    command: str = ""


def _has(*keys: str) -> Callable[[Given], bool]:
    return lambda given: given.data is not None and any(key in given.data for key in keys)


def _own(given: Given) -> list[Listed]:
    from ..own.survey import survey_from_data

    survey = survey_from_data(given.data)
    return [Listed(survey.disk.model, survey, ())]


# In the order in which they are tried.
LISTINGS = (
    Listing(
        "lsblk listing", "lsblk --json", _has("blockdevices"),
        lambda given: read_lsblk(given.data or {}, Beside(given.beside, {}, {}, {})),
        "Linux, in a terminal", lsblk.COMMAND,
    ),
    Listing(
        "listing that was collected", "what the collecting script wrote",
        lambda given: given.data is not None and is_collected(given.data),
        lambda given: read_collected(given.data or {}, given.beside),
    ),
    Listing(
        "sfdisk table", "sfdisk --json", _has("partitiontable"), lambda given: [read_json(given.data or {})],
    ),
    Listing(
        "smartctl listing", "smartctl --json", lambda given: given.data is not None and is_smart(given.data),
        lambda given: [read_smart(given.data or {})], "Linux, one disk's health", smart.COMMAND,
    ),
    Listing(
        "PowerShell listing", "the PowerShell listing",
        lambda given: given.data is not None and is_powershell(given.data),
        lambda given: read_powershell(given.data or {}), "Windows, PowerShell as administrator", powershell.COMMAND,
    ),
    Listing(
        "parted table", "parted --json", lambda given: given.data is not None and is_parted(given.data),
        lambda given: [read_parted(given.data or {})],
    ),
    Listing(f"survey {FORMAT}", "an own survey", _has("format", "disk"), _own),
    Listing(
        "sfdisk dump", "sfdisk --dump", lambda given: given.data is None and looks_like_dump(given.text),
        lambda given: [read_dump(given.text)],
    ),
    Listing(
        "table of partitions", "a table with a header line",
        lambda given: given.data is None and looks_like_rows(given.text),
        lambda given: read_rows(given.text, table=given.table, size=given.size),
    ),
)  # fmt: skip
KNOWN = "give " + ", ".join(listing.name for listing in LISTINGS[:-1]) + f" or {LISTINGS[-1].name}"


def read_any(data: bytes | str, *, size: str = "", table: Table = "gpt") -> Recognised:
    """Recognise and read. ``size`` and ``table`` say what a typed table leaves out. Raises BadSurvey."""
    if len(data) > MAX_FILE_BYTES:
        raise BadSurvey(
            f"the file is larger than the {MAX_FILE_BYTES // 1_000_000} MB that a survey can have",
            mend="check that it is the right file",
        )
    text = data if isinstance(data, str) else decoded(data)
    text, beside = apart(text.removeprefix("\ufeff").strip("\0"))
    if not text.strip():
        if beside:
            raise BadSurvey(
                "blkid knows neither starts nor sizes", mend="put what it says behind the listing of lsblk, in one text"
            )
        raise BadSurvey("there is nothing in it", mend="copy the listing again")
    parsed = _parsed(text) if text.lstrip()[0] in "{[" else None
    if parsed is not None and not isinstance(parsed, Mapping):
        raise BadSurvey("a list of values is no listing that is known", mend=KNOWN)
    given = Given(text, parsed, size, table, beside)
    for listing in LISTINGS:
        if listing.matches(given):
            return _recognised(listing, given)
    if parsed is None:
        raise BadSurvey(f"“{_first_words(text)}” is not the beginning of a listing that is known", mend=KNOWN)
    keys = _first_words(", ".join(map(str, parsed)))
    raise BadSurvey(f"JSON with “{keys}” is no listing that is known", mend=KNOWN)


def _recognised(listing: Listing, given: Given) -> Recognised:
    items = tuple(listing.read(given))
    good = tuple(item for item in items if isinstance(item, Listed))
    broken = tuple(item for item in items if isinstance(item, Unreadable))
    if not good:
        wrong = BadSurvey(f"there is no disk in this {listing.form}", mend="take the listing of the whole disk")
        raise broken[0].error if broken else wrong
    return Recognised(listing.form, good, broken)


MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))


def decoded(data: bytes) -> str:
    """Text from UTF-8 or UTF-16, with or without a byte order mark; PowerShell writes the latter."""
    container = container_of(data[:HEAD_BYTES])
    if container is not None:
        raise BadSurvey(
            f"this is {container.name}, not a listing",
            mend="give it to `ylemorph survey PATH`, which reads it where it stands"
            if container.driver
            else f"unpack it first: {container.command.format(file='FILE')}",
        )
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


def _first_words(text: str) -> str:
    line = " ".join(text.split())
    return line if len(line) <= 40 else line[:37] + "…"
