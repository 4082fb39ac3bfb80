"""Changes of a job as JSON, read under the state that they are applied to.

``{"kind": …}`` with the fields of its kind. Sizes are text as typed (``+20G``, ``used+30%``, ``rest``) or whole bytes.
What may be sent is made from the classes of the changes: a model for each, and their union by ``kind``. A change that
is sent just as it is kept needs nothing here; one of which a person types a part has an entry in ``_TYPED``.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import MISSING, dataclass, fields
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal, NamedTuple, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, RootModel, ValidationError, create_model

from ...core.carry.facts import FACTS
from ...core.errors import BadOption, BadSize, BadSurvey, YlemorphError
from ...core.fit.layout import Prepared
from ...core.fit.options import OptionKind
from ...core.job.amendments import ListLightened, SetDiskSize, SetImmovableEnd, SetUsed, partition_of, source_of
from ...core.job.bench_changes import SetFact
from ...core.job.change import Change, row_of
from ...core.job.changes import CHANGES
from ...core.job.disk_changes import Confirm, Describe, SetSource, SetTarget
from ...core.job.row_changes import Leave, Lighten, SetGrowth, SetOption, TakeRest
from ...core.job.size_changes import Pin
from ...core.job.state import JobState
from ...core.sizes import Bytes, Quantity, format_size, read_quantity, to_bytes
from ..listings.lightened import read_lightened
from ..listings.typed_rows import read_number, read_used
from .change_data import OPTION_CHANGES, ChangeData
from .options import MOST_ITEMS, facts_from, options_from, options_to_data
from .survey import SurveyModel, first_problem
from .target_models import TargetModel
from .targets import target_from_text
from .wire import Described, Note, ShortText

_EXPRESSION = re.compile(r"(?P<word>used|floor|comfort|source)?\s*(?P<sign>[+-])?\s*(?P<rest>.*)", re.IGNORECASE)
EXAMPLES = "type a size such as 240GiB, +20G, -5%, used+30%, floor, comfort or rest"


@dataclass(frozen=True, slots=True)
class RowFigures:
    """What the words of an expression stand for, in bytes; None where it is not known."""

    current: int | None
    source: int
    used: int | None
    floor: int | None
    comfort: int | None
    usable: int
    sector: int


def row_size(text: str, figures: RowFigures, bare: str = "gib") -> int:
    """Bytes that ``text`` asks for.

    A word stands for its figure; ``+`` and ``-`` add to the word or, without one, to the row's size on the
    target. ``%`` after a sign is a share of that base, else of the target's usable capacity (rule 1.1). A bare
    number takes the unit ``bare``. Raises BadSize where it makes no sense.
    """
    typed = text.strip()
    match = _EXPRESSION.fullmatch(typed) if len(typed) <= 64 else None
    if not typed or match is None:
        raise BadSize(f"“{typed[:40]}” is not a size", mend=EXAMPLES)
    word, sign, rest = (match["word"] or "").lower(), match["sign"], match["rest"].strip()
    if not sign:
        if word and rest:
            raise BadSize(f"“{typed}” lacks a + or - after “{word}”", mend=EXAMPLES)
        return (
            _figure(word, figures)
            if word
            else to_bytes(_quantity(rest), sector=figures.sector, whole=figures.usable, bare=bare)
        )
    base = _figure(word or "current", figures)
    step = to_bytes(_quantity(rest), sector=figures.sector, whole=base, bare=bare)
    size = base + step if sign == "+" else base - step
    if size <= 0:
        raise BadSize(f"“{typed}” leaves nothing of {format_size(base)}", mend=EXAMPLES)
    return size


def _quantity(text: str) -> Quantity:
    try:
        return read_quantity(text)
    except BadSize as error:
        raise BadSize(error.problem, mend=EXAMPLES) from None


_NAMES = {"used": "used space", "floor": "hard floor", "comfort": "comfort floor", "current": "size on the target"}


def _figure(word: str, figures: RowFigures) -> int:
    value: int | None = getattr(figures, word)
    if value is None:
        raise BadSize(f"the {_NAMES[word]} of this row is not known", mend="type a size such as 240GiB")
    return value


TEXT_FIELDS = ("name", "code", "machine", "note")
SignedNumber = Annotated[int, Field(gt=-(2**63), lt=2**63)]
LongText = Annotated[str, Field(max_length=1_000_000)]
Unit = Literal["gib", "gb"] | None  # of a number without one
Sent = Any  # a model of one kind, checked
SentFields = dict[str, Any]  # by name: a type, and what it is where it is left out, as pydantic takes them


def change_from(sent: Mapping[str, Any] | BaseModel, state: JobState) -> Change:
    """The change that is asked for. Raises YlemorphError with the place of what cannot be read."""
    checked: Sent = sent if isinstance(sent, BaseModel) else _checked(sent)
    if checked.kind in OPTION_CHANGES:
        return _option(OPTION_CHANGES[checked.kind], checked, state)
    if checked.kind in _TYPED:
        return _TYPED[checked.kind].read(checked, state)
    kind = CHANGES[checked.kind]
    return kind(**{field.name: getattr(checked, field.name) for field in fields(kind)})


def _checked(sent: Mapping[str, Any]) -> BaseModel:
    kind = sent.get("kind")
    model = MODELS.get(kind) if isinstance(kind, str) else None
    if model is None:
        raise no_change(kind)
    try:
        return model.model_validate(dict(sent))
    except ValidationError as error:
        wrong = first_problem(error)
        raise BadOption(wrong.problem, at=wrong.at, mend=wrong.mend) from None


def no_change(kind: object) -> BadOption:
    known = ", ".join(CHANGE_KINDS)
    return BadOption(f"“{str(kind)[:40]}” is no change", at="kind", mend=f"use one of {known}")


# --- kinds of which a person types a part -----------------------------------------------------------------------------


def _describe(sent: Sent, _state: JobState) -> Describe:
    return Describe(**{key: text.strip() for key in TEXT_FIELDS if (text := getattr(sent, key)) is not None})


def _source(sent: Sent, _state: JobState) -> SetSource:
    return SetSource(None if sent.survey is None else _under("survey", sent.survey.to_core))


def _target(sent: Sent, _state: JobState) -> SetTarget:
    return SetTarget(None if sent.target is None else _under("target", sent.target.to_core))


def _under(at: str, read: Callable[[], Any]) -> Any:
    """Errors speak of the place in the change."""
    try:
        return read()
    except YlemorphError as error:
        raise error.under(at) from None


def _confirm(sent: Sent, _state: JobState) -> Confirm:
    return Confirm(sent.text.strip())


def _disk_size(sent: Sent, state: JobState) -> SetDiskSize:
    sector = source_of(state).disk.logical_sector_bytes
    try:
        return SetDiskSize(target_from_text(sent.size, sector).sectors)
    except YlemorphError as error:
        raise BadSurvey(error.problem, at="size", mend=error.mend) from None


def _used(sent: Sent, state: JobState) -> SetUsed:
    size = partition_of(state, sent.row).sectors * source_of(state).disk.logical_sector_bytes
    used = read_used(sent.text, size, "used", sent.bare or "gib")
    return SetUsed(sent.row, None if used is None else Bytes(used))


def _immovable(sent: Sent, _state: JobState) -> SetImmovableEnd:
    return SetImmovableEnd(sent.row, Bytes(read_number(sent.text, "immovable", sent.bare or "gib")))


def _lightened(sent: Sent, _state: JobState) -> ListLightened:
    return ListLightened(sent.row, read_lightened(sent.text))


def _pin(sent: Sent, state: JobState) -> Pin | TakeRest:
    if sent.size.strip().lower() == "rest":
        return TakeRest(sent.row)
    figures = _figures(state, sent.row)
    return Pin(sent.row, Bytes(_under("size", lambda: row_size(sent.size, figures, sent.bare or "gib"))))


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


def _leave(sent: Sent, _state: JobState) -> Leave:
    return Leave(tuple(sent.rows))


def _lighten(sent: Sent, state: JobState) -> Lighten:
    read = options_from({**options_to_data(state.options), "lighten": {sent.row: sent.size}}, *state.pair)
    return Lighten(sent.row, dict(read.lighten)[sent.row])


def _growth(sent: Sent, state: JobState) -> SetGrowth:
    if sent.size is None or (isinstance(sent.size, str) and not sent.size.strip()):
        return SetGrowth(sent.row, None)
    read = options_from({"growth": {sent.row: sent.size}}, state.source_disk, None)
    return SetGrowth(sent.row, dict(read.growth)[sent.row])


def _option(kind: OptionKind, sent: Sent, state: JobState) -> SetOption:
    if sent.value in (None, ""):
        return SetOption(kind.key, None)
    read = options_from({**options_to_data(state.options), kind.key: sent.value}, *state.pair)
    return SetOption(kind.key, kind.of(read), str(sent.value)[:40])


def _fact(sent: Sent, _state: JobState) -> SetFact:
    if sent.value in (None, ""):
        return SetFact(sent.fact, None)
    return SetFact(sent.fact, FACTS[sent.fact].of(facts_from({sent.fact: sent.value})), str(sent.value)[:40])


if TYPE_CHECKING:
    FactKey = str
else:
    FactKey = Literal[tuple(FACTS)]  # as the table has them


class _Typed(NamedTuple):
    """``fields`` as they are sent, each a type and what it is where it is left out (``...``: it must be sent)."""

    read: Callable[[Sent, JobState], Change]
    fields: SentFields


_ROW, _SIZE, _BARE = (SignedNumber, ...), (ShortText | int | None, None), (Unit, None)
_TYPED: dict[str, _Typed] = {
    "describe": _Typed(
        _describe, {**dict.fromkeys(TEXT_FIELDS, (ShortText | None, None)), "note": (Note | None, None)}
    ),
    "source": _Typed(_source, {"survey": (SurveyModel | None, ...)}),
    "target": _Typed(_target, {"target": (TargetModel | None, ...)}),
    "confirm": _Typed(_confirm, {"text": (Annotated[str, Field(max_length=400)], ...)}),
    "disk-size": _Typed(_disk_size, {"size": (ShortText, ...)}),
    "used": _Typed(_used, {"row": _ROW, "text": (ShortText, ...), "bare": _BARE}),
    "immovable": _Typed(_immovable, {"row": _ROW, "text": (ShortText, ...), "bare": _BARE}),
    "lightened": _Typed(_lightened, {"row": _ROW, "text": (LongText, ...)}),
    "pin": _Typed(_pin, {"row": _ROW, "size": (ShortText, ...), "bare": _BARE}),
    "leave": _Typed(_leave, {"rows": (Annotated[list[SignedNumber], Field(max_length=MOST_ITEMS)], ...)}),
    "lighten": _Typed(_lighten, {"row": _ROW, "size": (ShortText | int, ...)}),
    "growth": _Typed(_growth, {"row": _ROW, "size": _SIZE}),
    "fact": _Typed(_fact, {"fact": (FactKey, ...), "value": _SIZE}),
}


# --- what may be sent, made from the classes --------------------------------------------------------------------------


def _model_of(name: str, doc: str | None, kinds: tuple[str, ...], made: SentFields) -> type[BaseModel]:
    given: SentFields = {"kind": (Literal[kinds], ...), **made}
    config = ConfigDict(strict=True, extra="forbid", frozen=True)
    return create_model(f"{name}Change", __config__=config, __doc__=doc, **given)


def _as_kept(kind: type[Change]) -> SentFields:
    """The fields of a change that is sent as it is kept."""
    hints = get_type_hints(kind)
    return {
        field.name: (SignedNumber if hints[field.name] is int else hints[field.name], _usual(field.default))
        for field in fields(kind)
    }


def _usual(default: object) -> object:
    return ... if default is MISSING else default


def _made(kind: type[Change]) -> type[BaseModel]:
    typed = _TYPED.get(kind.key)
    return _model_of(kind.__name__, kind.__doc__, (kind.key,), typed.fields if typed else _as_kept(kind))


OptionValue = ShortText | int | float | Annotated[list[SignedNumber], Field(max_length=MOST_ITEMS)] | None
OptionModel = _model_of("SetOption", SetOption.__doc__, tuple(sorted(OPTION_CHANGES)), {"value": (OptionValue, None)})
MODELS: dict[str, type[BaseModel]] = {key: _made(kind) for key, kind in CHANGES.items() if kind is not SetOption}
MODELS |= dict.fromkeys(OPTION_CHANGES, OptionModel)
CHANGE_KINDS = tuple(sorted(MODELS))
_Union: Any = reduce(or_, dict.fromkeys(MODELS.values()))

if TYPE_CHECKING:
    ChangeShape = ChangeData

    class ChangeRequest(Described):
        """One change: its kind and the fields of the kind."""

        root: BaseModel

else:
    ChangeShape = Annotated[_Union, Field(discriminator="kind")]

    class ChangeRequest(Described, RootModel[ChangeShape]):
        """One change: its kind and the fields of the kind."""
