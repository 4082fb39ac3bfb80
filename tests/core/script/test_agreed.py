"""What the script reads, writes and takes for each scene and way, as it was read and agreed upon."""

from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.script.by_script import again_from, by_script
from ylemorph.core.script.price import price_for, price_of

HERE = Path(__file__).parent / "agreed"


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    for way in carry_out(plan, scene.facts).ways:
        made = carry_out(plan, scene.facts, way.key) if way.possible else None
        price = price_for(made.ground, way.key) if made else None
        yield f"--- {way.key}: {price.sentence() if price else None}"
        if price is None:
            continue
        yield f"{price.read_bytes} {price.write_bytes} {price.workspace_bytes} {price.seconds} {price.by_hand}"
        steps = by_script(made.ground, way.key, way.steps)
        for place, one in enumerate(steps):
            alone = price_of(steps[place : place + 1])
            takes = f"{alone.read_bytes} {alone.write_bytes} {alone.workspace_bytes} {alone.seconds}"
            left = " left" if one.is_left else ""
            yield f"{one.step.kind} {one.step.disk} {one.step.row}: {takes} from {again_from(way.steps, place)}{left}"


@pytest.mark.parametrize("name", SCENES)
def test_what_the_script_takes_is_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")
