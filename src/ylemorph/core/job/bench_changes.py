"""Changes of what is known of the bench, and of the way that is gone."""

from dataclasses import dataclass
from typing import Any, ClassVar

from ..carry.carrying import carry_out
from ..carry.facts import FACTS, check_facts
from ..carry.sequence import WayKey
from ..carry.ways import WAY_KINDS
from ..fit.plan import make_plan
from .change import Applied, Change
from .state import JobState


@dataclass(frozen=True, slots=True)
class SetFact(Change):
    """One fact of the bench; None takes it back. Raises BadOption where it contradicts another."""

    key: ClassVar[str] = "fact"
    fact: str
    value: Any
    shown: str = ""

    def make(self, state: JobState) -> Applied:
        kind = FACTS[self.fact]
        value = kind.default if self.value is None else self.value
        words = kind.unset_words if value == kind.default else kind.set_words.format(self.shown)
        facts = kind.put(state.facts, value)
        if self.fact == "backup" and value == "no":
            facts = facts.but(backup_size=None)  # its size goes with it
        check_facts(facts)
        return Applied(state.but(facts=facts), words)


@dataclass(frozen=True, slots=True)
class ChooseWay(Change):
    """The way that the plan is carried out; None: the proposed one. Raises BadOption where it is not possible."""

    key: ClassVar[str] = "way"
    way: WayKey | None

    def make(self, state: JobState) -> Applied:
        if self.way is None:
            return Applied(state.but(way=None), "The proposed way is taken")
        if self.way != "finish":  # what the target holds by now is known to those who read it last
            carry_out(make_plan(*state.pair, state.options), state.facts, self.way)
        return Applied(state.but(way=self.way), f"{WAY_KINDS[self.way].name} is the way")
