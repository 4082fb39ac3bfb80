"""What is said of finished disks that are not as planned, as it was read and agreed upon: each row off in turn."""

from pathlib import Path

import pytest

from tests.core.checkback.test_compare import finished
from tests.scenes import SCENES, agreed
from ylemorph.core.checkback.compare import check_back
from ylemorph.core.checkback.mending import figures_for
from ylemorph.core.checkback.planned import planned_of
from ylemorph.core.disk.check import checked
from ylemorph.core.errors import YlemorphError
from ylemorph.core.fit.plan import make_plan
from ylemorph.formats.documents.steps_text import figure_text

HERE = Path(__file__).parent / "agreed"
SOME = ("desk-smaller", "desk-larger", "till-smaller", "till-larger-held", "by-bios", "sticks-larger", "reading-room")
SECTORS = 2048


def others(found, plan):
    """Named changes of one row of a disk; those that cannot be a disk are passed over."""
    for row in found.rows:
        was = next((other.sectors for other in plan.source.rows if other.number == row.number), row.sectors)
        fs = row.filesystem
        yield f"{row.number} missing", row, None
        for sectors in (1, 8, SECTORS, 20 * SECTORS, -SECTORS):
            yield f"{row.number} begins {sectors} later", row, row.but(first_lba=row.first_lba + sectors)
            later = row.but(first_lba=row.first_lba + sectors, sectors=max(1, row.sectors - sectors))
            yield f"{row.number} begins {sectors} later and ends there", row, later
            if row.sectors > sectors:
                yield f"{row.number} is {sectors} shorter", row, row.but(sectors=row.sectors - sectors)
        yield f"{row.number} as it was", row, row.but(sectors=was)
        yield f"{row.number} with another name", row, row.but(uuid="7E1D6B02-55A4-4C1B-9C7F-0000000000FF")
        if fs is not None:
            for size in (1, 2**20, 2**30 if row.sectors > 2**22 else 2**21):
                told = fs.but(size_bytes=row.sectors * 512 - size)
                yield f"{row.number} filled but for {size}", row, row.but(filesystem=told)
            for more in (-(2**34), 2**31):
                held = max(0, (fs.used_bytes or 0) + more)
                yield f"{row.number} holds {more} more", row, row.but(filesystem=fs.but(used_bytes=held))
            yield f"{row.number} dirty", row, row.but(filesystem=fs.but(state="dirty"))
            yield f"{row.number} named elsewhere", row, row.but(filesystem=fs.but(named_start_lba=row.first_lba + 8))


def lines_of(scene):
    plan = make_plan(scene.source, scene.target, scene.options)
    planned, found = planned_of(plan), finished(plan)
    yield f"as planned: {[one.key for one in check_back(planned, found).differences]}"
    for name, row, instead in others(found, plan):
        parts = (p if p is not row else instead for p in found.partitions)
        try:
            other = checked(found.but(partitions=tuple(p for p in parts if p is not None)))
        except YlemorphError:
            continue
        for one in check_back(planned, other).differences:
            figures = ", ".join(figure_text(figure) for figure in figures_for(one, planned))
            yield f"{name}: {one.key} {one.text()} {one.do()} [{figures}]"


@pytest.mark.parametrize("name", SOME)
def test_what_is_off_is_said_as_agreed(name):
    agreed(HERE / f"{name}.txt", "\n".join(lines_of(SCENES[name])) + "\n")
