"""``ylemorph.steps/1``: how a plan is carried out, as JSON data; and steps read back for a rehearsal."""

import json
from typing import TYPE_CHECKING, Final

from ...core.carry.carrying import Carrying
from ...core.carry.model import Content
from ...core.carry.rehearse import FilmFrame, Rehearsal
from ...core.carry.sequence import DiskName, Sequence, Shape, StartGoal, Step
from ...core.carry.step_kinds import words_of
from ...core.carry.times import added, time_range
from ...core.carry.typed import Figure, figures_of
from ...core.carry.ways import WAY_KINDS, Way, name_of
from ...core.script.price import price_for
from ...core.sizes import Extent, Units
from ..documents.lines import lines_of
from .options import facts_to_data
from .plan import plan_to_data

if TYPE_CHECKING:
    from .steps_schema import (
        ContentModel,
        FigureModel,
        FilmChange,
        FrameModel,
        KeptStep,
        PlaceModel,
        RehearsalModel,
        ScriptModel,
        ShapeModel,
        StartModel,
        StepModel,
        StepsModel,
        WayModel,
    )

FORMAT: Final = "ylemorph.steps/1"


def steps_to_data(carrying: Carrying, units: Units = "binary") -> "StepsModel":
    """The contract's fields in its order, ours after them; without a possible way there are no steps."""
    sequence = carrying.sequence
    return {
        "format": FORMAT,
        "way": carrying.way.key if carrying.way else None,
        "ways": [way_to_data(carrying, way, units) for way in carrying.ways],
        "disks": disks_to_data(sequence) if sequence else {},
        "grain_bytes": carrying.ground.plan.frame.grain_bytes,
        "holds": [
            {"row": h.row, **extent_to_data(h.extent), "bytes": h.bytes, "fixed": h.fixed} for h in sequence.holds
        ]
        if sequence
        else [],
        "steps": [step_to_data(carrying, number, step, units) for number, step in enumerate(steps_of(sequence), 1)],
        "plan": plan_to_data(carrying.ground.plan, units),
        "start": start_to_data(sequence.start if sequence else StartGoal()),
        "times_from": carrying.times_from,
        "wide": carrying.wide,
        "proposed": carrying.proposed,
        "facts": facts_to_data(carrying.ground.facts),
        "seconds": list(carrying.way.seconds) if carrying.way and carrying.way.seconds else None,
        "rehearsal": verdict_to_data(carrying.rehearsal) if carrying.rehearsal else None,
        "lists": [{"key": item.key, "when": item.when, "text": item.text} for item in carrying.lists],
    }


def start_to_data(start: StartGoal) -> "StartModel":
    return {"code": start.code, "named": sorted(start.named)}


def steps_of(sequence: Sequence | None) -> tuple[Step, ...]:
    return sequence.steps if sequence else ()


def steps_to_json(carrying: Carrying) -> str:
    return json.dumps(steps_to_data(carrying), ensure_ascii=False, indent=1) + "\n"


def verdict_to_data(verdict: Rehearsal) -> "RehearsalModel":
    return {"safe": verdict.safe, "step": verdict.step, "row": verdict.row, "reason": verdict.reason}


def shape_to_data(shape: Shape) -> "ShapeModel":
    return {"sectors": shape.sectors, "logical_sector_bytes": shape.sector_bytes}


def disks_to_data(sequence: Sequence) -> "dict[DiskName, ShapeModel]":
    disks = {name: shape_to_data(shape) for name, shape in sequence.disks.items()}
    found = sequence.found
    if found.rows:
        disks["target"]["found"] = [
            {"row": one.row, **extent_to_data(one.extent), "whole": one.whole, "named": one.named} for one in found.rows
        ]
        disks["target"]["found_table"] = {
            "as_planned": found.as_table, "backup": found.backup, "code": found.code,
        }  # fmt: skip
    return disks


def extent_to_data(extent: Extent) -> "PlaceModel":
    return {"first_lba": extent.start, "sectors": extent.length}


