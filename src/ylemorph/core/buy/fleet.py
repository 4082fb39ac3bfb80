"""Many machines: which of them are one, what all of them together need, and which disks to buy for them."""

from collections import Counter
from collections.abc import Hashable, Iterable, Sequence
from typing import NamedTuple

from ..disk.usual_sizes import label_of, shelf_disks
from ..errors import BadOption
from ..fit.layout import VERDICTS
from ..fit.options import Fit
from ..sizes import div_up
from .assess import Assessed, LeastSizes, Target
from .mix import Group, Mix, least_mix
from .shelf import ShelfDisk, one_currency

SHARE = 95  # percent of the machines for which the second size is asked


class Smallest(NamedTuple):
    """The smallest usual size that is comfortable for all machines, and for 95 % of them; None where there is none."""

    all: str | None
    most: str | None


def smallest_for(needs: Sequence[int | None]) -> Smallest:
    """From the bytes of each machine's smallest comfortable disk."""
    known = sorted(need for need in needs if need is not None)
    enough = div_up(len(needs) * SHARE, 100)
    whole = known[-1] if needs and len(known) == len(needs) else None
    return Smallest(_usual_from(whole), _usual_from(known[enough - 1] if needs and len(known) >= enough else None))


def _usual_from(least: int | None) -> str | None:
    if least is None:
        return None
    fitting = (gb for gb, disk in shelf_disks(512) if disk.size_bytes >= least)
    smallest = next(fitting, None)
    return None if smallest is None else label_of(smallest)


def comfortable_need(needs: Iterable[LeastSizes]) -> int | None:
    """A machine's smallest comfortable disk under the fit that asks least."""
    return min((need.comfortable for need in needs if need.comfortable is not None), default=None)


class Known(NamedTuple):
    """What tells one machine from another: serial, identity, size, when its disk was surveyed."""

    serial: str
    table_id: str
    source_bytes: int
    taken: str


class Same(NamedTuple):
    """``of``: the place of the machine that counts instead; ``earlier``: surveyed at another time, and older."""

    of: int
    earlier: bool


def same_machines(machines: Sequence[Known]) -> list[Same | None]:
    """Which machines are another one's disk again: the same serial, or without one the same identity, and size.

    The newest survey counts, of equally old ones the first; None for a machine that counts.
    """
    groups: dict[tuple[str, int], list[int]] = {}
    for place, machine in enumerate(machines):
        sign = machine.serial or machine.table_id
        if sign:
            groups.setdefault((sign.upper(), machine.source_bytes), []).append(place)
    found: list[Same | None] = [None] * len(machines)
    for places in groups.values():
        counts = max(places, key=lambda place: (machines[place].taken, -place))
        for place in places:
            if place != counts:
                taken = machines[place].taken
                found[place] = Same(counts, bool(taken) and taken != machines[counts].taken)
    return found


class Machine(NamedTuple):
    """One machine of a fleet; ``same``: it is another one's disk again and does not count.

    ``written``: its lines as a process wrote them for a file, which then need not travel as values.
    """

    name: str
    origin: str
    assessed: Assessed
    written: str = ""
    same: Same | None = None


class Read(NamedTuple):
    """A machine as its file gave it."""

    name: str
    origin: str
    assessed: Assessed
    written: str = ""


class Trouble(NamedTuple):
    """Something that could not be read, and why, in a sentence."""

    name: str
    sentence: str


class Fleet(NamedTuple):
    """Machines with a line for each target and fit, in the order in which they were given."""

    targets: tuple[Target, ...]
    fits: tuple[Fit, ...]
    machines: tuple[Machine, ...]
    troubles: tuple[Trouble, ...]

    @property
    def counted(self) -> list[Machine]:
        return [machine for machine in self.machines if machine.same is None]


def fleet_of(
    targets: Sequence[Target],
    fits: Sequence[Fit],
    read: Sequence[Read],
    troubles: Sequence[Trouble],
) -> Fleet:
    """From what each file gave: name, origin and what there is to say of it."""
    same = same_machines(
        [Known(a.serial, a.table_id, a.source_bytes, a.taken) for a in (item.assessed for item in read)]
    )
    machines = tuple(Machine(*item, same=again) for item, again in zip(read, same, strict=True))
    return Fleet(tuple(targets), tuple(fits), machines, tuple(troubles))


def counts_of(fleet: Fleet) -> dict[str, dict[str, int]]:
    """Machines by target and verdict, each by the best of its fits."""
    made: dict[str, dict[str, int]] = {}
    for place, target in enumerate(fleet.targets):
        found = Counter(machine.assessed.best[place] for machine in fleet.counted)
        made[target.name] = {verdict: found[verdict] for verdict in reversed(VERDICTS)}
    return made


def smallest_of(fleet: Fleet) -> Smallest:
    return smallest_for([comfortable_need(machine.assessed.needs) for machine in fleet.counted])


class Bought(NamedTuple):
    """The least-price mix in one currency; ``items`` are the disks it was chosen from, by the places in ``mix``."""

    currency: str
    items: tuple[ShelfDisk, ...]
    mix: Mix


def buy(able: Sequence[tuple[str, Iterable[str]]], shelf: Sequence[ShelfDisk], currency: str = "") -> Bought:
    """The mix for machines with the names of the shelf's disks that do for each.

    Raises BadOption where nothing has a price, or prices stand in several currencies.
    """
    priced = one_currency(shelf, currency)
    if not priced:
        raise BadOption("no disk of the shelf has a price", at="shelf", mend="give prices on the shelf")
    places: dict[str, int] = {}
    for place, item in enumerate(priced):
        places.setdefault(item.name, place)
    groups: dict[Hashable, Group] = {
        number: frozenset(places[name] for name in names if name in places) for number, (_, names) in enumerate(able)
    }
    mix = least_mix(groups, [item.price or 0 for item in priced], [item.stock for item in priced])
    return Bought(priced[0].currency, tuple(priced), mix)


def able_of(fleet: Fleet) -> list[tuple[str, list[str]]]:
    """For the mix: each machine that counts, with the targets on which it is comfortable under one of the fits."""
    names = [target.name for target in fleet.targets]
    return [
        (
            machine.name,
            [name for name, word in zip(names, machine.assessed.best, strict=True) if word == "comfortable"],
        )
        for machine in fleet.counted
    ]


def bought_for(fleet: Fleet, shelf: Sequence[ShelfDisk], currency: str = "") -> Bought | None:
    """The mix for a whole fleet; None where nothing has a price. Raises BadOption as ``buy`` does."""
    return buy(able_of(fleet), shelf, currency) if any(item.price is not None for item in shelf) else None
