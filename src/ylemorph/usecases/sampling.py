"""The finished disk compared with its source, place by place, while both are attached. Both are only read."""

import os
import random
import struct
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from typing import NamedTuple

from ..core.checkback.compare import Checked
from ..core.checkback.planned import Planned, PlannedRow
from ..core.checkback.sampling import RowSample, Sampled, allotted, places_for, with_samples
from ..core.disk.model import Disk, Partition
from ..core.errors import YlemorphError
from ..probe.disks import survey_medium
from ..probe.media.medium import CannotRead, Medium, Part, Unsound
from ..probe.media.opening import open_medium
from ..probe.sampling.draw import compare, units_in_use
from ..probe.sampling.used import Used, used_of, whole
from .disks import is_image


class _Pair(NamedTuple):
    """A row on both disks, and what is drawn from."""

    row: PlannedRow
    source: Part
    target: Part
    here: Used
    there: Used


def sampled(
    planned: Planned, checked: Checked, found: str, source: str, share_percent: float, chance: random.Random
) -> Checked:
    """The check with a comparison of ``found`` and ``source``, paths of images or devices.

    Raises YlemorphError where one of them is neither, where both are one, or where ``source`` is not the plan's.
    """
    for name, path in (("FOUND", found), ("SOURCE", source)):
        if not is_image(path):
            raise YlemorphError(
                "only an image or a device can be compared place by place", at=name, mend="give its path"
            )
    if os.path.samefile(found, source):
        raise YlemorphError("this is the finished disk itself", at="SOURCE", mend="give the source of the plan")
    with ExitStack() as opened:
        here, there = opened.enter_context(open_medium(source)), opened.enter_context(open_medium(found))
        disk = survey_medium(here).disk
        _look_at_source(planned, disk)
        left: list[str] = []
        pairs = list(_pairs(planned, checked.pairs, disk, here, there, left))
        rows = tuple(_compared(pairs, share_percent, chance, left))
    return with_samples(checked, planned, Sampled(rows, tuple(left)))


def _compared(pairs: list[_Pair], share_percent: float, chance: random.Random, left: list[str]) -> Iterator[RowSample]:
    """Each row's places; what its bitmap says is only seen while it is read, and may be nonsense."""
    units: dict[int, int] = {}
    for pair in pairs:
        with _unsound(pair.row, left):
            units[pair.row.number] = units_in_use(pair.here)
    sound = [pair for pair in pairs if pair.row.number in units]
    files = {pair.row.number: max(0, units[pair.row.number] - pair.here.own_units) for pair in sound}
    places = allotted(files, places_for(share_percent))
    for pair in sound:
        row = pair.row.number
        with _unsound(pair.row, left):
            yield compare(row, pair.source, pair.target, pair.here, pair.there, units[row], places[row], chance)


@contextmanager
def _unsound(row: PlannedRow, left: list[str]) -> Iterator[None]:
    try:
        yield
    except (Unsound, CannotRead, struct.error, IndexError):
        left.append(f"{row.name}: what is in use of it cannot be read on both disks.")


def _look_at_source(planned: Planned, disk: Disk) -> None:
    """Raises YlemorphError for another disk than the plan's source."""
    signs = planned.source
    other_identity = signs.table_id and disk.table_id and signs.table_id != disk.table_id
    if other_identity or (signs.size_bytes and signs.size_bytes != disk.size_bytes):
        raise YlemorphError(
            "this is not the source of the plan: another identity, or another size",
            at="SOURCE", mend="give the disk that the plan was made from",
        )  # fmt: skip


def _pairs(
    planned: Planned, found: Mapping[int, Partition], disk: Disk, here: Medium, there: Medium, left: list[str]
) -> Iterator[_Pair]:
    """Rows that stand on both; ``left`` takes a sentence for each that cannot be compared."""
    sources = {partition.number: partition for partition in disk.rows}
    for row in planned.rows:
        given, got = sources.get(row.number), found.get(row.number)
        if given is None or got is None or row.change == "made":
            continue
        source = Part(here, given.first_lba * disk.logical_sector_bytes, given.sectors * disk.logical_sector_bytes)
        target = Part(there, got.first_lba * planned.sector_bytes, got.sectors * planned.sector_bytes)
        used = _used(row, source, target)
        if used is None:
            left.append(
                f"{row.name}: place by place only a file system of one layout can be, or one of the same length."
            )
        else:
            yield _Pair(row, source, target, *used)


def _used(row: PlannedRow, source: Part, target: Part) -> tuple[Used, Used] | None:
    """What both have in use, where it stands at the same places of both."""
    here, there = used_of(source, row.kind), used_of(target, row.kind)
    if here is not None and there is not None and (here.unit, here.at) == (there.unit, there.at):
        return here, there
    if source.size == target.size and here is None:
        return whole(source.size), whole(target.size)
    return None
