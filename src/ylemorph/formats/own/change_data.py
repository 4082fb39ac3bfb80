"""Changes of a job as JSON, written. Apart from the reading, so that a command that only writes starts quickly."""

from dataclasses import fields
from typing import Any, get_type_hints

from ...core.carry.facts import FACTS
from ...core.disk.model import Survey
from ...core.fit.options import OPTIONS, OptionKind
from ...core.job.bench_changes import SetFact
from ...core.job.change import Change
from ...core.job.row_changes import SetOption
from ...core.job.state import SizedTarget
from ...core.sizes import Bytes
from .options import value_to_data

ChangeData = dict[str, object]  # a kind with its fields; the union of them is made from their classes, in `changes`
# Options without a change of their own, under the name of their flag.
OPTION_CHANGES: dict[str, OptionKind] = {key.replace("_", "-"): kind for key, kind in OPTIONS.items() if kind.set_words}


def change_to_kept(change: Change) -> ChangeData:
    """What history keeps of a change; surveys are kept once, so only whose they are stands here."""
    return {"kind": change.key, **{f.name: _kept(getattr(change, f.name)) for f in fields(change)}}


def _kept(value: Any) -> object:
    if isinstance(value, Survey):
        return {"model": value.disk.model, "serial": value.disk.serial, "sectors": value.disk.sectors}
    if isinstance(value, SizedTarget):
        return value.text
    if isinstance(value, tuple):
        return [list(item) if isinstance(item, tuple) else getattr(item, "name", item) for item in value]
    return sorted(value) if isinstance(value, frozenset) else value


def change_to_data(change: Change) -> ChangeData:
    """A change that the core proposes, as a window sends it; ``change_from`` reads it back."""
    if isinstance(change, SetOption):
        kind = OPTIONS[change.option]
        return {"kind": kind.key.replace("_", "-"), "value": value_to_data(kind, change.value)}
    if isinstance(change, SetFact):
        return {"kind": change.key, "fact": change.fact, "value": value_to_data(FACTS[change.fact], change.value)}
    hints = get_type_hints(type(change))
    return {"kind": change.key, **{f.name: _sent(hints[f.name], getattr(change, f.name)) for f in fields(change)}}


def _sent(hint: Any, value: Any) -> object:
    if isinstance(value, SizedTarget):
        return {"nominal": value.text, "logical_sector_bytes": value.disk.logical_sector_bytes}
    if isinstance(value, tuple):
        return list(value)
    return f"{value}B" if hint is Bytes else value
