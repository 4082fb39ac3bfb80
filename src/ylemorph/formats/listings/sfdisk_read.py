"""What ``sfdisk`` (util-linux) writes: the script of ``--dump`` and the JSON of ``--json``. A table, no contents."""

import re
from collections.abc import Mapping
from typing import Any

from ...core.disk.listing import Listed, complete_listing
from ...core.disk.model import MOST_TEXT, SECTOR_SIZES, Disk, Flag, Partition
from ...core.errors import BadSurvey
from ...core.sizes import div_up

# The UEFI attribute bits as the utility writes them: by name, or by number after ``GUID:``.
ATTRIBUTE_WORDS: dict[str, Flag] = {"RequiredPartition": "required", "62": "hidden", "63": "no-auto"}
SHORT_TYPES = {
    "L": "0FC63DAF-8483-4772-8E79-3D69D8477DE4",
    "S": "0657FD6D-A4AB-43C4-84E5-0933C84B4F4F",
    "U": "C12A7328-F81F-11D2-BA4B-00A0C93EC93B",
    "H": "933AC7E1-2EB4-4F13-B844-0E14E2AEF915",
}
_HEADER = re.compile(r"^([a-z-]+):\s*(.*)$")
_FIELD = re.compile(r'(?:^|,)\s*([a-zA-Z-]+)(?:\s*=\s*(?:"([^"]*)"|([^,"]*)))?')
_ESCAPED = re.compile(r"(?:\\x[0-9a-fA-F]{2})+")
MOST_LINES = 2_000
Words = dict[str, Any]  # of a line or an object, by name, unchecked


def looks_like_dump(text: str) -> bool:
    return re.search(r"^label:\s*(gpt|dos)\s*$", text, re.MULTILINE) is not None


def read_dump(text: str) -> Listed:
    """Raises BadSurvey with the line that cannot be read."""
    headers: Words = {}
    rows: list[Words] = []
    lines = text.splitlines()
    if len(lines) > MOST_LINES:
        raise BadSurvey(f"{len(lines)} lines are too many for a table", mend="check that it is the right file")
    for number, raw in enumerate(lines, 1):
        line = raw.strip()
        header = _HEADER.match(line)
        if not line or line.startswith("#"):
            continue
        if header and not rows and "start=" not in line:
            headers[header[1]] = header[2].strip()
            continue
        node, colon, fields = line.rpartition(" : ") if " : " in line else line.rpartition(": ")
        if "size" not in line:
            raise BadSurvey(
                f"“{line[:60]}” is no line of a table", at=f"line {number}", mend="copy the whole dump again"
            )
        row = {
            m[1].lower(): _plain(m[2]) if m[2] is not None else (m[3] or "").strip() for m in _FIELD.finditer(fields)
        }
        rows.append({**row, "node": node.strip() if colon else "", "line": number})
    return _disk(headers.get("device", ""), headers, rows)


def _plain(quoted: str) -> str:
    """A quoted text as it was: what is no plain ASCII, and signs that a shell knows, stand as ``\\xc3`` in a dump."""
    return _ESCAPED.sub(lambda m: bytes.fromhex(m[0].replace("\\x", "")).decode("utf-8", "replace"), quoted)


def read_json(data: Mapping[str, Any]) -> Listed:
    """From the object under ``partitiontable``."""
    table = data.get("partitiontable")
    if not isinstance(table, Mapping) or not isinstance(table.get("partitions", []), list):
        raise BadSurvey("there is no table in it", at="partitiontable", mend="copy the whole output again")
    headers = {
        "label": table.get("label"),
        "label-id": table.get("id"),
        "unit": table.get("unit", "sectors"),
        "first-lba": table.get("firstlba"),
        "last-lba": table.get("lastlba"),
        "sector-size": table.get("sectorsize"),
    }
    rows = [dict(row) for row in table.get("partitions", []) if isinstance(row, Mapping)]
    return _disk(str(table.get("device", "")), headers, rows)


def _disk(device: str, headers: Mapping[str, Any], rows: list[Words]) -> Listed:
    label = headers.get("label")
    if label not in ("gpt", "dos"):
        raise BadSurvey(
            f"“{label}” is a table of another kind", at="label", mend="only GPT and MBR disks can be planned"
        )
    if headers.get("unit", "sectors") != "sectors":
        raise BadSurvey("the unit is not sectors", at="unit", mend="take the dump again with a present-day version")
    gpt = label == "gpt"
    sector = _number(headers.get("sector-size") or 512, "sector-size")
    if sector not in SECTOR_SIZES:
        raise BadSurvey(f"{sector} is not a sector size", at="sector-size", mend="use 512 or 4096")
    last = headers.get("last-lba")
    entries = div_up(16384, sector)
    disk = Disk(
        sectors=_number(last, "last-lba") + 2 + entries if gpt and last else 0,
        logical_sector_bytes=sector,
        table="gpt" if gpt else "mbr",
        table_id=str(headers.get("label-id") or "")[:MOST_TEXT],
        partitions=tuple(_partition(row, index, gpt=gpt) for index, row in enumerate(rows)),
    )
    return complete_listing(device, disk, size_known=bool(disk.sectors))


def _partition(row: Mapping[str, Any], index: int, *, gpt: bool) -> Partition:
    at = f"line {row['line']}" if "line" in row else f"partitiontable.partitions[{index}]"
    node = re.search(r"(?<!\d)(\d{1,6})$", str(row.get("node", ""))[-40:])
    if "start" not in row or "size" not in row:
        raise BadSurvey("start and size are missing", at=at, mend="take the dump of a disk, not a script to be filled")
    kind = str(row.get("type") or row.get("id") or "")
    attributes = re.split(r"[\s,:]+", str(row.get("attrs", "")))  # as in ``RequiredPartition GUID:62,63``
    flags = {flag for word, flag in ATTRIBUTE_WORDS.items() if word in attributes}
    if "bootable" in row and row["bootable"] not in (False, "no"):
        flags.add("active")
    return Partition(
        number=int(node[1]) if node else index + 1,
        first_lba=_number(row["start"], at),
        sectors=_number(row["size"], at),
        type=SHORT_TYPES.get(kind, kind.upper()) if gpt else _mbr_type(kind, at),
        name=str(row.get("name", ""))[:MOST_TEXT],
        flags=frozenset(flags),
        uuid=str(row.get("uuid", ""))[:MOST_TEXT] if gpt else "",
    )


def _mbr_type(text: str, at: str) -> str:
    try:
        value = int(text.removeprefix("0x")[:40], 16)
    except ValueError:
        value = {"L": 0x83, "S": 0x82, "E": 0x05, "X": 0x85, "U": 0xEF}.get(text, -1)
    if not 0 < value < 256:
        raise BadSurvey(f"“{text[:20]}” is no partition type", at=at, mend="take the dump again")
    return f"0x{value:02X}"


def _number(value: Any, at: str) -> int:
    try:
        number = int(str(value)[:40])
    except ValueError:
        raise BadSurvey(f"“{str(value)[:30]}” is not a number of sectors", at=at, mend="copy it again") from None
    if not 0 <= number < 1 << 63:
        raise BadSurvey("a number of sectors is out of range", at=at, mend="copy it again")
    return number
