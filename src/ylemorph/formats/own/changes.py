"""Changes of a job as JSON: read under the state that they are applied to, and written beside the history.

``{"kind": …}`` with the fields of its kind. Sizes are text as typed (``+20G``, ``used+30%``, ``rest``) or whole bytes.
"""

from collections.abc import Callable, Mapping
from dataclasses import fields
from typing import Any, Literal, get_args, get_origin, get_type_hints

from ...core.carry.facts import FACTS
from ...core.carry.sequence import WAYS
from ...core.disk.model import Survey
from ...core.errors import BadOption, BadSurvey, YlemorphError
from ...core.fit.layout import Prepared
from ...core.fit.options import OPTIONS, OptionKind
from ...core.job.amendments import ListLightened, SetDiskSize, SetImmovableEnd, SetUsed, partition_of, source_of
from ...core.job.bench_changes import ChooseWay, SetFact
from ...core.job.change import Change, row_of
from ...core.job.changes import CHANGES
from ...core.job.disk_changes import Confirm, Describe, SetSource, SetTarget
from ...core.job.row_changes import Leave, Lighten, Move, SetGrowth, SetOption, TakeRest
from ...core.job.size_changes import Pin
from ...core.job.state import JobState, SizedTarget
from ...core.sizes import Bytes
from ..listings.typed_rows import read_number, read_used
from .lightened import read_lightened
from .options import facts_from, options_from, options_to_data, whole
from .row_sizes import RowFigures, row_size
from .survey import survey_from_data
from .targets import target_from_text

TEXT_FIELDS = ("name", "code", "machine", "note")
# Options without a change of their own, under the name of their flag.
OPTION_CHANGES: dict[str, OptionKind] = {key.replace("_", "-"): kind for key, kind in OPTIONS.items() if kind.set_words}


def change_from(data: Mapping[str, Any], state: JobState) -> Change:
    """The change that ``data`` asks for. Raises YlemorphError with the place of what cannot be read."""
    kind = data.get("kind")
    if isinstance(kind, str) and kind in OPTION_CHANGES:
        return _option(OPTION_CHANGES[kind], data, state)
    read = _READERS.get(kind) if isinstance(kind, str) else None
    if read is None:
        known = ", ".join(CHANGE_KINDS)
        raise BadOption(f"“{str(kind)[:40]}” is no change", at="kind", mend=f"use one of {known}")
    return read(data, state)


def change_to_data(change: Change) -> dict[str, Any]:
    """What history keeps of a change; surveys are kept once, so only whose they are stands here."""
    return {"kind": change.key, **{f.name: _kept(getattr(change, f.name)) for f in fields(change)}}


def _kept(value: Any) -> Any:
    if isinstance(value, Survey):
        return {"model": value.disk.model, "serial": value.disk.serial, "sectors": value.disk.sectors}
    if isinstance(value, SizedTarget):
        return value.text
    if isinstance(value, tuple):
        return [list(item) if isinstance(item, tuple) else getattr(item, "name", item) for item in value]
    return sorted(value) if isinstance(value, frozenset) else value


# --- fields ----------------------------------------------------------------------------------------------------------


def _number(data: Mapping[str, Any], key: str) -> int:
    value = data.get(key)
    if isinstance(value, bool) or not isinstance(value, int) or not -(2**63) < value < 2**63:
        raise BadOption("this must be a whole number", at=key, mend="send the number of a row, or of bytes")
    return value


def _words(data: Mapping[str, Any], key: str, choices: tuple[str, ...]) -> Any:
    value = data.get(key)
    if value not in choices:
        raise BadOption(f"“{str(value)[:40]}” is no {key}", at=key, mend="use one of " + ", ".join(choices))
    return value


def _flag(data: Mapping[str, Any], key: str, *, default: bool) -> bool:
    value = data.get(key)
    return default if value is None else bool(value)


def _text(data: Mapping[str, Any], key: str) -> str:
    value = data.get(key)
    if not isinstance(value, str):
        raise BadOption("this must be text", at=key, mend="type it as on the screen")
    return value