def way_to_data(carrying: Carrying, way: Way, units: Units) -> "WayModel":
    kind = WAY_KINDS[way.key]
    return {
        "key": way.key,
        "possible": way.possible,
        "why": way.why,
        "seconds": list(way.seconds) if way.seconds else None,
        "workspace_bytes": way.workspace_bytes,
        "changes_source": way.changes_source,
        "script": _script_to_data(carrying, way, units),
        "name": name_of(carrying.ground, way.key),
        "what": kind.what,
        "risks": kind.risks,
        "by_hand": kind.by_hand(carrying.ground, units),
        "time": time_range(way.seconds) if way.seconds else "",
        "read_bytes": way.read_bytes,
        "write_bytes": way.write_bytes,
        "steps": 0 if way.steps is None else len(way.steps),
        "open_needs": list(way.open_needs),
    }


def _script_to_data(carrying: Carrying, way: Way, units: Units) -> "ScriptModel | None":
    price = price_for(carrying.ground, way.key)
    if price is None:
        return None
    return {
        "read_bytes": price.read_bytes,
        "write_bytes": price.write_bytes,
        "workspace_bytes": price.workspace_bytes,
        "seconds": list(price.seconds),
        "by_hand": list(price.by_hand),
        "time": time_range(price.seconds),
        "words": price.sentence(units),
    }


def step_to_data(carrying: Carrying, number: int, step: Step, units: Units) -> "StepModel":
    assert carrying.way is not None
    words = words_of(carrying.ground, carrying.way.key, step, units)
    shapes = carrying.ground.shapes
    until = added(*(one.span for one in (carrying.way.steps or ())[:number]))
    return {
        "number": number,
        "kind": step.kind,
        "disk": step.disk,
        "row": step.row,
        "from_disk": step.from_disk,
        "from": extent_to_data(step.source) if step.source else None,
        "to": extent_to_data(step.to) if step.to else None,
        "read_bytes": step.read_bytes,
        "write_bytes": step.write_bytes,
        "seconds": list(step.seconds),
        "say": words.say,
        "before": list(words.before),
        "undo": words.undo,
        "time": time_range(step.seconds),
        "until": time_range(until.seconds),
        "typed": list(words.typed),
        "lines": [{"system": one.system, "text": one.text, "words": one.words} for one in lines_of(carrying, step)],
        "figures": [figure_to_data(figure) for figure in figures_of(step, shapes[step.disk].sector_bytes)],
    }


def figure_to_data(figure: Figure) -> "FigureModel":
    return {"word": figure.word, "mib": figure.mib, "sectors": figure.sectors, "exact": figure.exact}


def kept_steps(carrying: Carrying, units: Units = "binary") -> "list[KeptStep]":
    """The steps as a job's record keeps them."""
    rate = carrying.ground.path("source", "target").quickest
    return [_kept_step(step, rate) for step in steps_to_data(carrying, units)["steps"]]


def _kept_step(step: "StepModel", rate: int) -> "KeptStep":
    copies = step["kind"] == "copy" and step["from_disk"] == "source" and step["disk"] == "target"
    return {
        "number": step["number"], "kind": step["kind"], "row": step["row"], "disk": step["disk"],
        "from_disk": step["from_disk"], "from": step["from"], "to": step["to"], "say": step["say"],
        "time": step["time"], "seconds": step["seconds"], "read_bytes": step["read_bytes"],
        "nominal": (step["read_bytes"] or 0) // rate if copies else 0,
    }  # fmt: skip


def film_to_data(film: list[FilmFrame]) -> "list[FrameModel]":
    """What comes to stand on each disk, and what goes, with each step; the first frame is what stands before them."""
    shown: dict[DiskName, tuple[Content, ...]] = {}
    frames: list[FrameModel] = []
    for frame in film:
        changes = [
            _change_to_data(name, shown.get(name, ()), contents)
            for name, contents in frame.contents.items()
            if contents is not shown.get(name)
        ]
        frames.append(
            {"step": frame.step, "changes": [change for change in changes if change["come"] or change["gone"]]}
        )
        shown = frame.contents
    return frames


def _change_to_data(name: DiskName, before: tuple[Content, ...], after: tuple[Content, ...]) -> "FilmChange":
    old, new = set(before), set(after)
    return {
        "disk": name,
        "come": [_content_to_data(content) for content in after if content not in old],
        "gone": [_content_to_data(content) for content in before if content not in new],
    }


def _content_to_data(content: Content) -> "ContentModel":
    return {"row": content.row, **extent_to_data(content.extent), "whole": not content.damaged_by}
