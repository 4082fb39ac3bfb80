"""The plan as a picture: well-formed, everything said in words too, heights on one scale."""

from xml.etree import ElementTree

import pytest
from hypothesis import given

from tests.make import desk, sources, targets
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import FITS, Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB
from ylemorph.formats.documents.svg import plan_to_svg

NS = "{http://www.w3.org/2000/svg}"


def drawn(source, target, options):
    root = ElementTree.fromstring(plan_to_svg(make_plan(source, target, options), source, target))
    return root, " | ".join(text.text or "" for text in root.iter(f"{NS}text"))


def test_what_happens_is_said_in_words():
    _, text = drawn(desk(), nominal_disk(480 * GB), Options(leave=frozenset((5,))))
    assert "Comfortable · Proportional" in text
    assert "▼ 3 Desk · 202 GiB · shrinks" in text
    assert "left behind" in text


def test_what_does_not_fit_is_open():
    root, text = drawn(desk(), nominal_disk(120 * GB), Options())
    assert "short" in text
    assert any(rect.get("stroke-dasharray") for rect in root.iter(f"{NS}rect"))


def test_names_are_text_and_nothing_else():
    source = desk(model='<script>alert("x")</script> & co')
    assert "<script>alert" in drawn(source, nominal_disk(480 * GB), Options())[1]


@pytest.mark.parametrize("fit", FITS)
@given(source=sources(), target=targets())
def test_every_plan_can_be_drawn(fit, source, target):
    root, _ = drawn(source, target, Options(fit=fit))
    rects = list(root.iter(f"{NS}rect"))
    carried = [row for row in make_plan(source, target, Options(fit=fit)).rows if row.size_bytes]
    assert len(rects) >= len(source.rows) + len(carried)