def _bare(data: Mapping[str, Any]) -> str:
    return "gb" if data.get("bare") == "gb" else "gib"


def _plain(kind: type[Change]) -> Callable[[Mapping[str, Any], JobState], Change]:
    """A reader that follows the fields of a change: numbers, flags, and words of a closed set."""
    hints = get_type_hints(kind)

    def read(data: Mapping[str, Any], _state: JobState) -> Change:
        values: dict[str, Any] = {}
        for field in fields(kind):
            hint = hints[field.name]
            if get_origin(hint) is Literal:
                values[field.name] = _words(data, field.name, get_args(hint))
            elif hint is bool:
                values[field.name] = _flag(data, field.name, default=field.default is True)
            else:
                values[field.name] = _number(data, field.name)
        return kind(**values)

    return read


# --- kinds that are more than their fields ----------------------------------------------------------------------------


def _describe(data: Mapping[str, Any], _state: JobState) -> Describe:
    return Describe(**{key: _text(data, key).strip() for key in TEXT_FIELDS if data.get(key) is not None})


def _source(data: Mapping[str, Any], _state: JobState) -> SetSource:
    return SetSource(_survey(data.get("survey"), "survey"))


def _target(data: Mapping[str, Any], _state: JobState) -> SetTarget:
    given = data.get("target")
    if isinstance(given, Mapping) and "nominal" in given:
        return SetTarget(sized_target(given))
    return SetTarget(_survey(given, "target"))


def _survey(given: Any, at: str) -> Survey | None:
    if given is None:
        return None
    try:
        return survey_from_data(given)
    except YlemorphError as error:
        raise error.under(at) from None


def sized_target(given: Mapping[str, Any]) -> SizedTarget:
    """``{"nominal": "480GB", "logical_sector_bytes": 512}``."""
    text, sector = given.get("nominal"), given.get("logical_sector_bytes", 512)
    extra = sorted(set(given) - {"nominal", "logical_sector_bytes"})
    if extra:
        raise BadOption("extra inputs are not permitted", at=f"target.{extra[0][:40]}", mend="take it out")
    if not isinstance(text, str) or len(text) > 200:
        raise BadOption("this must be a size as text", at="target.nominal", mend="write 480GB")
    if sector not in (512, 4096):
        raise BadOption("this is no sector size", at="target.logical_sector_bytes", mend="use 512 or 4096")
    try:
        return SizedTarget(text.strip(), target_from_text(text, sector))
    except YlemorphError as error:
        raise BadOption(error.problem, at="target.nominal", mend=error.mend) from None


def _confirm(data: Mapping[str, Any], _state: JobState) -> Confirm:
    return Confirm(_text(data, "text").strip()[:400])


def _disk_size(data: Mapping[str, Any], state: JobState) -> SetDiskSize:
    sector = source_of(state).disk.logical_sector_bytes
    try:
        return SetDiskSize(target_from_text(_text(data, "size"), sector).sectors)
    except YlemorphError as error:
        raise BadSurvey(error.problem, at="size", mend=error.mend) from None


def _used(data: Mapping[str, Any], state: JobState) -> SetUsed:
    row = _number(data, "row")
    size = partition_of(state, row).sectors * source_of(state).disk.logical_sector_bytes
    used = read_used(_text(data, "text"), size, "used", _bare(data))
    return SetUsed(row, None if used is None else Bytes(used))


def _immovable(data: Mapping[str, Any], _state: JobState) -> SetImmovableEnd:
    return SetImmovableEnd(_number(data, "row"), Bytes(read_number(_text(data, "text"), "immovable", _bare(data))))


def _lightened(data: Mapping[str, Any], _state: JobState) -> ListLightened:
    return ListLightened(_number(data, "row"), read_lightened(_text(data, "text")))


