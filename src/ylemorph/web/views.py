"""Core values as the data that goes out."""

from typing import Any

from ..core.disk.compare import compared
from ..core.disk.model import Disk
from ..core.disk.roles import role_notes
from ..core.disk.tables import gaps_of
from ..core.errors import YlemorphError
from ..core.fit.cards import FitCard, Morph, morph_of
from ..core.fit.findings import ABOUT_TARGET, about_source, contents_of
from ..core.fit.plan import make_plan
from ..core.fit.source_rows import look_at
from ..core.sizes import DEFAULT_GRAIN, Units, format_size
from ..formats.options import options_from
from ..formats.plan import extent_data, finding_data, plan_to_data
from ..formats.survey_data import survey_to_data
from ..store.jobs import Job, JobState
from .problems import problem_data


def head(disk: Disk | None) -> dict[str, Any] | None:
    if disk is None:
        return None
    return {
        "model": disk.model,
        "serial": disk.serial,
        "size_bytes": disk.size_bytes,
        "label": format_size(disk.size_bytes, "decimal"),
        "proof": disk.proof,
        "holds": contents_of(disk) if disk.holds_something else "",
    }


def job_data(job: Job, units: Units = "binary") -> dict[str, Any]:
    """A job with all that its screens show; ``trouble`` says why there is no morph where one should be."""
    state = job.state
    source = state.source.disk if state.source else None
    target = state.target_disk
    morph = trouble = None
    if source is not None and target is not None:
        try:
            morph = morph_data(morph_of(source, target, options_from(state.options or {}, source, target)), units)
        except YlemorphError as error:
            trouble = problem_data(error)
    return {
        "id": job.id,
        "version": job.version,
        "revision": job.revision,
        "can_undo": job.can_undo,
        "can_redo": job.can_redo,
        "changed_at": job.changed_at,
        "code": state.code,
        "name": state.name,
        "machine": state.machine,
        "note": state.note,
        "source": survey_to_data(state.source) if state.source else None,
        "roles": roles_data(source, state) if source else [],
        "source_gaps": _gaps_data(source) if source else [],
        **_source_data(source, state, units),
        "target": survey_to_data(state.target) if state.target else None,
        "target_size": state.target_size,
        "target_sector": state.target_sector,
        "target_head": head(target),
        "target_gaps": _gaps_data(target) if target else [],
        "target_compared": compared(source, target, units) if source and target else "",
        "target_findings": [f for f in morph["plan"]["findings"] if f["code"] in ABOUT_TARGET] if morph else [],
        "target_confirmed": _confirmed(target, state) if target else False,
        "source_head": head(source),
        "options": state.options or {},
        "morph": morph,
        "trouble": trouble,
    }


def _gaps_data(disk: Disk) -> list[dict[str, int]]:
    return [extent_data(gap, disk.logical_sector_bytes) for gap in gaps_of(disk, DEFAULT_GRAIN)]


def _confirmed(target: Disk, state: JobState) -> bool:
    """Whether a target that holds something was confirmed by typing what proves it."""
    return not target.holds_something or (state.options or {}).get("overwrite") == target.proof


def _source_data(source: Disk | None, state: JobState, units: Units) -> dict[str, Any]:
    """What can be said of the source before a target is known; nothing where an option does not suit it."""
    if source is None:
        return {"source_look": [], "source_findings": []}
    given = {key: value for key, value in (state.options or {}).items() if key in SOURCE_OPTIONS}
    try:
        options = options_from(given, source, source)
        looks, found = look_at(source, options), about_source(source, options)
    except YlemorphError:
        return {"source_look": [], "source_findings": []}
    return {
        "source_look": [
            {
                "number": look.row.number,
                "hard_floor_bytes": look.hard_bytes,
                "comfort_floor_bytes": look.comfort_bytes,
                "past_floor_bytes": look.past_bytes,
                "text": look.sentence(units),
            }
            for look in looks
        ],
        "source_findings": [finding_data(finding, units) for finding in found],
    }


# Options that speak of the source alone; the others need a target to be read.
SOURCE_OPTIONS = frozenset(("role", "headroom", "headroom_system", "headroom_data", "cleared"))


def roles_data(source: Disk, state: JobState) -> list[dict[str, Any]]:
    given = {int(number): role for number, role in (state.options or {}).get("role", {}).items()}
    return [note._asdict() for note in role_notes(source, given)]


def morph_data(morph: Morph, units: Units) -> dict[str, Any]:
    return {"plan": plan_to_data(morph.plan, units), "cards": [_card_data(card) for card in morph.cards]}


def _card_data(card: FitCard) -> dict[str, Any]:
    return {
        **card._asdict(),
        "sizes": [{"row": row, "bytes": size, "change": change} for row, size, change in card.sizes],
    }


def job_line(job: Job) -> dict[str, Any]:
    """A job for the list: its disks, its verdict and a miniature of its rows."""
    state = job.state
    source = state.source.disk if state.source else None
    target = state.target_disk
    plan = None
    if source is not None and target is not None:
        try:
            plan = make_plan(source, target, options_from(state.options or {}, source, target))
        except YlemorphError:
            plan = None
    rows = plan.rows if plan else ()
    sector = target.logical_sector_bytes if target else 0
    return {
        "id": job.id,
        "code": state.code,
        "name": state.name,
        "machine": state.machine,
        "changed_at": job.changed_at,
        "source": head(source),
        "target": head(target),
        "verdict": plan.verdict if plan else None,
        "fit": plan.fit if plan else None,
        "stage": "source" if source is None else "target" if target is None else "fit",
        "strip": [
            {"number": r.number, "change": r.change, "source_bytes": r.source_bytes, "size_bytes": r.size_bytes}
            for r in rows
        ],
        "open_bytes": sum(extent.length for extent in plan.unallocated) * sector if plan else 0,
    }
