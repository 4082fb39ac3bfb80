"""Core values as the data that goes out."""

from ...core.carry.carrying import outlook
from ...core.carry.finish import keeps_all
from ...core.carry.ground import Ground
from ...core.disk.compare import compared, confirmation, confirms
from ...core.disk.model import Disk, Survey
from ...core.disk.roles import role_notes
from ...core.disk.starting import starting_in_words
from ...core.disk.tables import gaps_of, unreachable_bytes
from ...core.errors import YlemorphError
from ...core.fit.cards import FitCard, Morph, morph_of
from ...core.fit.findings import ABOUT_TARGET, about_source, contents_of
from ...core.fit.source_rows import look_at
from ...core.job.state import JobState, SizedTarget
from ...core.sizes import DEFAULT_GRAIN, Units, format_size
from ...formats.own.options import options_to_data
from ...formats.own.plan import extent_data, finding_data, plan_to_data
from ...formats.own.plan_schema import UnallocatedModel
from ...formats.own.survey_data import survey_to_data
from ...usecases.jobs import Job, Revision
from ..edge.problems import problem_data
from ..models import CardModel, DiskHead, JobModel, MorphModel, Problem, RevisionModel, SourcePart, TargetPart


def head(disk: Disk | None, other: Disk | None = None) -> DiskHead | None:
    """A disk for a heading; ``other`` is the one that it must be told from."""
    if disk is None:
        return None
    return {
        "model": disk.model,
        "serial": disk.serial,
        "size_bytes": disk.size_bytes,
        "label": format_size(disk.size_bytes, "decimal"),
        "confirmation": confirmation(disk, other),
        "holds": contents_of(disk),
    }


def job_data(job: Job, units: Units = "binary") -> JobModel:
    """A job with all that its screens show; ``trouble`` says why there is no morph where one should be."""
    state = job.state
    made, trouble = _morph_or_trouble(state)
    morph = morph_data(made, state, units) if made is not None else None
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
        **_source_data(state, units),
        **_target_data(state, made, units),
        "options": options_to_data(state.options),
        "closed": job.closed,
        "morph": morph,
        "trouble": trouble,
    }


def _morph_or_trouble(state: JobState) -> tuple[Morph | None, Problem | None]:
    if state.source_disk is None or state.target_disk is None:
        return None, None
    try:
        return morph_of(*state.pair, state.options), None
    except YlemorphError as error:
        return None, problem_data(error)


def _target_data(state: JobState, made: Morph | None, units: Units) -> TargetPart:
    source, target = state.source_disk, state.target_disk
    sized = state.target if isinstance(state.target, SizedTarget) else None
    return {
        "target": survey_to_data(state.target) if isinstance(state.target, Survey) else None,
        "target_size": sized.text if sized else None,
        "target_sector": target.logical_sector_bytes if target else 512,
        "target_head": head(target, source),
        "target_gaps": _gaps_data(target) if target else [],
        "target_compared": compared(source, target, units) if source and target else "",
        "target_findings": [finding_data(f, units) for f in made.plan.findings if f.code in ABOUT_TARGET]
        if made
        else [],
        "target_confirmed": target is not None and _confirmed(state, target, source),
        "target_finishes": made is not None and keeps_all(Ground(made.plan, state.facts)),
    }


def _confirmed(state: JobState, target: Disk, source: Disk | None) -> bool:
    """Whether a target that holds something was confirmed by typing what it carries."""
    return not target.holds_something or confirms(state.options.overwrite, target, source)


def _gaps_data(disk: Disk) -> list[UnallocatedModel]:
    return [extent_data(gap, disk.logical_sector_bytes) for gap in gaps_of(disk, DEFAULT_GRAIN)]


def _source_data(state: JobState, units: Units) -> SourcePart:
    """What can be said of the source before a target is known; no look where an option does not suit it."""
    source = state.source_disk
    if source is None or state.source is None:
        return {
            "source": None,
            "source_head": None,
            "source_start": "",
            "source_unreachable_bytes": 0,
            "roles": [],
            "source_gaps": [],
            "source_look": [],
            "source_findings": [],
        }
    options = state.options.without("target", "job").but(grow=None, free_after=None, leave=frozenset(), pins=())
    try:
        looks, found = look_at(source, options), about_source(source, options)
    except YlemorphError:
        looks, found = (), ()
    return {
        "source": survey_to_data(state.source),
        "source_head": head(source),
        "source_start": starting_in_words(source),
        "roles": [
            {"number": note.number, "role": note.role, "proposed": note.proposed, "in_doubt": note.in_doubt}
            for note in role_notes(source, dict(state.options.roles))
        ],
        "source_gaps": _gaps_data(source),
        "source_unreachable_bytes": unreachable_bytes(source.sectors, source.logical_sector_bytes, source.table),
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


def morph_data(morph: Morph, state: JobState, units: Units) -> MorphModel:
    expected = outlook(morph.plan, state.facts, state.way)
    return {
        "plan": plan_to_data(morph.plan, units),
        "cards": [_card_data(card) for card in morph.cards],
        "outlook": expected.sentence(units) if expected else "",
    }


def _card_data(card: FitCard) -> CardModel:
    return {
        "fit": card.fit,
        "verdict": card.verdict,
        "sizes": [{"row": row, "bytes": size, "change": change} for row, size, change in card.sizes],
        "fills": list(card.fills),
        "open_bytes": card.open_bytes,
        "shortfall_bytes": card.shortfall_bytes,
        "kept_percent": card.kept_percent,
    }


def revision_data(entry: Revision) -> RevisionModel:
    return {
        "number": entry.number,
        "sentence": entry.sentence,
        "made_at": entry.made_at,
        "made_by": entry.made_by,
        "parent": entry.parent,
        "is_head": entry.is_head,
        "thin": entry.thin,
    }
