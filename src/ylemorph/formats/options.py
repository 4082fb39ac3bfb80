"""Options from what a person typed or sent: numbers, sizes as text, keys. One reader for command line and HTTP."""

from collections.abc import Callable, Iterable, Mapping
from decimal import Decimal, InvalidOperation
from typing import Any

from ..core.disk.model import ROLES, Disk, Role
from ..core.disk.usual_sizes import nominal_disk
from ..core.errors import BadOption, YlemorphError
from ..core.fit.frame import frame_of, planned_table
from ..core.fit.options import (
    FIRMWARES,
    FITS,
    LEAST_GRAIN,
    MOST_GRAIN,
    MOST_HEADROOM_HUNDREDTHS,
    TABLE_WISHES,
    Headroom,
    Options,
)
from ..core.sizes import DECIMAL_UNITS, MAX_BYTES, Bytes, parse_size, read_quantity, to_bytes


def options_from(data: Mapping[str, Any], source: Disk, target: Disk) -> Options:
    """Options from ``data``, whose keys are the flags of ``ylemorph plan`` with ``_`` for ``-``.

    Sizes are whole bytes or text with a unit (rule 1.1); ``%`` is a share of the target's usable capacity,
    ``s`` a sector of the target. Raises BadOption or BadSize with the option's place.
    """
    reader = _Reader(data, source, target)
    unknown = sorted(set(data) - set(_KEYS))
    if unknown:
        raise BadOption(f"“{unknown[0]}” is no option", at="options", mend="use one of " + ", ".join(sorted(_KEYS)))
    return reader.read()


class _Reader:
    def __init__(self, data: Mapping[str, Any], source: Disk, target: Disk) -> None:
        self.data = data
        self.source = source
        self.target = target

    def read(self) -> Options:
        defaults = Options()
        basic = Options(
            table=self.choice("table", TABLE_WISHES, defaults.table),
            grain_bytes=self.grain(),
        )
        frame = frame_of(self.target, planned_table(self.source.table, basic), basic)
        self.usable = frame.usable_bytes
        tail_bytes, tail_hundredths = self.tail()
        return basic.but(
            fit=self.choice("fit", FITS, defaults.fit),
            grow=self.number("grow"),
            pins=self.sizes("pin"),
            leave=self.numbers("leave"),
            hold=self.numbers("hold"),
            elastic=self.numbers("elastic"),
            roles=self.roles(),
            lighten=self.sizes("lighten"),
            cleared=self.numbers("cleared"),
            headroom=self.headroom(),
            tail_bytes=tail_bytes,
            tail_hundredths=tail_hundredths,
            free_after=self.number("free_after"),
            order=tuple(self._listed("order")),
            overwrite=self.overwrite(),
            firmware=self.choice("firmware", FIRMWARES, defaults.firmware),
        )

    def overwrite(self) -> str:
        """The last four characters that confirm a target, as typed."""
        value = self.data.get("overwrite")
        if value is None:
            return ""
        if not isinstance(value, str) or len(value) > 40:
            raise BadOption("this must be the last four characters", at="options.overwrite", mend="write them as text")
        return value.strip().upper()

    def choice(self, key: str, choices: tuple[Any, ...], default: Any) -> Any:
        value = self.data.get(key)
        if value is None:
            return default
        if value not in choices:
            raise BadOption(f"“{value}” is not known", at=f"options.{key}", mend="use one of " + ", ".join(choices))
        return value

    def number(self, key: str) -> int | None:
        value = self.data.get(key)
        return None if value is None else _whole(value, f"options.{key}")

    def numbers(self, key: str) -> frozenset[int]:
        return frozenset(self._listed(key))

    def _listed(self, key: str) -> list[int]:
        values = self.data.get(key)
        if values is None:
            return []
        if not isinstance(values, list | tuple):
            raise BadOption("this must be a list of partition numbers", at=f"options.{key}", mend="write [3, 4]")
        numbers = [_whole(value, f"options.{key}[{i}]") for i, value in enumerate(values)]
        if len(set(numbers)) < len(numbers) and key == "order":
            raise BadOption("a partition is named twice", at="options.order", mend="name each once")
        return numbers

    def pairs(self, key: str) -> list[tuple[int, object]]:
        """``{"3": "240GiB"}`` or ``["3=240GiB"]`` as pairs, each number once, in the order of the numbers."""
        values, at = self.data.get(key), f"options.{key}"
        if values is None:
            return []
        if isinstance(values, Mapping):
            items: Iterable[tuple[object, object]] = values.items()
        elif isinstance(values, list | tuple):
            items = [self._split(text, f"{at}[{i}]") for i, text in enumerate(values)]
        else:
            raise BadOption("this must name partitions and values", at=at, mend='write {"3": "240GiB"}')
        found: dict[int, object] = {}
        for name, value in items:
            number = _whole(name, at)
            if number in found:
                raise BadOption(f"partition {number} is named twice", at=at, mend="name it once")
            found[number] = value
        return sorted(found.items())

    @staticmethod
    def _split(text: object, at: str) -> tuple[object, object]:
        name, equals, value = text.partition("=") if isinstance(text, str) else ("", "", "")
        if not equals:
            raise BadOption(f"“{text}” is not NUMBER=VALUE", at=at, mend="write 3=240GiB")
        return name.strip(), value.strip()

    def sizes(self, key: str) -> tuple[tuple[int, Bytes], ...]:
        return tuple((n, self.size(value, f"options.{key}[{n}]")) for n, value in self.pairs(key))

    def size(self, value: object, at: str) -> Bytes:
        if isinstance(value, str):
            return _placed(at, lambda: parse_size(value, sector=self.target.logical_sector_bytes, whole=self.usable))
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MAX_BYTES:
            raise BadOption(
                "a size is a whole number of bytes or text with a unit", at=at, mend="write 240GiB or 257698037760"
            )
        return Bytes(value)

    def roles(self) -> tuple[tuple[int, Role], ...]:
        found = []
        for number, role in self.pairs("role"):
            if role not in ROLES:
                raise BadOption(
                    f"“{role}” is no role", at=f"options.role[{number}]", mend="use one of " + ", ".join(ROLES)
                )
            found.append((number, role))
        return tuple(found)

    def headroom(self) -> Headroom:
        default = Headroom()
        return Headroom(
            hundredths=self._hundredths("headroom", default.hundredths, MOST_HEADROOM_HUNDREDTHS),
            system_bytes=self._minimum("headroom_system", default.system_bytes),
            data_bytes=self._minimum("headroom_data", default.data_bytes),
        )

    def _minimum(self, key: str, default: int) -> int:
        value = self.data.get(key)
        return default if value is None else self.size(value, f"options.{key}")

    def _hundredths(self, key: str, default: int, most: int) -> int:
        value = self.data.get(key)
        if value is None:
            return default
        try:
            if isinstance(value, bool):
                raise InvalidOperation
            number = Decimal(str(value).strip().removesuffix("%")) * 100
            if not number.is_finite() or number != int(number) or not 0 <= number <= most:
                raise InvalidOperation
        except (InvalidOperation, ValueError, OverflowError):
            raise BadOption(
                f"“{str(value)[:40]}” is not a percentage from 0 to {most // 100} with at most two decimals",
                at=f"options.{key}",
                mend="write 15 or 12.5",
            ) from None
        return int(number)

    def tail(self) -> tuple[Bytes, int]:
        value = self.data.get("tail")
        if value is None:
            return Bytes(0), 0
        if isinstance(value, str) and value.strip().endswith("%"):
            return Bytes(0), self._hundredths("tail", 0, 100_00)
        return self.size(value, "options.tail"), 0

    def grain(self) -> Bytes:
        value = self.data.get("grain")
        if value is None:
            return Options().grain_bytes
        self.usable = 0
        size = self.size(value, "options.grain")
        if not LEAST_GRAIN <= size <= MOST_GRAIN:
            raise BadOption(
                f"a grain of {size} bytes is out of range", at="options.grain", mend="use 4KiB to 1GiB; 1MiB is usual"
            )
        return size


