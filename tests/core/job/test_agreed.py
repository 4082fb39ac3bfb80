"""What follows a step that failed, as it was read and agreed upon: for each scene, way, step and reason."""

from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.disk.model import Survey
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.job.aftermath import REASONS, aftermath
from ylemorph.core.job.changes import apply
from ylemorph.core.job.state import JobState, SizedTarget

HERE = Path(__file__).parent / "agreed"
SOME = ("desk-smaller", "desk-larger", "till-smaller", "tired", "by-bios")


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    state = JobState(
        source=Survey(scene.source),
        target=SizedTarget("a disk", scene.target),
        options=scene.options,
        facts=scene.facts,
    )
    for way in carry_out(plan, scene.facts).ways:
        if not way.possible:
            continue
        made, said = carry_out(plan, scene.facts, way.key), set()
        for number, step in enumerate(way.steps or (), 1):
            yield f"--- {way.key} {number}: {step.kind} {step.disk} {step.row}"
            for reason in REASONS:
                after = aftermath(made.ground, made.sequence, number, reason)
                if reason == REASONS[0]:
                    yield f"{' '.join(after.states)} {after.again} {after.again_from}"
                for out in after.ways_out:
                    line = f"{reason}: {out.text} {out.verdict} {out.seconds}; {apply(state, out.change).sentence}"
                    if line not in said:
                        yield line
                    said.add(line)


@pytest.mark.parametrize("name", SOME)
def test_what_follows_a_failure_is_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")
