"""Fleets: what machines are tried against, what comes in, what it says, and the jobs that are made of it."""

import base64
import binascii
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from ..core.buy.fleet import Bought, Smallest, Trouble, buy, smallest_for
from ..core.buy.shelf import ShelfDisk
from ..core.errors import BadOption, YlemorphError
from ..core.fit.options import OPTIONS, Fit, Options
from ..core.job.state import JobState, SizedTarget
from ..formats.listings.fleet_read import Found, read_item
from ..formats.own.shelf import size_text
from ..formats.own.targets import target_from_text
from ..store import fleet_list, fleets, jobs, shelf
from ..store.database import transaction
from ..store.fleet_list import Bin, Counts, LinesWanted, Shown, SortKey, Sum, Twice, page, whole
from ..store.fleets import (
    BEST,
    FleetHead,
    FleetSortKey,
    FleetsWanted,
    Wishes,
    create,
    delete,
    head,
    listed,
    remove,
    stop,
    wish,
)
from .fleet_runs import FleetRun
from .settings import job_defaults, options_for_any_pair
from .workshop import Work

__all__ = [
    "BEST",
    "Bin",
    "Bought",
    "FleetHead",
    "FleetLook",
    "FleetSortKey",
    "FleetsWanted",
    "LinesWanted",
    "Shown",
    "SortKey",
    "Twice",
    "Wishes",
    "add_files",
    "create",
    "delete",
    "head",
    "listed",
    "look",
    "make_jobs",
    "mix",
    "page",
    "remove",
    "stop",
    "whole",
    "wish",
    "wishes",
]


def wishes(work: Work, targets: Sequence[str], fits: Sequence[Fit], options: Mapping[str, object]) -> Wishes:
    """Targets by their names on the shelf, else as sizes; options read as for any pair of disks."""
    own = {item.name: item for item in shelf.read(work.connection).disks}
    found = [_target(text, place, own) for place, text in enumerate(dict.fromkeys(targets))]
    chosen = tuple(dict.fromkeys(fits))
    return Wishes(tuple(found), chosen, _options(work, options).but(fit=chosen[0]))


def _target(text: str, place: int, own: Mapping[str, ShelfDisk]) -> ShelfDisk:
    if text in own:
        return own[text]
    try:
        return ShelfDisk(text.strip(), target_from_text(text).but(physical_sector_bytes=4096))
    except YlemorphError as error:
        mend = "take a disk of the shelf, or write 480GB"
        raise BadOption(error.problem, at=f"targets[{place}]", mend=mend) from None


def _options(work: Work, data: Mapping[str, object]) -> Options:
    for key in data:
        kind = OPTIONS.get(key)
        if kind is not None and kind.scope in ("rows", "target"):
            raise BadOption(f"“{key}” speaks of one machine", at=f"options.{key}", mend="set it in the machine's job")
    return options_for_any_pair(data, job_defaults(work.connection))


def add_files(work: Work, fleet: int, files: Iterable[tuple[str, str]]) -> None:
    """Add what stands in files, each a name and its bytes in base64: surveys, listings, tables, archives of them."""
    fleets.add(work.connection, fleet, _read(files))


def _read(files: Iterable[tuple[str, str]]) -> Iterator[Found | Trouble]:
    for name, text in files:
        try:
            data = base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError):
            yield Trouble(name, "it did not arrive whole; add it again")
            continue
        yield from read_item(name, data)


class FleetLook(NamedTuple):
    """What a whole fleet says under a fit, as far as it is worked out."""

    head: FleetHead
    run: FleetRun | None
    sums: Sum
    counts: Counts
    histogram: list[Bin]
    smallest: Smallest
    troubles: list[Twice]


def look(work: Work, fleet: int, fit: str = BEST, *, asked: bool = True) -> FleetLook:
    """What a fleet says; what is left of it is gone on with, after it broke off only when ``asked``."""
    found, connection = fleets.head(work.connection, fleet), work.connection
    if found.pending and not found.stopped and found.wishes.targets:
        work.shop.fleets.go_on(fleet, work.shop.store, asked=asked)
    needs = fleet_list.needs(connection, fleet)
    return FleetLook(
        found,
        work.shop.fleets.get(fleet),
        fleet_list.sums(connection, fleet),
        fleet_list.counts(connection, fleet, fit),
        fleet_list.histogram(needs),
        smallest_for(needs),
        fleet_list.troubles(connection, fleet),
    )


def mix(work: Work, fleet: int, currency: str) -> tuple[Bought, list[str]]:
    """The least-price choice of the targets that have a price, stock counted; and the machines' names."""
    found = fleets.head(work.connection, fleet)
    able = fleet_list.able(work.connection, found)
    return buy(able, found.wishes.targets, currency.upper()), [name for name, _ in able]


def make_jobs(work: Work, fleet: int, machines: Sequence[int], target: int, fit: str) -> list[int]:
    """A job for each of the machines onto one of the targets; all of them or none."""
    found = fleets.head(work.connection, fleet)
    if target >= len(found.wishes.targets):
        raise BadOption(f"there is no target {target}", at="target", mend="load the page again")
    item, made = found.wishes.targets[target], []
    with transaction(work.connection):
        for machine in machines:
            name, survey = fleet_list.survey_of(work.connection, fleet, machine)
            own_fit = fleet_list.fit_of(work.connection, machine, target, fit)
            state = JobState(
                name=f"{name} to {item.name}"[:200],
                machine=name,
                source=survey,
                target=SizedTarget(size_text(item.disk), item.disk),
                options=found.wishes.options.but(fit=own_fit),
            )
            made.append(jobs.create(work.connection, state, f"Begun from the fleet {found.name}", work.by).id)
    return made
