"""What is handed over for the bench: one entry for each file."""

from collections.abc import Callable
from functools import partial
from typing import Literal

from ...core.carry.carrying import Carrying
from ...core.job.state import JobState
from ...formats.documents.sfdisk import plan_to_script
from ...formats.documents.shell_script import script_of
from ...formats.documents.svg import plan_to_svg
from ...formats.own.plan import plan_to_csv, plan_to_json
from ...formats.own.steps import steps_to_json

HandOverForm = Literal[
    "sheet.pdf", "clone.sh", "steps.json", "plan.json", "plan.csv", "morph.svg", "table.sfdisk", "label.pdf",
    "labels.pdf",
]  # fmt: skip
Write = Callable[[Carrying, JobState, str], bytes]  # the address of the job goes along


def _sheet(made: Carrying, state: JobState, _address: str) -> bytes:
    from ...formats.documents.sheet import Heading, sheet_pdf

    return sheet_pdf(made, Heading(state.name, state.code, state.machine))


def _label(made: Carrying, state: JobState, address: str, *, sheet: bool = False) -> bytes:
    from ...formats.documents.labels import LabelText, label_pdf, label_sheet_pdf
    from ...formats.documents.sheet import Heading

    plan = made.ground.plan
    text = LabelText(Heading(state.name, state.code, state.machine), plan.source, plan.target, address)
    return label_sheet_pdf(text) if sheet else label_pdf(text)


def _text(write: Callable[[Carrying], str]) -> Write:
    return lambda made, _state, _address: write(made).encode("utf-8", "replace")


def _picture(made: Carrying) -> str:
    plan = made.ground.plan
    return plan_to_svg(plan, plan.source, plan.target)


# Its media type, and how it is written.
HAND_OVER: dict[HandOverForm, tuple[str, Write]] = {
    "sheet.pdf": ("application/pdf", _sheet),
    "clone.sh": ("application/x-sh", _text(script_of)),
    "steps.json": ("application/json", _text(steps_to_json)),
    "plan.json": ("application/json", _text(lambda made: plan_to_json(made.ground.plan))),
    "plan.csv": ("text/csv", _text(lambda made: plan_to_csv(made.ground.plan))),
    "morph.svg": ("image/svg+xml", _text(_picture)),
    "label.pdf": ("application/pdf", _label),
    "labels.pdf": ("application/pdf", partial(_label, sheet=True)),
    "table.sfdisk": ("text/plain", _text(lambda made: plan_to_script(made.ground.plan))),
}
