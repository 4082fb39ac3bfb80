"""A disk from a few numbers: size and used space of each partition are enough, everything else is proposed.

``1``, ``420 GiB``, ``131 used`` is all that a note from the telephone holds. Where no start is given the rows stand
one after the other from the first grain on.
"""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from ...core.disk.filesystems import KIND_NAMES
from ...core.disk.listing import Listed, complete_listing
from ...core.disk.model import ROLES, STATES, Disk, FileSystem, Kind, Partition, Role, State, Table
from ...core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP, MICROSOFT_RESERVED, RECOVERY
from ...core.errors import BadSurvey, YlemorphError
from ...core.sizes import DEFAULT_GRAIN, MAX_BYTES, Bytes, GiB, MiB, div_up, parse_size
from ..own.targets import target_from_text
from .kind_words import kind_from_word

MOST_ROWS = 128
SMALL_BYTES = 2 * GiB  # a start or recovery partition; common practice, no source
RESERVED_BYTES = (16 * MiB, 32 * MiB, 128 * MiB)
LINUX_KINDS = frozenset(("ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs"))
TYPES: dict[Role, tuple[str, str]] = {
    "start": (EFI_SYSTEM, "0x07"),
    "reserved": (MICROSOFT_RESERVED, "0x07"),
    "recovery": (RECOVERY, "0x27"),
    "swap": (LINUX_SWAP, "0x82"),
}
KEPT_KINDS: dict[Role, Kind] = {"start": "fat32", "recovery": "ntfs", "swap": "swap"}


class TypedRow(NamedTuple):
    """One row as written. An empty text is unknown; ``number`` and ``role`` are proposed where they are empty."""

    size: str
    used: str = ""
    filesystem: str = ""
    label: str = ""
    role: str = ""
    number: str = ""
    start: str = ""
    state: str = ""
    type: str = ""


class _Read(NamedTuple):
    size: int
    used: int | None
    kind: Kind | None
    role: Role | None
    start: int | None


def typed_disk(rows: Sequence[TypedRow], *, size: str = "", table: Table = "gpt", bare: str = "gib") -> Listed:
    """A disk from typed rows; ``bare`` is the unit of numbers without one. Raises BadSurvey with row and column."""
    rows = [row for row in rows if any(field.strip() for field in row)]
    if not rows:
        raise BadSurvey("there are no rows yet", at="rows", mend="give each partition's size, and its used space")
    if len(rows) > MOST_ROWS:
        raise BadSurvey(f"{len(rows)} rows are more than the {MOST_ROWS} of a table", at="rows", mend="check the list")
    comma = comma_is_decimal([text for row in rows for text in (row.size, row.used, row.start)])
    read = [_row(row, index, bare, comma=comma) for index, row in enumerate(rows)]
    roles = _roles(read)
    numbers = _numbers(rows)
    partitions, at = [], int(DEFAULT_GRAIN)
    logical_from = 3 if table == "mbr" and len(rows) > 4 else len(rows)
    for index, (row, what, role) in enumerate(zip(rows, read, roles, strict=True)):
        logical = index >= logical_from
        at += DEFAULT_GRAIN if logical else 0
        start = what.start if what.start is not None else at
        number = numbers[index] or (index + 2 if logical else index + 1)
        partitions.append(_partition(row, what, role, number, start, table, logical=logical))
        at = div_up(start + what.size, DEFAULT_GRAIN) * DEFAULT_GRAIN
    if logical_from < len(rows):
        partitions.append(_container(partitions[logical_from:]))
    disk = Disk(sectors=0, table=table, partitions=tuple(partitions))
    if size.strip():
        disk = Disk(sectors=_disk_sectors(size), table=table, partitions=tuple(partitions))
    return complete_listing("typed", disk, size_known=bool(disk.sectors))


def _disk_sectors(text: str) -> int:
    try:
        return target_from_text(text, 512).sectors
    except YlemorphError as error:
        raise BadSurvey(error.problem, at="size", mend=error.mend) from None


