"""What the user wants of a plan: the fit and everything set by hand. A value; it never looks at a disk."""

from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

from ..disk.model import Role
from ..sizes import DEFAULT_GRAIN, Bytes, GiB, MiB

Fit = Literal["same", "proportional", "rest-to-one", "even-fill", "snug"]
TableWish = Literal["keep", "gpt", "mbr"]
Firmware = Literal["unknown", "uefi", "legacy"]
FITS: tuple[Fit, ...] = get_args(Fit)
TABLE_WISHES: tuple[TableWish, ...] = get_args(TableWish)
FIRMWARES: tuple[Firmware, ...] = get_args(Firmware)


@dataclass(frozen=True, slots=True)
class Headroom:
    """Rule 5.4: a share of the used space in hundredths of a percent, and minima in bytes."""

    hundredths: int = 1500
    system_bytes: int = 5 * GiB
    data_bytes: int = 512 * MiB

    @property
    def percent(self) -> float:
        return self.hundredths / 100


@dataclass(frozen=True, slots=True)
class Options:
    """The flags of ``ylemorph plan``; numbers are partition numbers of the source, sizes are bytes."""

    fit: Fit = "proportional"
    grow: int | None = None
    pins: tuple[tuple[int, Bytes], ...] = ()
    leave: frozenset[int] = frozenset()
    hold: frozenset[int] = frozenset()
    elastic: frozenset[int] = frozenset()
    roles: tuple[tuple[int, Role], ...] = ()
    lighten: tuple[tuple[int, Bytes], ...] = ()
    cleared: frozenset[int] = frozenset()
    headroom: Headroom = Headroom()
    tail_bytes: int = 0
    tail_hundredths: int = 0
    free_after: int | None = None
    table: TableWish = "keep"
    grain_bytes: Bytes = DEFAULT_GRAIN
    order: tuple[int, ...] = ()
    overwrite: str = ""
    firmware: Firmware = "unknown"

    def but(self, **changes: Any) -> "Options":
        return replace(self, **changes)

    @property
    def names_rows(self) -> bool:
        """Whether any option speaks of a row by its number."""
        return bool(
            self.leave
            or self.hold
            or self.elastic
            or self.cleared
            or self.pins
            or self.roles
            or self.lighten
            or self.order
            or self.grow is not None
            or self.free_after is not None
        )


MOST_HEADROOM_HUNDREDTHS = 1000_00
LEAST_GRAIN = 4096
MOST_GRAIN = GiB
