"""What the script does so that the machine starts (rule 14.1): code, the places that boot sectors name, a loader."""

from ...core.disk.starting import CODE_BYTES, MOST_REACH_BYTES, NAMING_KINDS
from .script_steps import ScriptStep


def start_lines(told: ScriptStep) -> list[str]:
    """The lines of a step; nothing is renamed in an image, since the rows do not stand in it."""
    lines = _code_lines(told) if told.step.from_disk is not None else []
    return lines if told.step.disk == "image" else [*lines, *_named_lines(told), *_loader_lines(told)]


def _code_lines(told: ScriptStep) -> list[str]:
    image = '"$WORK/source.img"' if told.by.ground.whole_image else '"$WORK/start.img"'
    places = {"source": '"$SOURCE"', "image": image, "target": '"$TARGET"'}
    source, target = places[told.step.from_disk or "source"], places[told.step.disk]
    lines = [f"bytes {source} 0 {target} 0 {CODE_BYTES}"]
    behind = _behind(told)
    if behind > 0:
        lines.append(f"bytes {source} {told.sector} {target} {told.sector} {behind}")
    return lines


def _behind(told: ScriptStep) -> int:
    """Bytes of code behind the first sector that go over; none where they would stand in the target's first row."""
    plan = told.by.ground.plan
    start = plan.starting
    if plan.frame.table == "gpt" or start.cut:
        return 0
    if start.code is not None:
        return (start.reach - 1) * told.sector
    firsts = [partition.first_lba for partition in plan.source.partitions]
    firsts += [(row.first_lba or 0) - row.logical * plan.frame.grain_sectors for row in plan.rows if row.first_lba]
    return min(MOST_REACH_BYTES, min(firsts, default=0) * told.sector) - told.sector


def _named_lines(told: ScriptStep) -> list[str]:
    start = told.by.ground.plan.starting
    lines = []
    for moved in (*start.named, *start.perhaps):
        kind = moved.row.fs.kind if moved.row.fs is not None else "unknown"
        was = told.by.named.get(moved.row.number, moved.was)
        if was != moved.now and kind in NAMING_KINDS and not told.stays_empty(moved.row.number):
            lines.append(f'rename_start {kind} "$TARGET" {moved.now * told.sector} {was} {moved.now}')
    return lines


def _loader_lines(told: ScriptStep) -> list[str]:
    start = told.by.ground.plan.starting
    moves = start.moved_loaders
    return [f'rename_loader "$TARGET" {moved.now * told.sector} {moved.was} {moved.now}' for moved in moves]
