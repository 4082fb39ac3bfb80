"""``ylemorph.log/1``: what the script tells of its run, one JSON object a line, read back.

A line that cannot be read ends the reading: what stands before it is taken, and ``trouble`` says where it ended.
"""

import json
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, Final, Literal, NamedTuple, get_args

from ...core.disk.model import FileSystem, Partition, Survey
from ...core.errors import BadSurvey, YlemorphError
from ...core.plain import plain_line
from ..listings.kind_words import kind_from_word
from ..listings.sfdisk_read import read_json

FORMAT: Final = "ylemorph.log/1"
EventName = Literal["begin", "step", "progress", "done", "failed", "end", "found"]
EVENTS: tuple[EventName, ...] = get_args(EventName)
MOST_LINES = 200_000
MEND = "give the log as the script wrote it"


class LogLine(NamedTuple):
    """One line; ``step`` is None where it is about the whole run."""

    at: str
    event: EventName
    step: int | None
    bytes: int
    of: int
    seconds: float
    say: str


class RunLog(NamedTuple):
    """The last run of a log, those joined that were gone on with. ``plan``: the fingerprint of its sequence; ``found``:
    the finished disk."""

    plan: str
    lines: tuple[LogLine, ...]
    found: Survey | None
    trouble: str

    @property
    def under_way(self) -> LogLine | None:
        """The last progress of the step that is under way; None where none is."""
        last = self.lines[-1] if self.lines else None
        return last if last is not None and last.event == "progress" else None


def read_log(text: str) -> RunLog:
    """Raises BadSurvey for what is no log, or where not even its first line can be read."""
    plan = trouble = ""
    lines: list[LogLine] = []
    found: Survey | None = None
    for number, raw in enumerate(text.splitlines()[:MOST_LINES], 1):
        if not raw.strip():
            continue
        try:
            data = _object(raw)
            line = _line(data)
            if line.event == "begin":
                own = _text(data, "plan")
                if own != plan or data.get("resumed") is not True:
                    plan, lines, found = own, [], None
            elif not plan:
                raise BadSurvey("the line before it, with which a run begins, is missing")
            if line.event == "found":
                found = _found(data)
        except (YlemorphError, ValueError) as error:
            trouble = f"line {number} cannot be read ({_why(error)})"
            break
        lines.append(line)
    if not plan:
        raise BadSurvey(f"this is no log of a script: {trouble or 'it is empty'}", mend=MEND)
    return RunLog(plan, tuple(lines), found, f"{trouble}; what stands before it was taken" if trouble else "")


def _why(error: Exception) -> str:
    return error.problem if isinstance(error, YlemorphError) else "it is no JSON object"


def _object(raw: str) -> Mapping[str, Any]:
    try:
        data = json.loads(raw)
    except RecursionError:
        raise ValueError from None
    if not isinstance(data, Mapping):
        raise ValueError
    if data.get("format") != FORMAT:
        raise BadSurvey(f"it is not {FORMAT}")
    return data


def _line(data: Mapping[str, Any]) -> LogLine:
    event = next((name for name in EVENTS if name == data.get("event")), None)
    if event is None:
        raise BadSurvey("its event is none of ours")
    step = data.get("step")
    if step is not None and (not isinstance(step, int) or isinstance(step, bool) or not 1 <= step <= 100_000):
        raise BadSurvey("its step is no number")
    if step is None and event in ("step", "progress", "done", "failed"):
        raise BadSurvey("its step is missing")
    done, of = _figure(data, "bytes"), _figure(data, "of")
    return LogLine(_time(data), event, step, done, of, _seconds(data), plain_line(_text(data, "say"))[:500])


def _figure(data: Mapping[str, Any], name: str) -> int:
    value = data.get(name, 0)
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value < 2**63:
        raise BadSurvey(f"{name} is no number of bytes")
    return value


def _seconds(data: Mapping[str, Any]) -> float:
    value = data.get("seconds", 0)
    if not isinstance(value, int | float) or isinstance(value, bool) or not 0 <= value < 10**9:
        raise BadSurvey("seconds is no time")
    return value


def _time(data: Mapping[str, Any]) -> str:
    try:
        at = datetime.fromisoformat(_text(data, "at"))
    except ValueError:
        raise BadSurvey("at is no time") from None
    if at.tzinfo is None:
        raise BadSurvey("at is no time with its zone")
    return at.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _text(data: Mapping[str, Any], name: str) -> str:
    value = data.get(name, "")
    if not isinstance(value, str):
        raise BadSurvey(f"{name} is no text")
    return value


def _found(data: Mapping[str, Any]) -> Survey:
    """The finished disk: its table by ``sfdisk --json``, what stands in its rows by ``blkid``."""
    table = data.get("sfdisk")
    listed = read_json(table if isinstance(table, Mapping) else {})
    disk = listed.survey.disk
    sectors = _figure(data, "bytes") // disk.logical_sector_bytes
    told = {item.get("start"): item for item in _items(data)}
    rows = tuple(_row(row, told.get(row.first_lba)) for row in disk.partitions)
    return replace(listed.survey, disk=replace(disk, sectors=sectors or disk.sectors, partitions=rows))


def _items(data: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    items = data.get("blkid", [])
    return [item for item in items if isinstance(item, Mapping)] if isinstance(items, list) else []


def _row(row: Partition, told: Mapping[str, Any] | None) -> Partition:
    if told is None:
        return row
    kind = kind_from_word(_text(told, "VERSION")) if _text(told, "TYPE") == "vfat" else None
    kind = kind or kind_from_word(_text(told, "TYPE"))
    if kind is None:
        return row
    return row.but(filesystem=FileSystem(kind, label=_text(told, "LABEL")[:200], uuid=_text(told, "UUID")[:200]))
