"""What each script does, without its functions, as it was read and agreed upon."""

from pathlib import Path

import pytest

from tests.scenes import SCENES, agreed
from ylemorph.core.carry.carrying import carry_out
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.shell_script import functions, script_of

HERE = Path(__file__).parent / "agreed"
SOME = ("desk-smaller", "till-smaller", "till-larger-held", "reading-room", "tired", "by-bios", "sticks-larger")


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    for way in carry_out(plan, scene.facts).ways:
        if way.possible:
            yield f"=== {way.key}"
            try:
                text = script_of(carry_out(plan, scene.facts, way.key))
            except YlemorphError as error:
                yield f"no script: {error}"
                continue
            figures, said = text.split("go=no resume=no", 1)
            assert functions() in said
            yield from (line for line in figures.splitlines() if not line.startswith(("#", "FILE=")))
            yield from (line for line in said.split("\nset_out\n", 1)[1].splitlines() if line)


@pytest.mark.parametrize("name", SOME)
def test_the_script_does_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")
