"""Ways, steps, figures, lists and times, as they were read and agreed upon: each scene by every way that it has."""

from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.carry.carrying import carry_out, outlook, questions_of
from ylemorph.core.carry.facts import FACTS
from ylemorph.core.carry.sequence import STEP_KINDS
from ylemorph.core.carry.step_kinds import record_of, words_of
from ylemorph.core.carry.will_start import will_start
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.steps_text import steps_to_text

WHOLE = ("desk-smaller", "desk-larger", "till-larger-held", "reading-room", "tired", "by-bios", "sticks-larger")
HERE = Path(__file__).parent / "agreed"


def lines_of(scene, whole):
    plan = make_plan(scene.source, scene.target, scene.options)
    start = will_start(plan)
    yield f"{start.line}"
    yield "asked: " + " ".join(question.kind.key for question in questions_of(plan, scene.facts))
    look = outlook(plan, scene.facts)
    yield f"outlook: {look.sentence() if look else None}"
    carrying = carry_out(plan, scene.facts)
    yield f"proposed: {carrying.proposed}; {carrying.times_from}"
    for way in carrying.ways:
        yield f"--- {way.key}: changes the source {way.changes_source}, room {way.workspace_bytes}"
        yield f"read {way.read_bytes}, written {way.write_bytes}"
        if way.possible and whole:
            made = carry_out(plan, scene.facts, way.key)
            yield steps_to_text(made, terminal=False)
            for step in way.steps or ():
                yield words_of(made.ground, way.key, step).undo
                yield f"  read {step.read_bytes}, written {step.write_bytes} in {step.seconds}"


@pytest.mark.parametrize("name", SCENES)
def test_the_ways_are_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name], name in WHOLE)) + "\n")


def declared():
    for kind in STEP_KINDS:
        record = record_of(kind)
        flags = [word for word in ("held", "two_disks") if getattr(record, word)]
        yield f"{kind}: {record.fixed} s, needs {record.needs}, {record.doubt}, {record.takes} {flags}"
    for fact in FACTS.values():
        yield f"{fact.key}: {fact.kind}, {fact.default!r}, {fact.choices}, {fact.help}"
        yield f"  {fact.set_words} / {fact.unset_words}"


def test_steps_and_facts_are_declared_as_agreed():
    agreed(HERE / "declared.txt", "\n".join(declared()) + "\n")