_KEYS = frozenset(
    (
        "fit", "grow", "pin", "leave", "hold", "elastic", "role", "lighten", "cleared", "headroom", "headroom_system",
        "headroom_data", "tail", "free_after", "table", "grain", "order", "overwrite",
        "firmware",
    )
)  # fmt: skip


def _whole(value: object, at: str) -> int:
    if isinstance(value, str) and value.isascii() and value.isdigit() and len(value) <= 6:
        return int(value)
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    raise BadOption(f"“{str(value)[:40]}” is not a partition number", at=at, mend="write a whole number such as 3")


def _placed(at: str, read: Callable[[], Bytes]) -> Bytes:
    try:
        return read()
    except YlemorphError as error:
        raise error.under(at) from None


def target_from_text(text: str, sector: int = 512) -> Disk:
    """A target disk that is only a size: ``480GB`` (rule 1.3), ``937703088s``, or binary text for exact bytes."""
    quantity = read_quantity(text)
    if quantity.unit == "s":
        sectors = quantity.number
        if sectors.denominator != 1 or not 0 < sectors * sector <= MAX_BYTES:
            raise BadOption(f"“{text}” is not a count of sectors", at="target", mend="write 937703088s")
        return Disk(sectors=int(sectors), logical_sector_bytes=sector)
    if quantity.unit in ("", "%"):
        raise BadOption(
            f"“{text}” has no unit", at="target", mend="write 480GB for a nominal size or 937703088s for sectors"
        )
    size = to_bytes(quantity)
    if size < sector:
        raise BadOption(f"“{text}” is smaller than one sector", at="target", mend="write 480GB or 937703088s")
    if quantity.unit in DECIMAL_UNITS:
        return nominal_disk(size, sector)
    return Disk(sectors=size // sector, logical_sector_bytes=sector)


def options_to_data(options: Options) -> dict[str, Any]:
    """The options that differ from the defaults, so that ``options_from`` reads them back equal."""
    head, default = options.headroom, Headroom()
    values: dict[str, Any] = {
        "fit": options.fit,
        "grow": options.grow,
        "pin": {str(n): size for n, size in options.pins},
        "leave": sorted(options.leave),
        "hold": sorted(options.hold),
        "elastic": sorted(options.elastic),
        "role": {str(n): role for n, role in options.roles},
        "lighten": {str(n): size for n, size in options.lighten},
        "cleared": sorted(options.cleared),
        "headroom": None if head.hundredths == default.hundredths else head.percent,
        "headroom_system": None if head.system_bytes == default.system_bytes else head.system_bytes,
        "headroom_data": None if head.data_bytes == default.data_bytes else head.data_bytes,
        "tail": f"{options.tail_hundredths / 100}%" if options.tail_hundredths else options.tail_bytes or None,
        "free_after": options.free_after,
        "table": None if options.table == "keep" else options.table,
        "grain": None if options.grain_bytes == Options().grain_bytes else options.grain_bytes,
        "order": list(options.order),
        "overwrite": options.overwrite or None,
        "firmware": None if options.firmware == "unknown" else options.firmware,
    }
    return {key: value for key, value in values.items() if value is not None and value not in ([], {})}