def _pin(data: Mapping[str, Any], state: JobState) -> Pin | TakeRest:
    number, size = _number(data, "row"), data.get("size")
    if isinstance(size, str) and size.strip().lower() == "rest":
        return TakeRest(number)
    if not isinstance(size, str):
        raise BadOption("the size is missing", at="size", mend="type a size such as 240GiB")
    try:
        return Pin(number, Bytes(row_size(size, _figures(state, number), _bare(data))))
    except YlemorphError as error:
        raise error.under("size") from None


def _figures(state: JobState, number: int) -> RowFigures:
    """What the words of a size stand for."""
    pair = state.pair
    prepared = Prepared(pair.source, state.options)
    layout, row = prepared.on(pair.target), row_of(state, number)
    sizes = dict(zip([r.number for r in layout.carried], layout.sizes or (), strict=False))
    grain, floors = layout.frame.grain_bytes, row.floors
    return RowFigures(
        current=sizes[number] * grain if number in sizes else None,
        source=row.source_bytes,
        used=None if floors is None else floors.carried_bytes,
        floor=None if floors is None else floors.hard * grain,
        comfort=None if floors is None else floors.comfort * grain,
        usable=layout.frame.usable_bytes,
        sector=layout.frame.logical_sector_bytes,
    )


def _leave(data: Mapping[str, Any], _state: JobState) -> Leave:
    rows = data.get("rows")
    if rows is None:
        return Leave((_number(data, "row"),))
    if not isinstance(rows, list) or len(rows) > 1024:
        raise BadOption("this must be a list of rows", at="rows", mend="send [4, 5]")
    return Leave(tuple(whole(row, f"rows[{i}]") for i, row in enumerate(rows)))


def _lighten(data: Mapping[str, Any], state: JobState) -> Lighten:
    number, pair = _number(data, "row"), state.pair
    read = options_from({**options_to_data(state.options), "lighten": {number: data.get("size")}}, *pair)
    return Lighten(number, dict(read.lighten)[number])


def _growth(data: Mapping[str, Any], state: JobState) -> SetGrowth:
    number, size = _number(data, "row"), data.get("size")
    if size is None or (isinstance(size, str) and not size.strip()):
        return SetGrowth(number, None)
    read = options_from({"growth": {number: size}}, state.source_disk, None)
    return SetGrowth(number, dict(read.growth)[number])


def _move(data: Mapping[str, Any], _state: JobState) -> Move:
    return Move(_number(data, "row"), _number(data, "value"))


def _option(kind: OptionKind, data: Mapping[str, Any], state: JobState) -> SetOption:
    value = data.get("value")
    if value in (None, ""):
        return SetOption(kind.key, None)
    read = options_from({**options_to_data(state.options), kind.key: value}, *state.pair)
    return SetOption(kind.key, kind.of(read), str(value)[:40])


def _fact(data: Mapping[str, Any], _state: JobState) -> SetFact:
    key, value = _text(data, "fact"), data.get("value")
    if key not in FACTS:
        raise BadOption(f"“{key[:40]}” is no fact", at="fact", mend="use one of " + ", ".join(FACTS))
    if value in (None, ""):
        return SetFact(key, None)
    return SetFact(key, FACTS[key].of(facts_from({key: value})), str(value)[:40])


def _way(data: Mapping[str, Any], _state: JobState) -> ChooseWay:
    return ChooseWay(None if data.get("way") is None else _words(data, "way", WAYS))


_SPECIAL: dict[str, Callable[[Mapping[str, Any], JobState], Change]] = {
    "describe": _describe, "source": _source, "target": _target, "confirm": _confirm, "disk-size": _disk_size,
    "used": _used, "immovable": _immovable, "lightened": _lightened, "pin": _pin, "leave": _leave, "lighten": _lighten,
    "growth": _growth, "move": _move, "fact": _fact, "way": _way,
}  # fmt: skip
_READERS = {key: _SPECIAL.get(key) or _plain(kind) for key, kind in CHANGES.items() if kind is not SetOption}
CHANGE_KINDS = tuple(sorted({*_READERS, *OPTION_CHANGES}))
