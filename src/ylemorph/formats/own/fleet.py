"""``ylemorph.fleet/1``: a fleet as JSON, CSV and a sheet. A line a machine, target and fit; figures are bytes."""

import json
from collections.abc import Callable, Iterator, Sequence
from typing import IO, TYPE_CHECKING, Any, NamedTuple

from ...core.buy.assess import Assessed
from ...core.buy.fleet import Bought, Fleet, counts_of, smallest_of
from ..documents.cells import Cell, to_csv, write_sheet

if TYPE_CHECKING:
    from .buy_shapes import MixDisk, MixOut

FORMAT = "ylemorph.fleet/1"
FleetData = dict[str, object]  # the lines' fields are a table, from which `schema` makes the JSON Schema too


class Field(NamedTuple):
    """One field of a line: its name everywhere, its type in JSON, and how it follows from a machine or its line."""

    name: str
    type: str
    of: Callable[[Any], Cell]


# Of a machine, worked out once for all of its lines; then of a line, whose target goes by the name it has in the fleet.
OF_MACHINE = (
    Field("machine", "string", lambda m: m[0]),
    Field("serial", "string", lambda m: m[1].serial),
    Field("source_bytes", "integer", lambda m: m[1].source_bytes),
    Field("used_bytes", "integer", lambda m: m[1].used_bytes),
    Field("must_bytes", "integer", lambda m: m[1].must_bytes),
    Field("comfort_bytes", "integer", lambda m: m[1].comfort_bytes),
)
TARGET = Field("target", "string", lambda line: line.target)
OF_LINE = (
    Field("fit", "string", lambda line: line.fit),
    Field("verdict", "string or null", lambda line: line.outcome.verdict),
    Field("headroom_kept", "number", lambda line: line.outcome.kept_percent / 100),
    Field("shortfall_bytes", "integer", lambda line: line.outcome.shortfall_bytes),
    Field("system_free_bytes", "integer or null", lambda line: line.outcome.system_free_bytes),
    Field("reason", "string", lambda line: line.reason),
    Field("remedy", "string", lambda line: line.remedy),
)
FIELDS = (*OF_MACHINE, TARGET, *OF_LINE)
HEADER = tuple(field.name for field in FIELDS)


def cells_of(name: str, assessed: Assessed, targets: Sequence[str]) -> Iterator[tuple[Cell, ...]]:
    """The lines of one machine: targets, then fits within each."""
    own = [field.of((name, assessed)) for field in OF_MACHINE]
    of_line = [field.of for field in OF_LINE]
    for line in assessed.lines:
        yield (*own, targets[line.target], *[of(line) for of in of_line])


def lines_of(fleet: Fleet) -> Iterator[tuple[Cell, ...]]:
    """Machines that count, in their order."""
    names = [target.name for target in fleet.targets]
    for machine in fleet.counted:
        yield from cells_of(machine.name, machine.assessed, names)


def as_csv(cells: Iterator[tuple[Cell, ...]]) -> str:
    return to_csv(None, cells)


def as_json(cells: Iterator[tuple[Cell, ...]]) -> str:
    """A line of JSON for each, every one but the last with its comma."""
    return ",\n".join("  " + json.dumps(dict(zip(HEADER, row, strict=True)), ensure_ascii=False) for row in cells)


# Forms whose lines a process writes, so that it sends text instead of values.
WRITERS: dict[str, Callable[[Iterator[tuple[Cell, ...]]], str]] = {"csv": as_csv, "json": as_json}


def _written(fleet: Fleet, form: str) -> list[str]:
    names = [target.name for target in fleet.targets]
    return [m.written or WRITERS[form](cells_of(m.name, m.assessed, names)) for m in fleet.counted]


def fleet_to_data(fleet: Fleet, bought: Bought | None = None) -> "FleetData":
    """The contract's fields; ``repeated`` are machines that are another one's disk again."""
    smallest = smallest_of(fleet)
    return {
        "format": FORMAT,
        "lines": [dict(zip(HEADER, cells, strict=True)) for cells in lines_of(fleet)],
        "counts": counts_of(fleet),
        "problems": [{"file": trouble.name, "problem": trouble.sentence} for trouble in fleet.troubles],
        "repeated": [
            {"machine": machine.name, "of": fleet.machines[machine.same.of].name, "earlier": machine.same.earlier}
            for machine in fleet.machines
            if machine.same is not None
        ],
        "smallest": {"all": smallest.all, "percent_95": smallest.most},
        "mix": None if bought is None else mix_to_data(bought, [machine.name for machine in fleet.counted]),
    }


def mix_to_data(bought: Bought, names: list[str]) -> "MixOut":
    """Prices are hundredths of the currency, ``price`` that of one disk."""
    return {
        "currency": bought.currency,
        "total_price": bought.mix.total,
        "disks": [_mix_disk(bought, place) for place in bought.mix.counts],
        "left_out": [names[machine] for machine in bought.mix.left_out if isinstance(machine, int)],
    }


def fleet_to_json(fleet: Fleet, bought: Bought | None = None) -> str:
    """Each line of the fleet is a line of the text."""
    data = fleet_to_data(
        fleet._replace(machines=tuple(m._replace(assessed=_bare(m.assessed)) for m in fleet.machines)), bought
    )
    around = json.dumps(data, ensure_ascii=False, indent=1)
    lines = ",\n".join(text for text in _written(fleet, "json") if text)
    return around.replace('"lines": []', f'"lines": [\n{lines}\n ]', 1) + "\n"


def _bare(assessed: Assessed) -> Assessed:
    return assessed._replace(lines=())


def fleet_to_csv(fleet: Fleet) -> str:
    return to_csv(HEADER, ()) + "".join(_written(fleet, "csv"))


def write_fleet_sheet(fleet: Fleet, file: IO[bytes]) -> None:
    write_sheet(file, "Fleet", HEADER, lines_of(fleet))


def _objects(**fields: str) -> FleetData:
    properties = {name: {"type": type_.split(" or ")} for name, type_ in fields.items()}
    return {"type": "array", "items": {"type": "object", "properties": properties, "required": list(fields)}}


def _mix_disk(bought: Bought, place: int) -> "MixDisk":
    item, mix = bought.items[place], bought.mix
    assert item.price is not None  # a mix is chosen from disks that have one
    return {
        "name": item.name, "count": mix.counts[place], "price": item.price, "total_price": mix.prices[place],
    }  # fmt: skip


def schema() -> FleetData:
    """JSON Schema of a fleet."""
    counts = {"type": "object", "additionalProperties": {"type": "integer", "minimum": 0}}
    sizes = {"type": ["string", "null"]}
    mix = {
        "currency": {"type": "string"},
        "total_price": {"type": "integer"},
        "disks": _objects(name="string", count="integer", price="integer", total_price="integer"),
        "left_out": {"type": "array", "items": {"type": "string"}},
    }
    properties: FleetData = {
        "format": {"const": FORMAT},
        "lines": _objects(**{field.name: field.type for field in FIELDS}),
        "counts": {"type": "object", "additionalProperties": counts},
        "problems": _objects(file="string", problem="string"),
        "repeated": _objects(machine="string", of="string", earlier="boolean"),
        "smallest": {"type": "object", "properties": {"all": sizes, "percent_95": sizes}},
        "mix": {"type": ["object", "null"], "properties": mix, "required": list(mix)},
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": FORMAT,
        "type": "object",
        "properties": properties,
        "required": list(properties),
    }
