"""Whether a machine will start from the target, in one line (rule 14): how, what goes over, what must be mended."""

from collections.abc import Iterator
from typing import Literal, NamedTuple

from ..disk.starting import starting_in_words, starting_of
from ..fit.finding_kinds import FindingCode
from ..fit.plan import Plan
from ..plain import sentence_case

# Yes; once something is mended; no; it was not read how the source starts; no system goes over.
Start = Literal["yes", "mend", "no", "unknown", "nothing"]
HEADS: dict[Start, str] = {
    "yes": "It will start",
    "mend": "It will start once it is mended",
    "no": "It will not start",
    "unknown": "Whether it will start is not known",
    "nothing": "Nothing is to start from it",
}
# What keeps it from starting for good, and what until it is mended.
STOPS: frozenset[FindingCode] = frozenset(("start-firmware", "start-left-behind", "system-left-behind"))
MENDED: dict[FindingCode, str] = {
    "start-data": "mend the start data",
    "start-moved": "mend the start data",
    "start-loader": "install the loader again",
    "identity-new": "mend the start data",
}


class WillStart(NamedTuple):
    """``head`` answers in a few words, ``text`` says why."""

    answer: Start
    text: str

    @property
    def head(self) -> str:
        return HEADS[self.answer]

    @property
    def line(self) -> str:
        return f"{self.head}. {self.text}"


def will_start(plan: Plan) -> WillStart:
    if plan.layout.sizes is None:
        return WillStart("nothing", "It does not fit yet, so nothing goes over.")
    if any(finding.code == "sector-size-differs" for finding in plan.findings):
        return WillStart(
            "no", "File systems made for sectors of one size do not work on a disk with sectors of another."
        )
    answer = _answer(plan)
    if answer == "nothing":
        return WillStart(answer, "No system goes over, so nothing of a start is kept.")
    return WillStart(answer, " ".join(_sentences(plan)))


def _answer(plan: Plan) -> Start:
    if not any(row.role == "system" and row.carried for row in plan.rows):
        return "nothing"
    codes = {finding.code for finding in plan.findings}
    start = starting_of(plan.source)
    if codes & STOPS:
        return "no"
    if not codes.isdisjoint(MENDED) or plan.source.table != plan.frame.table:
        return "mend"
    if not start.uefi and start.has_code is None:
        return "unknown"
    return "yes" if start.uefi or start.legacy else "no"


def _sentences(plan: Plan) -> Iterator[str]:
    start, source = plan.starting, plan.source.model or "the source"
    yield starting_in_words(plan.source).replace("Starts", f"{sentence_case(source)} starts", 1)
    yield from _goes_over(plan)
    if plan.identity == "keep" and plan.options.in_place == "no":
        yield f"The identity is kept: {source} is detached before the first start."
    codes = [finding.code for finding in plan.findings]
    mends = list(dict.fromkeys(MENDED[code] for code in codes if code in MENDED))
    if plan.source.table != plan.frame.table:
        mends.append(f"put start files for a {plan.frame.table.upper()} into the new start row")
    if mends:
        yield f"Before the first start: {' and '.join(mends)}."
    elif start.code is None:
        yield "Code before the first row goes over if there is any: read the disk itself to know."


def _goes_over(plan: Plan) -> Iterator[str]:
    start = plan.starting
    parts = []
    if start.code:
        behind = start.reach - 1
        count = "the sector" if behind == 1 else f"the {behind} sectors"
        parts.append(f"the code of the first sector{f' and {count} behind it' if behind else ''}")
    moved = [place.row.name_and_number for place in start.named if place.was != place.now]
    if moved:
        parts.append(f"the new start into {' and '.join(moved)}")
    if start.patched:
        parts.append("its new place into the loader")
    if parts:
        yield f"Goes over beside the rows: {'; '.join(parts)}."
