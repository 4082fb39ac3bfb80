"""``ylemorph steps``."""

import sys
from typing import TYPE_CHECKING, Any

import click

from ..core.carry.sequence import WAYS
from ..core.errors import YlemorphError
from ..usecases.disks import read_disk
from . import EXIT_DOES_NOT_FIT, EXIT_FITS
from .files import is_terminal, write_bytes, write_text
from .outputs import Guarded, out_option
from .pair import pair_options, plan_of

if TYPE_CHECKING:
    from ..core.carry.carrying import Carrying

STEPS_FORMATS = ("table", "json", "sh", "pdf")


@click.command(cls=Guarded)
@pair_options
@click.option("--way", type=click.Choice(WAYS), help="The way; the proposed one unless given.")
@click.option("--found", metavar="FOUND", help="What the target holds: an image, a device, a survey or a listing.")
@click.option("--fact", "facts", multiple=True, metavar="NAME=VALUE", help="What is known of the bench.")
@click.option("--format", "form", type=click.Choice(STEPS_FORMATS), default="table", show_default=True)
@out_option
def steps(way: Any, found: str | None, facts: tuple[str, ...], form: str, out: str | None, **given: Any) -> int:
    """Say how the plan for SOURCE and its target is carried out: the ways, and the steps of one of them."""
    from ..core.carry.carrying import carry_out
    from ..formats.own.options import facts_from

    there = read_disk(found, option="--found").disk if found is not None else None
    made = carry_out(plan_of(**given), facts_from(_pairs(facts)), way, there=there)
    plan = made.ground.plan
    if there is not None and plan.verdict in ("comfortable", "tight") and made.ground.found is None:
        mend = "give the disk that this plan was begun on, or leave --found out and begin anew"
        raise YlemorphError("nothing of this plan stands on it", at="--found", mend=mend)
    # An unanswered stop ends here too (rule 16.3).
    fits = plan.verdict in ("comfortable", "tight") and not made.unanswered
    if form == "pdf":
        from ..formats.documents.sheet import sheet_pdf

        write_bytes(sheet_pdf(made), out)
    else:
        write_text(_rendered(made, form, terminal=out is None and is_terminal(sys.stdout)), out)
    return EXIT_FITS if fits else EXIT_DOES_NOT_FIT


def _pairs(facts: tuple[str, ...]) -> dict[str, str]:
    found: dict[str, str] = {}
    for fact in facts:
        name, equals, value = fact.partition("=")
        if not equals:
            raise YlemorphError(f"“{fact[:40]}” is not NAME=VALUE", at="--fact", mend="write both_attached=yes")
        key = name.strip().replace("-", "_")
        if key in found:
            raise YlemorphError(f"“{key[:40]}” is given twice", at="--fact", mend="give it once")
        found[key] = value.strip()
    return found


def _rendered(made: "Carrying", form: str, *, terminal: bool) -> str:
    if form == "json":
        from ..formats.own.steps import steps_to_json

        return steps_to_json(made)
    if form == "sh":
        from ..formats.documents.shell_script import script_of

        return script_of(made)
    from ..formats.documents.steps_text import steps_to_text

    return steps_to_text(made, terminal=terminal)
