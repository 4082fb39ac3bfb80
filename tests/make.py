"""Builders of disks and jobs, and a pool of nasty ones."""

from types import SimpleNamespace

from hypothesis import strategies as st

from ylemorph.core.disk.check import checked
from ylemorph.core.disk.model import Disk, FileSystem, Partition, Survey
from ylemorph.core.disk.roles import BASIC_DATA, EFI_SYSTEM, MICROSOFT_RESERVED, RECOVERY
from ylemorph.core.fit.options import FITS, Options, Tail
from ylemorph.core.job.changes import apply
from ylemorph.core.job.state import JobState, SizedTarget
from ylemorph.core.sizes import GB, GiB, MiB, nominal_sectors
from ylemorph.formats.listings.reading import read_any
from ylemorph.formats.own.changes import change_from
from ylemorph.formats.own.targets import target_from_text
from ylemorph.usecases.jobs import change
from ylemorph.usecases.workshop import Work

SECTOR = 512


def fs(kind="ntfs", used=None, **more):
    return FileSystem(kind, used_bytes=used, **{"state": "clean", **more})


def part(number, first_byte, size, type_=BASIC_DATA, filesystem=None, **more):
    return Partition(number, first_byte // SECTOR, size // SECTOR, type_, filesystem=filesystem, **more)


def disk(sectors, *parts, table="gpt", **more):
    return checked(Disk(sectors, table=table if parts else "none", partitions=parts, **more))


def row_of(*rows, table="gpt", label_gb=4000, **more):
    """A disk whose rows (size, type, file system, further fields) stand one after the other from 1 MiB on."""
    at, parts = MiB, []
    for number, (size, type_, filesystem, *fields) in enumerate(rows, 1):
        parts.append(part(number, at, size, type_, filesystem, **(fields[0] if fields else {})))
        at += size
    return disk(nominal_sectors(label_gb * GB, SECTOR), *parts, table=table, **more)


def desk(used_system=131 * GiB, used_data=96 * GiB, **more):
    """The 1 TB disk of the scenario: start, reserved, system, data, recovery."""
    return row_of(
        (260 * MiB, EFI_SYSTEM, fs("fat32", 33 * MiB)),
        (16 * MiB, MICROSOFT_RESERVED, None),
        (420 * GiB, BASIC_DATA, fs("ntfs", used_system, label="Desk"), {"role": "system"}),
        (510 * GiB, BASIC_DATA, fs("ntfs", used_data, label="Catalogue"), {"role": "data"}),
        (980 * MiB, RECOVERY, fs("ntfs", 572 * MiB)),
        label_gb=1000,
        **more,
    )


def job_of(source, target="480GB", options=None, **more):
    """A job's state; the target is a size as typed, a disk, or None."""
    sized = SizedTarget(target, target_from_text(target)) if isinstance(target, str) else target
    wanted = SizedTarget("a size", sized) if isinstance(sized, Disk) else sized
    return JobState(source=Survey(source), target=wanted, options=options or Options(), **more)


def changed(state, **data):
    """The state after one change as it is sent."""
    return apply(state, change_from(data, state))


def apply_change(pair, options, data):
    """Options, sentence and stop of one change to a pair's options."""
    made = changed(job_of(pair.source, pair.target, options), **data)
    return SimpleNamespace(options=made.state.options, sentence=made.sentence, stopped=made.stopped)


# Sizes in MiB at which something changes: nothing, one grain, the slack's and the headroom's minima, round ones.
NASTY_MIB = (0, 1, 2, 15, 16, 17, 511, 512, 513, 799, 800, 801, 1024, 5119, 5120, 5121, 33_333, 102_400)
mib = st.sampled_from(NASTY_MIB) | st.integers(0, 200_000)


@st.composite
def elastic_rows(draw):
    """(size, used) in bytes, used at most size; sizes not always whole grains."""
    size = max(1, draw(mib)) * MiB + draw(st.sampled_from((0, 0, 512, MiB - 512)))
    used = min(size, draw(mib) * MiB + draw(st.sampled_from((0, 0, 1, 4096))))
    return size, used


@st.composite
def sources(draw):
    """GPT disks of system, data and held rows in any order, some full, empty, grow-only or without used space."""
    parts, at = [], MiB
    for number in range(1, draw(st.integers(1, 7)) + 1):
        size, used = draw(elastic_rows())
        role = draw(st.sampled_from(("system", "data", "data", "data", "recovery", "start", "swap", "unknown")))
        kind = draw(st.sampled_from(("ntfs", "ntfs", "ext4", "fat32", "xfs", "exfat", "unknown")))
        state = draw(st.sampled_from(("clean", "clean", "clean", "unknown", "dirty")))
        known = draw(st.sampled_from((True, True, True, False)))
        end = draw(st.none() | st.none() | st.integers(0, size))
        filesystem = fs(kind, used if known else None, state=state, immovable_end_byte=end, cluster_bytes=4096)
        parts.append(part(number, at, size, BASIC_DATA, filesystem, role=role))
        at += size // SECTOR * SECTOR
    return disk(at // SECTOR + 100, *parts)


@st.composite
def targets(draw):
    sector = draw(st.sampled_from((512, 512, 512, 4096)))
    size = draw(st.integers(2, 900_000)) * MiB + draw(st.sampled_from((0, 512, 333 * 512)))
    return Disk(size // sector, logical_sector_bytes=sector)


@st.composite
def wishes(draw, source):
    """Options that can be followed for ``source``: fits, rows left and held, tail, headroom, where space stands."""
    numbers = [p.number for p in source.rows]
    leave = draw(st.frozensets(st.sampled_from(numbers), max_size=2))
    hold = draw(st.frozensets(st.sampled_from(numbers), max_size=2))
    stays = [n for n in numbers if n not in leave]
    return Options(
        fit=draw(st.sampled_from(FITS)),
        leave=leave,
        hold=hold,
        tail=Tail(hundredths=draw(st.sampled_from((0, 0, 1000)))),
        free_after=draw(st.none() | st.sampled_from(stays)) if stays else None,
        grain_bytes=draw(st.sampled_from((MiB, MiB, 4096 * 16, 4 * MiB))),
    )


# What lsblk prints of a machine with two disks.
LISTING = {
    "blockdevices": [
        {
            "name": name, "path": f"/dev/{name}", "type": "disk", "size": size, "log-sec": 512, "phy-sec": 4096,
            "model": model, "serial": f"{model[:2]}-1", "tran": "sata", "pttype": "gpt", "rota": False,
            "children": [{"name": f"{name}1", "type": "part", "size": 2**35, "start": 2048, "partn": 1,
                          "fstype": "ntfs", "parttype": "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7", "fsused": 2**34,
                          "fssize": 2**35}],
        }
        for name, size, model in (("sda", 256_060_514_304, "Brindle K4"), ("sdb", 512_110_190_592, "Quillon S2"))
    ]
}  # fmt: skip


def change_job(connection, job, version, read, made_by=""):
    """As the use case does it, for a program without a server."""
    return change(Work(None, connection, made_by), job, version, read)


def read_survey(text):
    """The one survey of a file."""
    (only,) = read_any(text).found
    return only.survey