def _row(row: TypedRow, index: int, bare: str, *, comma: bool) -> _Read:
    at = f"rows[{index}]"
    size = read_number(row.size, f"{at}.size", bare, comma=comma)
    if not size:
        raise BadSurvey("the size is missing", at=f"{at}.size", mend="give it with a unit, such as 420 GiB")
    used = read_used(row.used, size, f"{at}.used", bare, comma=comma)
    if used is not None and used > size:
        raise BadSurvey("more is used than it holds", at=f"{at}.used", mend="check which of the two is right")
    return _Read(
        size,
        used,
        _kind(row.filesystem, f"{at}.filesystem"),
        _role(row.role, f"{at}.role"),
        read_number(row.start, f"{at}.start", "s", comma=comma) if row.start.strip() else None,
    )


def _kind(word: str, at: str) -> Kind | None:
    if not word.strip() or word.strip().lower() in ("none", "-"):
        return None
    kind = kind_from_word(word)
    if kind is None:
        known = ", ".join(KIND_NAMES.values())
        raise BadSurvey(f"“{word.strip()[:30]}” is no file system", at=at, mend=f"use one of {known}")
    return kind


def _role(word: str, at: str) -> Role | None:
    text = word.strip().lower()
    if not text:
        return None
    for role in ROLES:
        if role == text:
            return role
    raise BadSurvey(f"“{word.strip()[:30]}” is no role", at=at, mend="use one of " + ", ".join(ROLES))


def _numbers(rows: Sequence[TypedRow]) -> list[int | None]:
    out: list[int | None] = []
    for index, row in enumerate(rows):
        text = row.number.strip().rstrip(".")
        if text and not (text.isascii() and text.isdigit() and len(text) <= 4 and int(text) > 0):
            raise BadSurvey(f"“{text[:20]}” is no number", at=f"rows[{index}].number", mend="leave it empty")
        out.append(int(text) if text else None)
    return out


def _roles(read: Sequence[_Read]) -> list[Role | None]:
    """Roles by size and place: small in front is start, small at the end recovery, the first large one the system.

    A proposal only: a disk of one large partition is data or system, and the user is asked.
    """
    roles = [what.role for what in read]
    large = [i for i, what in enumerate(read) if what.size > SMALL_BYTES and roles[i] is None]
    for i in [i for i in range(len(read)) if i not in large]:
        roles[i] = roles[i] or _small_role(read[i], i, large, may_start="start" not in roles)
    if "system" not in roles and "start" in roles:
        for i in large:
            roles[i] = "system" if i == large[0] else "data"
    return roles


def _small_role(what: _Read, place: int, large: list[int], *, may_start: bool) -> Role | None:
    """The role of a row that is not ``large``, by what it is and on which side of the large ones it stands."""
    if what.kind == "swap":
        return "swap"
    if what.size in RESERVED_BYTES and what.used is None and what.kind is None:
        return "reserved"
    if large and place < large[0] and may_start:
        return "start"
    if large and place > large[-1] and what.kind in (None, "ntfs", "unknown"):
        return "recovery"
    return None


def _partition(
    row: TypedRow, what: _Read, role: Role | None, number: int, start: int, table: Table, *, logical: bool
) -> Partition:
    kind = what.kind
    if kind is None and role != "reserved":
        kind = KEPT_KINDS.get(role or "unknown", "ntfs" if what.used is not None else None)
    state = _state(row.state, number)
    given = row.type.strip()
    fallback = LINUX_DATA if kind in LINUX_KINDS else BASIC_DATA
    by_role = TYPES.get(role or "unknown", (fallback, "0x83" if kind in LINUX_KINDS else "0x07"))
    return Partition(
        number=number,
        first_lba=start // 512,
        sectors=what.size // 512,
        type=given.upper().replace("0X", "0x") if given else by_role[table == "mbr"],
        logical=logical,
        flags=frozenset({"active"} if role == "start" and table == "mbr" else ()),
        role=role,
        filesystem=FileSystem(
            kind,
            label=row.label.strip(),
            used_bytes=None if what.used is None else Bytes(what.used),
            used_kind="unknown" if what.used is None else "typed",
            state=state,
        )
        if kind
        else None,
        name="" if kind else row.label.strip(),
    )


