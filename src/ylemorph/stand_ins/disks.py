"""The disks of the simulated bench, as data. All names, serials and machines are invented."""

from typing import NamedTuple

from ..core.disk.model import Health, Link
from ..core.sizes import GB, nominal_sectors


class StandIn(NamedTuple):
    """One disk as the bench's operating system would report it; an adapter may hide what it is.

    ``rate`` is the sustained reading rate of the disk itself in MB/s; ``image`` names what is on it, None: nothing.
    """

    key: str
    place: str
    model: str
    serial: str
    link: Link
    rotational: bool | None
    sectors: int
    rate: int
    health: Health | None
    image: str | None = None
    sector: int = 512
    physical: int | None = 4096
    starts: bool = False  # in legacy mode, by code before its first row


def _sectors(label_gb: int, sector: int = 512) -> int:
    return nominal_sectors(label_gb * GB, sector)


STAND_INS = (
    StandIn(
        "desk", "in the lending desk PC", "Brindle K4", "BK4-00731", "sata", True, _sectors(1000), 118,
        Health("good", hours=31_240, reallocated_sectors=0, pending_sectors=0), "desk",
    ),
    StandIn(
        "desk-adapter", "the same disk, taken out, in the grey USB adapter", "USB adapter 7710", "7710-0042", "usb3",
        None, _sectors(1000), 112, None, "desk", physical=None,
    ),
    StandIn(
        "blank", "in the second USB adapter, new", "Quillon S2", "QS2-4411", "usb3", False, _sectors(480), 520,
        Health("good", hours=0, worn_percent=0),
    ),
    StandIn(
        "loan", "in the spare SATA slot", "Quillon S2", "QS2-4410", "sata", False, _sectors(480), 505,
        Health("good", hours=6_120, worn_percent=4), "old-loan",
    ),
    StandIn(
        "bindery", "from the bindery PC, on USB", "Brindle K2", "BK2-11840", "usb3", True, _sectors(320), 64,
        Health("failing", hours=48_910, reallocated_sectors=214, pending_sectors=8), "bindery",
        starts=True,
    ),
    StandIn(
        "reading", "from the reading room PC", "Quillon S1", "QS1-2093", "sata", False, _sectors(128), 430,
        Health("worn", hours=22_015, worn_percent=93), "reading-room",
    ),
    StandIn(
        "reading-copy", "an earlier copy of it, never finished", "Quillon S2", "QS2-5120", "usb3", False, _sectors(250),
        515, Health("good", hours=41, worn_percent=0), "reading-room",
    ),
    StandIn(
        "archive", "archive store, sectors of 4096 bytes", "Brindle V4", "BV4-40977", "sata", True,
        _sectors(2000, 4096), 176, Health("good", hours=9_870, reallocated_sectors=0, pending_sectors=0), "wide",
        sector=4096,
    ),
)  # fmt: skip
BY_KEY = {stand_in.key: stand_in for stand_in in STAND_INS}
