"""The one way from a plan and the facts of a bench to its ways, the steps of one of them, and their rehearsal."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import zip_longest
from typing import NamedTuple

from ..disk.model import Disk
from ..errors import BadOption
from ..fit.finding_kinds import Finding
from ..fit.options import OptionKind
from ..fit.plan import Plan
from ..sizes import Units, format_size
from .check_lists import Item, lists_of
from .facts import FACTS, Facts
from .finish import keeps_all
from .ground import Ground
from .rehearse import FilmFrame, Rehearsal, rehearse
from .sequence import Sequence, WayKey
from .times import NARROWER, Learned, added, time_range, widened_by
from .ways import Way, keys_of, propose, proposed, sequence_of, way_of, ways_of


@dataclass(frozen=True)
class Carrying:
    """How a plan is carried out. ``way`` is the chosen one, else the proposed one; None where none is possible."""

    ground: Ground
    chosen: WayKey | None = None
    units: Units = "binary"

    @property
    def times_from(self) -> str:
        """Where the ranges come from, and what they take for granted."""
        learned, source = self.ground.learned, self.ground.plan.source
        if learned:
            return f"from {learned.jobs} finished jobs"
        measured = "the source's measured rate" if source.read_rates else "common practice"
        return ", ".join(word for word in (measured, self.ground.granted(with_room=self._takes_room)) if word)

    @property
    def wide(self) -> str:
        """Why the range is wide and what would narrow it, as a sentence; empty where it is narrow."""
        steps = self.way.steps if self.way is not None else None
        cause = None if steps is None else widened_by(added(*[step.span for step in steps]))
        return NARROWER[cause] if cause is not None else ""

    @property
    def _takes_room(self) -> bool:
        """Whether an image lies on the way."""
        return any("image" in (step.disk, step.from_disk) for step in (self.way.steps or () if self.way else ()))

    @cached_property
    def ways(self) -> tuple[Way, ...]:
        return ways_of(self.ground, self.units)

    @cached_property
    def proposed(self) -> WayKey | None:
        return proposed(self.ground, self.ways)

    @cached_property
    def way(self) -> Way | None:
        if self.chosen is not None:
            listed = next((way for way in self.ways if way.key == self.chosen), None)
            return listed or way_of(self.ground, self.chosen, self.units)
        return next((way for way in self.ways if way.key == self.proposed), None)

    @cached_property
    def sequence(self) -> Sequence | None:
        way = self.way
        return None if way is None or way.steps is None else sequence_of(self.ground, way.key, way.steps)

    @cached_property
    def rehearsal(self) -> Rehearsal | None:
        return None if self.sequence is None else rehearse(self.sequence)

    @cached_property
    def film(self) -> list[FilmFrame]:
        frames: list[FilmFrame] = []
        if self.sequence is not None:
            rehearse(self.sequence, frames)
        return frames

    @cached_property
    def unanswered(self) -> tuple[Finding, ...]:
        """What stands against carrying it out this way; to finish from there overwrites no row of the plan."""
        keeps = self.way is not None and self.way.key == "finish" and keeps_all(self.ground)
        stops = [one for one in self.ground.plan.findings if one.level == "stop"]
        return tuple([one for one in stops if not (keeps and one.code == "target-holds-data")])

    @cached_property
    def lists(self) -> tuple[Item, ...]:
        return lists_of(self.ground, self.way.key if self.way else None)


def carry_out(
    plan: Plan,
    facts: Facts,
    way: WayKey | None = None,
    units: Units = "binary",
    learned: Learned | None = None,
    there: Disk | None = None,
) -> Carrying:
    """A plan on a bench; ``there``: the target as it was read last. Raises BadOption where the wished way is not
    possible."""
    made = Carrying(Ground(plan, facts, learned, there), way, units)
    if way is not None:
        wished = way_of(made.ground, way, units)
        if not wished.possible:
            raise BadOption(
                f"{way} is not possible: {wished.why[:1].lower()}{wished.why[1:]}", at="way", mend="choose another way"
            )
    return made


class Outlook(NamedTuple):
    """How long a plan takes and what for, while it is being fitted. ``packed`` is None where it is not known."""

    way: WayKey
    seconds: tuple[int, int]
    copied: int
    packed: int | None

    def sentence(self, units: Units = "binary") -> str:
        """``40 min to 2 h: 228 GiB to copy, 71 GiB to pack``."""
        parts = [f"{format_size(self.copied, units)} to copy"]
        if self.packed is None:
            parts.append("what must be packed is not known")
        elif self.packed:
            parts.append(f"{format_size(self.packed, units)} to pack")
        return f"{time_range(self.seconds)}: {', '.join(parts)}"


def outlook(plan: Plan, facts: Facts, way: WayKey | None = None) -> Outlook | None:
    """By the wished way where it is possible, else the proposed one; None where there is none."""
    ground = Ground(plan, facts)
    wished = None if way is None else way_of(ground, way)
    if wished is not None and wished.possible and wished.steps is not None:
        taken = (wished.key, wished.steps)
    else:
        found = propose(ground)
        if found is None:
            return None
        taken = found
    key, steps = taken
    packed: int | None = 0
    for step in steps:
        if step.kind == "shrink":
            packed = None if packed is None or step.write_bytes is None else packed + step.write_bytes
    return Outlook(key, added(*[step.span for step in steps]).seconds, ground.carried_bytes, packed)


class Question(NamedTuple):
    """A fact that is asked, or was answered: what it decides for this job."""

    kind: OptionKind
    answer: object
    decides: bool


def questions_of(plan: Plan, facts: Facts, there: Disk | None = None) -> tuple[Question, ...]:
    """The facts that matter for this plan: another answer would change a way, a time or a line to tick. Which rows are
    copied again is asked where some were found."""
    if plan.layout.sizes is None:
        return ()
    found = Ground(plan, facts, there=there).found
    asked, now = [], tuple(_outcome(plan, facts, there))
    for kind in FACTS.values():
        decides = (
            kind.kind != "rows"
            and _makes_sense(plan, facts, kind)
            and any(_differs(now, _outcome(plan, other, there)) for other in _other_answers(facts, kind))
        )
        shown = bool(found and found.rows) if kind.kind == "rows" else decides
        if shown or kind.of(facts) != kind.default:
            asked.append(Question(kind, kind.of(facts), decides))
    return tuple(asked)


def _other_answers(facts: Facts, kind: OptionKind) -> Iterator[Facts]:
    """One after the other, since the first that changes something decides; of a size none, nothing and plenty."""
    for answer in kind.choices or (None, 0, 2**62):
        other = kind.put(facts, answer)
        if other != facts:
            yield other


def _makes_sense(plan: Plan, facts: Facts, kind: OptionKind) -> bool:
    """The size of a backup that is not there is not asked, nor what a survey says already."""
    source, target = plan.source, plan.target
    asked = {
        "backup_size": facts.backup == "yes",
        "workspace_medium": bool(facts.workspace),
        "health": source.health is None or source.health.state == "unknown",
        "source_link": source.link == "unknown",
        "target_link": target.link == "unknown",
        "source_medium": source.rotational is None,
        "target_medium": target.rotational is None,
    }
    return asked.get(kind.key, True)


def _outcome(plan: Plan, facts: Facts, there: Disk | None) -> Iterator[object]:
    """What an answer can change, piece by piece: each way, then the lines to tick of the proposed one."""
    ground = Ground(plan, facts, there=there)
    ways: tuple[Way, ...] = ()
    for key in keys_of(ground):
        way = way_of(ground, key)
        ways += (way,)
        yield (key, way.open_needs, way.seconds) if way.possible else key
    yield lists_of(ground, proposed(ground, ways))


def _differs(now: tuple[object, ...], other: Iterator[object]) -> bool:
    return any(one != another for one, another in zip_longest(now, other))