def _container(logicals: Sequence[Partition]) -> Partition:
    """The extended partition around the logicals, from the first one's record on."""
    start = logicals[0].first_lba - DEFAULT_GRAIN // 512
    return Partition(4, start, logicals[-1].extent.stop - start, "0x0F")


def _state(word: str, number: int) -> State:
    text = word.strip().lower()
    for state in STATES:
        if state == text:
            return state
    if text:
        raise BadSurvey(f"“{text[:20]}” is no state", at=f"row {number}", mend="use one of " + ", ".join(STATES))
    return "unknown"


_THOUSANDS = re.compile(r"(?<=\d)['\u2019\u00a0\u202f\u2009 ](?=\d{3}(?:\D|$))")
_DECIMAL_COMMA = re.compile(r"\d{1,3}(?:\.\d{3})+,\d|\d+,(?!\d{3}(?:\D|$))\d")
_FIGURE = re.compile(r"^([\d.,]+)(.*)$", re.DOTALL)


def comma_is_decimal(texts: Iterable[str]) -> bool:
    """Whether one of the numbers of a table is written with a decimal comma, so that a point in another may part
    thousands: ``465,2 GiB`` beside ``1.024 GiB``."""
    return any(_DECIMAL_COMMA.match(_THOUSANDS.sub("", text.strip())) for text in texts)


def plain_number(text: str, at: str, *, comma: bool = False) -> str:
    """A number as any country writes it, in our way: ``1.234,5 GB`` and ``1 234.5 GB`` become ``1234.5 GB``.

    ``comma``: others beside it have a decimal comma. Raises BadSurvey where it could be either: ``131,072``.
    """
    text = _THOUSANDS.sub("", text.strip())
    match = _FIGURE.match(text)
    if match is None:
        return text
    figure, rest = match.groups()
    if "," in figure and "." in figure:
        decimal = max(figure, key=lambda c: figure.rfind(c) if c in ",." else -1)
        figure = figure.replace("," if decimal == "." else ".", "").replace(decimal, ".")
    elif figure.count(",") > 1 or figure.count(".") > 1:
        figure = figure.replace(",", "").replace(".", "")
    elif re.search(r"^\d{1,3}[,.]\d{3}$" if comma else r",\d{3}$", figure):
        point = figure.replace(",", ".")
        raise BadSurvey(
            f"“{figure}” could mean {point} or {point.replace('.', '')}",
            at=at,
            mend="write it without a thousands separator",
        )
    return figure.replace(",", ".") + rest


def read_number(text: str, at: str, bare: str, *, comma: bool = False) -> int:
    """A size as written, in bytes; empty is 0. ``comma``: as for ``plain_number``."""
    if not text.strip():
        return 0
    try:
        value = parse_size(plain_number(text, at, comma=comma), sector=512, bare=bare)
    except BadSurvey:
        raise
    except YlemorphError as error:
        raise BadSurvey(error.problem, at=at, mend=error.mend) from None
    if value > MAX_BYTES // 2:
        raise BadSurvey("the size is out of range", at=at, mend="check the unit")
    return value


def read_used(text: str, size: int, at: str, bare: str, *, comma: bool = False) -> int | None:
    """Used space: a size, a share of the partition (``31 %``), or what is free (``289 GiB free``); None where empty."""
    words = text.strip().lower()
    if words in ("", "?", "-", "unknown"):
        return None
    free = words.endswith("free")
    words = words.removesuffix("free").removesuffix("used").strip()
    if words.endswith("%"):
        try:
            value = parse_size(plain_number(words, at, comma=comma), whole=size)
        except YlemorphError as error:
            raise BadSurvey(error.problem, at=at, mend=error.mend) from None
    else:
        value = Bytes(read_number(words, at, bare, comma=comma))
    if free and value > size:
        raise BadSurvey("more is free than the partition holds", at=at, mend="check which of the two is right")
    return size - value if free else value
