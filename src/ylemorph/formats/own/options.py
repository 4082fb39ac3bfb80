"""Options and facts of the bench from what a person typed or sent, and back: one reader for each kind of value."""

from collections.abc import Callable, Iterable, Mapping
from decimal import Decimal, InvalidOperation
from functools import cached_property
from typing import Any

from ...core.carry.facts import FACTS, Facts, check_facts
from ...core.disk.model import ROLES, Disk
from ...core.errors import BadOption, YlemorphError
from ...core.fit.frame import frame_of, planned_table
from ...core.fit.options import OPTIONS, OptionKind, Options, Tail, ValueKind
from ...core.sizes import MAX_BYTES, Bytes, format_size, parse_size

OptionsData = dict[str, object]  # by key of `OPTIONS` or `FACTS`, each as its kind of value is written
MOST_ITEMS = 1024  # of a list; a disk has fewer partitions
MOST_DIGITS = 20  # of a percentage as typed


def options_from(data: Mapping[str, Any], source: Disk | None = None, target: Disk | None = None) -> Options:
    """Options from ``data``, whose keys are the flags of ``ylemorph plan`` with ``_`` for ``-``.

    Sizes are whole bytes or text with a unit (rule 1.1); ``%`` is a share of the target's usable capacity, ``s`` a
    sector of the target; both need the disks. Raises BadOption or BadSize with the option's place.
    """
    made: Options = _read_into(Options(), OPTIONS, data, _Reader(data, source, target), "option")
    return made


def options_to_data(options: Options) -> OptionsData:
    """The options that differ from the usual ones, so that ``options_from`` reads them back equal without a disk."""
    return _unusual(OPTIONS, options)


def facts_from(data: Mapping[str, Any]) -> Facts:
    """Facts of the bench from their keys, as options are read. Raises BadOption or BadSize with the fact's place."""
    data = {key: _listed(key, value) for key, value in data.items()}
    made: Facts = _read_into(Facts(), FACTS, data, _Reader(data, None, None), "fact")
    check_facts(made)
    return made


def _listed(key: str, value: object) -> object:
    """Rows as they are typed: ``3, 4``."""
    if key in FACTS and FACTS[key].kind == "rows" and isinstance(value, str):
        return [part.strip() for part in value.split(",")]
    return value


def facts_to_data(facts: Facts) -> OptionsData:
    """The facts that somebody gave."""
    return _unusual(FACTS, facts)


def value_to_data(kind: OptionKind, value: object) -> object:
    """A value of an option or a fact as it is sent."""
    return _WRITERS[kind.kind](value)


def _read_into(
    made: Any, table: Mapping[str, OptionKind], data: Mapping[str, Any], reader: "_Reader", noun: str
) -> Any:
    for key in data:
        if key not in table:
            known = ", ".join(sorted(table))
            raise BadOption(f"“{str(key)[:40]}” is no {noun}", at=f"{noun}s", mend=f"use one of {known}")
    for kind in table.values():
        value = reader.value(kind)
        if value is not None:
            made = kind.put(made, value)
    return made


def _unusual(table: Mapping[str, OptionKind], values: Any) -> OptionsData:
    return {
        key: value_to_data(kind, value)
        for key, kind in table.items()
        for value in (kind.of(values),)
        if value != kind.default
    }


class _Reader:
    """Reads values for one pair of disks; None stands for what was not given."""

    def __init__(self, data: Mapping[str, Any], source: Disk | None, target: Disk | None) -> None:
        self.data = data
        self.source = source
        self.target = target

    @cached_property
    def usable(self) -> int:
        """The target's usable bytes under the table and grain that are wished; 0 where the target is not known."""
        if self.target is None or self.source is None:
            return 0
        basic = Options()
        for key in ("table", "grain"):
            value = self.value(OPTIONS[key], usable=0)
            basic = basic if value is None else OPTIONS[key].put(basic, value)
        return frame_of(self.target, planned_table(self.source.table, basic), basic).usable_bytes

    def value(self, kind: OptionKind, usable: int | None = None) -> Any:
        given = self.data.get(kind.key)
        if given is None:
            return None
        if kind.kind in _SIZED:
            return _SIZED[kind.kind](self, kind, given, self.usable if usable is None and _has_share(given) else 0)
        return _READERS[kind.kind](kind, given)

    def size(self, given: object, at: str, usable: int) -> Bytes:
        if isinstance(given, str):
            sector = self.target.logical_sector_bytes if self.target else 512
            try:
                return parse_size(given, sector=sector, whole=usable)
            except YlemorphError as error:
                raise error.under(at) from None
        if isinstance(given, bool) or not isinstance(given, int) or not 0 <= given <= MAX_BYTES:
            mend = "write 240GiB or 257698037760"
            raise BadOption("a size is a whole number of bytes or text with a unit", at=at, mend=mend)
        return Bytes(given)


def _has_share(given: object) -> bool:
    values = given.values() if isinstance(given, Mapping) else given if isinstance(given, list | tuple) else (given,)
    return any(isinstance(value, str) and "%" in value for value in values)


def _at(kind: OptionKind, item: object = None) -> str:
    owner = "facts" if kind.scope == "bench" else "options"
    return f"{owner}.{kind.key}" if item is None else f"{owner}.{kind.key}[{item}]"


def _choice(kind: OptionKind, given: object) -> Any:
    if given not in kind.choices:
        raise BadOption(f"“{str(given)[:40]}” is not known", at=_at(kind), mend="use one of " + ", ".join(kind.choices))
    return given


def _row(kind: OptionKind, given: object) -> int:
    return whole(given, _at(kind))


def _rows(kind: OptionKind, given: object) -> frozenset[int]:
    return frozenset(_numbers(kind, given))


