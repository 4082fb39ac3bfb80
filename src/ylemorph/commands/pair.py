"""What the commands share that make a plan for a pair of disks: arguments, and the plan itself."""

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

import click

from ..core.fit.options import OPTIONS, OptionKind
from ..usecases.disks import plan_for

if TYPE_CHECKING:
    from ..core.fit.plan import Plan
    from ..formats.own.options import OptionsData

REPEATED = frozenset(("rows", "row-sizes", "row-roles"))


def option_flags(command: Callable[..., Any], kinds: Iterable[OptionKind] = OPTIONS.values()) -> Callable[..., Any]:
    """A flag for each option of the table, or for some of them."""
    for kind in reversed(list(kinds)):
        command = click.option(
            "--" + kind.key.replace("_", "-"),
            kind.key,
            type=click.Choice(kind.choices) if kind.choices else str,
            multiple=kind.kind in REPEATED,
            metavar=kind.metavar or None,
            help=kind.help,
        )(command)
    return command


def pair_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """SOURCE, the target, and a flag for each option of the table."""
    command = option_flags(command)
    for add in (
        click.option("--target-disk", metavar="NAME", help="Which disk, where TARGET lists several."),
        click.option("--disk", metavar="NAME", help="Which disk, where SOURCE lists several."),
        click.option(
            "--target-sector",
            type=click.Choice(["512", "4096"]),
            default="512",
            show_default=True,
            help="Logical sector of a target given as a size.",
        ),
        click.option(
            "--target",
            required=True,
            metavar="TARGET",
            help="A survey file, a size (480GB), sectors (937703088s), or the word same: the source itself.",
        ),
        click.argument("source"),
    ):
        command = add(command)
    return command


def plan_of(
    source: str, target: str, target_sector: str, disk: str | None, target_disk: str | None, **flags: Any
) -> "Plan":
    """The plan that the arguments ask for. Raises YlemorphError."""
    return plan_for(source, target, int(target_sector), disk, target_disk, options_given(flags))


def options_given(flags: Mapping[str, Any]) -> "OptionsData":
    """The flags that were given, in the shape that options are read from."""
    given: dict[str, object] = {key: list(value) if isinstance(value, tuple) else value for key, value in flags.items()}
    wanted = {key: value for key, value in given.items() if value not in (None, [])}
    if "order" in wanted:
        wanted["order"] = [part.strip() for part in str(wanted["order"]).split(",")]
    return wanted
