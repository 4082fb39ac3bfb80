"""Disks and jobs of the Harrow Lane Library's workshop. All names, serials and machines are invented."""

import hashlib

from ..core.disk.check import checked
from ..core.disk.model import (
    Disk,
    FileSystem,
    Flag,
    Kind,
    Link,
    Partition,
    Role,
    StartCode,
    State,
    Survey,
    Table,
    UsageMap,
)  # fmt: skip
from ..core.disk.roles import BASIC_DATA, EFI_SYSTEM, LINUX_DATA, LINUX_SWAP, MICROSOFT_RESERVED, RECOVERY
from ..core.fit.options import Options
from ..core.job.state import JobState, SizedTarget
from ..core.sizes import GB, Bytes, GiB, KiB, MiB, div_up, nominal_sectors
from ..formats.own.targets import target_from_text
from ..stand_ins.starts import CODE, CORE

TAKEN = "2026-11-23T10:00:00Z"
SECTOR = 512
BUCKETS = 256

COUNTED = frozenset(("ntfs", "ext4"))  # whose readers count files
FILE_BYTES, MOST_FILES, MB = 400 * KiB, 260_000, 10**6


def fs(
    kind: Kind, label: str, size: int, used: int, *, reach: float = 0.0, state: State = "clean", end: int | None = None
) -> FileSystem:
    """A file system with ``used`` bytes, most of them in front and the rest thinly up to ``reach`` of its size."""
    usage = _usage(size, used, reach) if reach else None
    return FileSystem(
        kind=kind,
        label=label,
        cluster_bytes=Bytes(4 * KiB),
        size_bytes=Bytes(size),
        used_bytes=Bytes(used),
        last_used_byte=Bytes(size * round(reach * 100) // 100) if reach else None,
        immovable_end_byte=None if end is None else Bytes(end),
        state=state,
        usage_map=usage,
        files=min(used // FILE_BYTES, MOST_FILES) if kind in COUNTED else None,
    )


def _usage(size: int, used: int, reach: float) -> UsageMap:
    bucket = div_up(div_up(size, BUCKETS), 4 * KiB) * 4 * KiB
    last = max(1, int(size * reach) // bucket)
    weights = [
        100 if i * bucket < used * 0.7 else 22 + 13 * ((i * 7) % 5 == 0) if i <= last else 0 for i in range(BUCKETS)
    ]
    total, left, out = sum(weights), used, []
    for weight in weights:
        share = min(bucket, used * weight // total // 4096 * 4096)
        out.append(share)
        left -= share
    for i, share in enumerate(out):
        more = min(bucket - share, left) if i <= last else 0
        out[i], left = share + more, left - more
    return UsageMap(Bytes(bucket), tuple(out))


class _Layout:
    """Places partitions one after the other from the first grain on."""

    def __init__(self) -> None:
        self.at = MiB
        self.parts: list[Partition] = []

    def add(
        self,
        size: int,
        type_: str,
        filesystem: FileSystem | None = None,
        *,
        role: Role | None = None,
        flags: tuple[Flag, ...] = (),
        logical: bool = False,
        name: str = "",
    ) -> "_Layout":
        if logical:
            self.at += MiB
        number = max([4 if logical else 0] + [p.number for p in self.parts if p.logical or not logical]) + 1
        self.parts.append(
            Partition(
                number, self.at // SECTOR, size // SECTOR, type_, logical, name, frozenset(flags), role, filesystem
            )
        )
        self.at += size
        return self


def disk(
    model: str,
    serial: str,
    label_gb: int,
    parts: _Layout,
    *,
    table: Table = "gpt",
    table_id: str = "",
    link: Link = "sata",
    rotational: bool = False,
) -> Survey:
    made = Disk(
        sectors=nominal_sectors(label_gb * GB, SECTOR),
        physical_sector_bytes=4096,
        model=model,
        serial=serial,
        link=link,
        rotational=rotational,
        table=table if parts.parts else "none",
        table_id=table_id,
        partitions=tuple(parts.parts),
        read_rates=(118 * MB, 109 * MB, 96 * MB) if rotational else (512 * MB, 507 * MB, 498 * MB),
    )
    return Survey(checked(made), TAKEN)


def lending_desk() -> Survey:
    """A 1 TB hard disk: start, reserved, system, data, and recovery at the end."""
    parts = _Layout()
    parts.add(260 * MiB, EFI_SYSTEM, fs("fat32", "Start", 260 * MiB, 33 * MiB).but(fallback_loader=True))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(420 * GiB, BASIC_DATA, fs("ntfs", "Desk", 420 * GiB, 131 * GiB, reach=0.89), role="system")
    parts.add(510 * GiB, BASIC_DATA, fs("ntfs", "Catalogue", 510 * GiB, 96 * GiB, reach=0.35), role="data")
    parts.add(980 * MiB, RECOVERY, fs("ntfs", "Recovery", 980 * MiB, 572 * MiB), flags=("required", "no-auto"))
    return disk(
        "Brindle K4", "BK4-00731", 1000, parts, rotational=True, table_id="5B0A6C1E-7D3F-4C52-9A44-0D1E52B7C731"
    )


def reading_room() -> Survey:
    """A 128 GB disk whose recovery partition stands between the system and the end."""
    parts = _Layout()
    parts.add(100 * MiB, EFI_SYSTEM, fs("fat32", "", 100 * MiB, 29 * MiB))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(118 * GiB, BASIC_DATA, fs("ntfs", "Reading", 118 * GiB, 104 * GiB, reach=0.97), role="system")
    parts.add(700 * MiB, RECOVERY, fs("ntfs", "Recovery", 700 * MiB, 505 * MiB), flags=("required", "no-auto"))
    return disk("Quillon S1", "QS1-2093", 128, parts, table_id="91F2D0B3-55A8-4E0B-8C1B-3F6A7788E120")


def bindery() -> Survey:
    """An MBR disk with an active start partition and two logicals, as it is on the bench too."""
    parts = _Layout()
    parts.add(350 * MiB, "0x07", fs("ntfs", "System reserved", 350 * MiB, 46 * MiB), flags=("active",))
    parts.add(120 * GiB, "0x07", fs("ntfs", "Bindery", 120 * GiB, 61 * GiB, reach=0.8))
    parts.add(150 * GiB, "0x07", fs("ntfs", "Scans", 150 * GiB, 88 * GiB, reach=0.66), logical=True, role="data")
    parts.add(24 * GiB, "0x0B", fs("fat32", "Exchange", 24 * GiB, 9 * GiB), logical=True)
    parts.parts = [
        p.but(filesystem=p.filesystem and p.filesystem.but(named_start_lba=p.first_lba)) for p in parts.parts
    ]
    made = disk("Brindle K2", "BK2-11840", 320, parts, table="mbr", table_id="0x5d1e40b7", rotational=True, link="usb3")
    code = StartCode(1 + len(CORE) // SECTOR, hashlib.sha256(CODE + CORE).hexdigest())
    return Survey(made.disk.but(start_code=code), made.taken)


def print_server() -> Survey:
    """A Linux disk: ext4, XFS and swap."""
    parts = _Layout()
    parts.add(512 * MiB, EFI_SYSTEM, fs("fat32", "", 512 * MiB, 6 * MiB))
    parts.add(60 * GiB, LINUX_DATA, fs("ext4", "root", 60 * GiB, 21 * GiB, reach=0.9))
    parts.add(150 * GiB, LINUX_DATA, fs("xfs", "spool", 150 * GiB, 38 * GiB))
    parts.add(8 * GiB, LINUX_SWAP, FileSystem("swap", state="clean"))
    return disk("Quillon S2", "QS2-3307", 240, parts, table_id="C3A7F1D2-0E64-4B1C-9C0F-6A2D8E51B004")


def archive() -> Survey:
    """A 4 TB data disk with an MBR, of which only 2 TiB are in use."""
    parts = _Layout()
    parts.add(1900 * GiB, "0x07", fs("ntfs", "Archive", 1900 * GiB, 1240 * GiB, reach=0.78), role="data")
    return disk(
        "Brindle V4", "BV4-40412", 4000, parts, table="mbr", table_id="0x00c41f9e", rotational=True, link="usb3"
    )


def quillon_480() -> Survey:
    """The target of the first job: it still holds something."""
    parts = _Layout().add(447 * GiB, BASIC_DATA, fs("ntfs", "Old loan", 447 * GiB, 3 * GiB))
    return disk("Quillon S2", "QS2-4410", 480, parts, link="usb3", table_id="2E77AB10-6B8C-4A7E-8E57-91D0443E4410")


def story_corner(serial: str = "BK4-00645") -> Survey:
    """A 500 GB hard disk: start, reserved, system, data."""
    parts = _Layout()
    parts.add(100 * MiB, EFI_SYSTEM, fs("fat32", "", 100 * MiB, 31 * MiB))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(210 * GiB, BASIC_DATA, fs("ntfs", "Stories", 210 * GiB, 96 * GiB, reach=0.7), role="system")
    parts.add(240 * GiB, BASIC_DATA, fs("ntfs", "Sounds", 240 * GiB, 74 * GiB, reach=0.4), role="data")
    parts.add(600 * MiB, RECOVERY, fs("ntfs", "Recovery", 600 * MiB, 440 * MiB), flags=("required", "no-auto"))
    identity = "40C6E2B7-1B5D-4E09-8A3F-5D7E1C02A6F4"
    return disk("Brindle K4", serial, 500, parts, rotational=True, table_id=identity)


def map_room() -> Survey:
    """A 500 GB disk that goes to a larger one; its recovery partition stands at the end."""
    parts = _Layout()
    parts.add(260 * MiB, EFI_SYSTEM, fs("fat32", "", 260 * MiB, 34 * MiB))
    parts.add(16 * MiB, MICROSOFT_RESERVED)
    parts.add(464 * GiB, BASIC_DATA, fs("ntfs", "Maps", 464 * GiB, 390 * GiB, reach=0.95), role="system")
    parts.add(900 * MiB, RECOVERY, fs("ntfs", "Recovery", 900 * MiB, 520 * MiB), flags=("required", "no-auto"))
    return disk("Quillon S1", "QS1-2260", 500, parts, table_id="B81D22F6-7A0C-4C1E-9E52-6A9F03D4C7E1")


def quillon(label_gb: int, serial: str) -> Survey:
    """A new disk with nothing on it."""
    return disk("Quillon S2", serial, label_gb, _Layout(), link="usb3")


def jobs() -> list[JobState]:
    """The demo's jobs, the first of the list last."""
    desk = lending_desk()
    return [
        _job(
            "Archive disk", "YM-0101", "Archive, basement", "Data only; the new disk has the same size.", archive(),
            "4TB",
        ),
        _job("Print server", "YM-0102", "Server cupboard", "", print_server(), "250GB"),
        _job("Bindery PC", "YM-0103", "Bindery", "Old firmware, keeps its MBR.", bindery(), "500GB"),
        _job(
            "Reading room PC", "YM-0104", "Reading room 2", "Disk full; recovery stands in the way.", reading_room(),
            "1000GB",
        ).but(options=Options(fit="rest-to-one")),
        _job("Lending desk PC, cheapest disk", "YM-0105", "Lending desk", "Is 240 GB enough?", desk, "240GB"),
        _job("Lending desk PC, smaller disk", "YM-0106", "Lending desk", "Offer with 256 GB.", desk, "256GB"),
        _job("Lending desk PC", "YM-0107", "Lending desk", "Slow hard disk, goes to 480 GB.", desk, quillon_480()),
    ]  # fmt: skip


def sample_job(source: Survey | None = None, target: Survey | None = None) -> JobState:
    """What a first visit can try: a slow hard disk onto a smaller solid-state disk, which is not bought yet where no
    ``target`` is given."""
    name = "Sample: a 1 TB disk to 480 GB"
    return _job(name, "", "Lending desk", "To try things on.", source or lending_desk(), target or "480GB")


def _job(name: str, code: str, machine: str, note: str, source: Survey, target: Survey | str) -> JobState:
    """A job whose target is a disk, or a size as one would type it."""
    wanted = SizedTarget(target, target_from_text(target)) if isinstance(target, str) else target
    return JobState(name, code, machine, note, source, wanted)