def _order(kind: OptionKind, given: object) -> tuple[int, ...]:
    numbers = _numbers(kind, given)
    if len(set(numbers)) < len(numbers):
        raise BadOption("a partition is named twice", at=_at(kind), mend="name each once")
    return tuple(numbers)


def _numbers(kind: OptionKind, given: object) -> list[int]:
    if not isinstance(given, list | tuple) or len(given) > MOST_ITEMS:
        raise BadOption("this must be a list of partition numbers", at=_at(kind), mend="write [3, 4]")
    return [whole(value, _at(kind, i)) for i, value in enumerate(given)]


def _row_roles(kind: OptionKind, given: object) -> tuple[tuple[int, Any], ...]:
    found = _pairs(kind, given)
    for number, role in found:
        if role not in ROLES:
            mend = "use one of " + ", ".join(ROLES)
            raise BadOption(f"“{str(role)[:40]}” is no role", at=_at(kind, number), mend=mend)
    return tuple(found)


def _pairs(kind: OptionKind, given: object) -> list[tuple[int, Any]]:
    """``{"3": "240GiB"}`` or ``["3=240GiB"]`` as pairs, each number once, in the order of the numbers."""
    at = _at(kind)
    if isinstance(given, Mapping) and len(given) <= MOST_ITEMS:
        items: Iterable[tuple[object, Any]] = given.items()
    elif isinstance(given, list | tuple) and len(given) <= MOST_ITEMS:
        items = [_split(text, _at(kind, i)) for i, text in enumerate(given)]
    else:
        raise BadOption("this must name partitions and values", at=at, mend='write {"3": "240GiB"}')
    found: dict[int, Any] = {}
    for name, value in items:
        number = whole(name, at)
        if number in found:
            raise BadOption(f"partition {number} is named twice", at=at, mend="name it once")
        found[number] = value
    return sorted(found.items())


def _split(text: object, at: str) -> tuple[object, object]:
    name, equals, value = text.partition("=") if isinstance(text, str) else ("", "", "")
    if not equals:
        raise BadOption(f"“{str(text)[:40]}” is not NUMBER=VALUE", at=at, mend="write 3=240GiB")
    return name.strip(), value.strip()


def _percent(kind: OptionKind, given: object) -> int:
    """Hundredths of a percent. The text is bounded before it is converted: ``1e999990`` would take minutes."""
    text = str(given).strip().removesuffix("%").strip()
    try:
        if isinstance(given, bool) or len(text) > MOST_DIGITS or "e" in text.lower():
            raise InvalidOperation
        number = Decimal(text) * 100
        if not number.is_finite() or number != int(number) or not 0 <= number <= min(kind.most, 1000_00):
            raise InvalidOperation
    except (InvalidOperation, ValueError, OverflowError):
        most = min(kind.most, 1000_00) // 100
        raise BadOption(
            f"“{str(given)[:40]}” is not a percentage from 0 to {most} with at most two decimals",
            at=_at(kind),
            mend="write 15 or 12.5",
        ) from None
    return int(number)


def _text(kind: OptionKind, given: object) -> str:
    if not isinstance(given, str) or len(given) > 400:
        raise BadOption("this must be text", at=_at(kind), mend="write what the screen asks for")
    return given.strip()


def _sized(reader: _Reader, kind: OptionKind, given: object, usable: int) -> int:
    size = reader.size(given, _at(kind), usable)
    if not kind.least <= size <= kind.most:
        least, most = format_size(kind.least), format_size(kind.most)
        raise BadOption(f"{format_size(size)} is out of range", at=_at(kind), mend=f"use {least} to {most}")
    return size


def _row_sizes(reader: _Reader, kind: OptionKind, given: object, usable: int) -> tuple[tuple[int, Bytes], ...]:
    return tuple((n, reader.size(value, _at(kind, n), usable)) for n, value in _pairs(kind, given))


def _size_or_share(reader: _Reader, kind: OptionKind, given: object, usable: int) -> Tail:
    if isinstance(given, str) and given.strip().endswith("%"):
        return Tail(hundredths=_percent(kind._replace(most=100_00), given))
    return Tail(bytes=reader.size(given, _at(kind), usable))


_READERS: dict[ValueKind, Callable[[OptionKind, object], Any]] = {
    "choice": _choice,
    "row": _row,
    "rows": _rows,
    "order": _order,
    "row-roles": _row_roles,
    "percent": _percent,
    "text": _text,
}
# Those that may be a size as text, for which the target counts.
_SIZED: dict[ValueKind, Callable[[_Reader, OptionKind, object, int], Any]] = {
    "size": _sized,
    "row-sizes": _row_sizes,
    "size-or-share": _size_or_share,
}


def _same(value: Any) -> Any:
    return value


def _by_row(pairs: Iterable[tuple[int, object]]) -> dict[str, object]:
    return {str(number): value for number, value in pairs}


def _share(tail: Tail) -> int | str:
    return f"{tail.hundredths / 100}%" if tail.hundredths else tail.bytes


_WRITERS: dict[ValueKind, Callable[[Any], Any]] = {
    "choice": _same, "row": _same, "size": _same, "text": _same, "rows": sorted, "order": list, "row-sizes": _by_row,
    "row-roles": _by_row, "percent": lambda hundredths: hundredths / 100, "size-or-share": _share,
}  # fmt: skip


def whole(value: object, at: str) -> int:
    """A partition number, as a number or as its digits."""
    if isinstance(value, str) and value.isascii() and value.isdigit() and len(value) <= 6:
        return int(value)
    if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MAX_BYTES:
        return value
    raise BadOption(f"“{str(value)[:40]}” is not a partition number", at=at, mend="write a whole number such as 3")
