"""A fleet for reading: what all machines together say, then a line for each machine and target."""

from ...core.buy.fleet import Bought, Fleet, counts_of, smallest_of
from ...core.fit.fits import FIT_NAMES
from ...core.fit.layout import Verdict, verdict_name
from ...core.sizes import format_size
from .tables import plain_table


def fleet_to_text(fleet: Fleet, bought: Bought | None = None) -> str:
    """Counts, smallest sizes, mix, problems, and the lines."""
    rows = [
        (
            machine.name,
            machine.assessed.serial,
            format_size(machine.assessed.used_bytes),
            fleet.targets[line.target].name,
            FIT_NAMES[line.fit],
            verdict_name(line.outcome.verdict),
            line.reason,
            line.remedy,
        )
        for machine in fleet.counted
        for line in machine.assessed.lines
    ]
    names = ("machine", "serial", "used", "target", "fit", "verdict", "reason", "remedy")
    return plain_table([(name, name == "used") for name in names], rows) + "\n" + "\n".join(_all(fleet, bought)) + "\n"


def _all(fleet: Fleet, bought: Bought | None) -> list[str]:
    lines = [f"{len(fleet.counted)} machines"]
    for target, counts in counts_of(fleet).items():
        words = ", ".join(f"{count} {verdict_name(_verdict(word)).lower()}" for word, count in counts.items() if count)
        lines.append(f"{target}: {words or 'none'}")
    smallest = smallest_of(fleet)
    lines.append(f"comfortable for all from {smallest.all or 'no usual size'}, for 95 % from {smallest.most or 'none'}")
    if bought is not None:
        mixed = ", ".join(f"{count} x {bought.items[place].name}" for place, count in bought.mix.counts.items())
        left = len(bought.mix.left_out)
        total = f"{bought.mix.total / 100:.2f} {bought.currency}"
        lines.append(f"least price: {mixed or 'nothing'} for {total}" + (f", {left} left out" if left else ""))
    for machine in fleet.machines:
        if machine.same is not None:
            word = "an earlier survey of" if machine.same.earlier else "the same disk as"
            lines.append(f"{machine.name}: {word} {fleet.machines[machine.same.of].name}")
    lines += [f"{trouble.name}: {trouble.sentence}" for trouble in fleet.troubles]
    return lines


def _verdict(word: str) -> Verdict:
    return word  # type: ignore[return-value]  # the counts are by verdict
