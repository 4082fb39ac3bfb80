"""Ways and steps as tables for the terminal (rich), plain where it is piped."""

import io
import shutil

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ...core.carry.carrying import Carrying
from ...core.carry.sequence import Step
from ...core.carry.step_kinds import words_of
from ...core.carry.times import time_range
from ...core.carry.typed import Figure, figures_of
from ...core.carry.ways import name_of
from ...core.carry.will_start import will_start
from ...core.fit.layout import verdict_name
from ...core.script.price import price_for


def steps_to_text(carrying: Carrying, *, terminal: bool) -> str:
    """Lines for reading; colour only where ``terminal``."""
    out = io.StringIO()
    width = shutil.get_terminal_size((110, 40)).columns if terminal else 150
    console = Console(file=out, force_terminal=terminal, width=max(80, width), highlight=False, emoji=False)
    console.print(Text(headline(carrying), style="bold"))
    console.print(Text(will_start(carrying.ground.plan).line))
    console.print(_ways_table(carrying))
    way = carrying.way
    if way is not None and way.steps is not None:
        price = price_for(carrying.ground, way.key)
        if price is not None:
            console.print(Text(f"By our script: {price.sentence(carrying.units)}"))
        console.print(_steps_table(carrying, way.steps))
        for when in ("before", "after"):
            console.print(Text(when.capitalize(), style="bold"))
            for item in carrying.lists:
                if item.when == when:
                    console.print(Text(f"  [ ] {item.text}"))
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines()) + "\n"


def headline(carrying: Carrying) -> str:
    """The way, how many steps, how long, what happens to the source, and what the rehearsal says."""
    way = carrying.way
    if way is None or way.steps is None or way.seconds is None:
        return f"{verdict_name(carrying.ground.plan.verdict)} · no way to carry it out"
    source = "the source is changed" if way.changes_source else "the source is only read"
    if carrying.ground.in_place:
        source = "the disk itself is changed"
    count = len(way.steps)
    head = f"{name_of(carrying.ground, way.key)} · {count} steps · {time_range(way.seconds)}"
    return f"{head} · {source} · {rehearsed(carrying)}"


def rehearsed(carrying: Carrying) -> str:
    verdict = carrying.rehearsal
    if verdict is None:
        return "not rehearsed"
    return "rehearsed: nothing lost" if verdict.safe else f"not safe: step {verdict.step}, {verdict.reason}"


def figure_text(figure: Figure) -> str:
    """``New size 206209 MiB (422316032 sectors)``."""
    about = "" if figure.exact else "about "
    return f"{figure.word} {about}{figure.mib} MiB ({figure.sectors} sectors)"


def _ways_table(carrying: Carrying) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for heading in ("", "way", "time", "why"):
        table.add_column(heading)
    for way in carrying.ways:
        chosen = carrying.way is not None and way.key == carrying.way.key
        time = time_range(way.seconds) if way.possible and way.seconds else "–"
        table.add_row("*" if chosen else "", way.key, time, Text(way.why))
    return table


def _steps_table(carrying: Carrying, steps: tuple[Step, ...]) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column("step", justify="right")
    table.add_column("what to do")
    table.add_column("time")
    assert carrying.way is not None
    for number, step in enumerate(steps, 1):
        words = words_of(carrying.ground, carrying.way.key, step)
        sector = carrying.ground.shapes[step.disk].sector_bytes
        lines = [words.say, *(f"  first: {text}" for text in words.before)]
        lines += [f"  {figure_text(figure)}" for figure in figures_of(step, sector)]
        lines += [f"  {command}" for command in words.typed]
        table.add_row(str(number), Text("\n".join(lines)), time_range(step.seconds))
    return table
