"""Jobs over HTTP. Every write is one revision; ``If-Match`` carries the version that the window saw."""

from dataclasses import replace
from typing import Any

from flask import Response, jsonify, request
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ..core.disk.compare import same_disk
from ..core.disk.model import Disk
from ..core.errors import BadOption, YlemorphError
from ..core.fit.cards import morph_of
from ..core.fit.options import Options
from ..core.job.amendments import list_lightened, type_immovable, type_size, type_used
from ..core.job.changes import Pair, apply_change
from ..formats.options import options_from, options_to_data
from ..store import jobs
from ..store.jobs import Job, JobState
from .db import connection
from .models import (
    AmendModel,
    ChangeRequest,
    HistoryModel,
    JobFields,
    JobLines,
    JobModel,
    JobPath,
    PreviewModel,
    Problem,
    RevisionPath,
    UnitsQuery,
)
from .plans import read_target
from .setting_routes import job_defaults
from .views import job_data, job_line, morph_data

tag = Tag(name="jobs")
api = APIBlueprint(
    "jobs", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses={404: Problem, 409: Problem, 422: Problem}
)


def _answer(job: Job, units: str = "binary", status: int = 200) -> Response:
    response = jsonify(job_data(job, "decimal" if units == "decimal" else "binary"))
    response.status_code = status
    response.headers["ETag"] = f'"{job.version}"'
    return response


def _version() -> int | None:
    """The version in ``If-Match``; None where the caller does not mind."""
    text = request.headers.get("If-Match", "").strip().removeprefix("W/").strip('"')
    if not text or text == "*":
        return None
    if not text.isdigit() or len(text) > 18:
        raise BadOption("the version is not a number", at="If-Match", mend="send the version of the job as it was read")
    return int(text)


def _window() -> str:
    return request.headers.get("X-Window", "")[:40]


@api.get("", responses={200: JobLines})
def list_jobs() -> Response:
    """All jobs, the last changed first."""
    return jsonify({"jobs": [job_line(job) for job in jobs.listed(connection())]})


@api.post("", responses={201: JobModel})
def create_job(body: JobFields, query: UnitsQuery) -> Response:
    """Begin a job."""
    state, _ = _with_fields(JobState(options=job_defaults()), body)
    return _answer(jobs.create(connection(), state, made_by=_window()), query.units, 201)


@api.get("/<int:job_id>", responses={200: JobModel})
def read_job(path: JobPath, query: UnitsQuery) -> Response:
    """A job with its plan."""
    return _answer(jobs.get(connection(), path.job_id), query.units)


@api.patch("/<int:job_id>", responses={200: JobModel})
def change_job(path: JobPath, body: JobFields, query: UnitsQuery) -> Response:
    """Set fields of a job; what is not sent stays."""
    job = jobs.change(connection(), path.job_id, _version(), lambda state: _with_fields(state, body), made_by=_window())
    return _answer(job, query.units)


@api.delete("/<int:job_id>", responses={204: None})
def delete_job(path: JobPath) -> tuple[str, int]:
    """Forget a job with its history."""
    jobs.delete(connection(), path.job_id)
    return "", 204


@api.post("/<int:job_id>/changes", responses={200: JobModel})
def make_change(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """Make one change to the job's plan: a fit, a pin, a row left behind and so on."""

    def make(state: JobState) -> tuple[JobState, str]:
        changed = apply_change(_pair_of(state), _options_of(state), body.model_dump(exclude_none=True))
        return replace(state, options=options_to_data(changed.options)), changed.sentence

    return _answer(jobs.change(connection(), path.job_id, _version(), make, made_by=_window()), query.units)


@api.post("/<int:job_id>/preview", responses={200: PreviewModel})
def preview(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """What a change would give, without making it."""
    state = jobs.get(connection(), path.job_id).state
    pair = _pair_of(state)
    changed = apply_change(pair, _options_of(state), body.model_dump(exclude_none=True))
    shown = morph_data(morph_of(pair.source, pair.target, changed.options), query.units)
    return jsonify({**shown, "stopped": changed.stopped})


@api.post("/<int:job_id>/undo", responses={200: JobModel})
def undo(path: JobPath, query: UnitsQuery) -> Response:
    """Go back by one change."""
    return _answer(jobs.undo(connection(), path.job_id, _version()), query.units)


@api.post("/<int:job_id>/redo", responses={200: JobModel})
def redo(path: JobPath, query: UnitsQuery) -> Response:
    """Go on by one change."""
    return _answer(jobs.redo(connection(), path.job_id, _version()), query.units)


@api.get("/<int:job_id>/history", responses={200: HistoryModel})
def history(path: JobPath) -> Response:
    """All changes of a job, the newest first."""
    jobs.get(connection(), path.job_id)
    entries = jobs.history(connection(), path.job_id)
    return jsonify(
        {
            "revisions": [
                {
                    "number": entry.number,
                    "sentence": entry.sentence,
                    "made_at": entry.made_at,
                    "made_by": entry.made_by,
                    "parent": entry.parent,
                    "is_head": entry.is_head,
                }
                for entry in entries
            ]
        }
    )


@api.post("/<int:job_id>/history/<int:number>", responses={200: JobModel})
def go_to(path: RevisionPath, query: UnitsQuery) -> Response:
    """Go to one change of the history."""
    return _answer(jobs.go_to(connection(), path.job_id, _version(), path.number), query.units)


def _pair_of(state: JobState) -> Pair:
    target = state.target_disk
    if target is None or state.source is None:
        raise BadOption("source and target must be known first", mend="go to the stage Source or Target")
    return Pair(state.source.disk, target)


def _options_of(state: JobState) -> Options:
    pair = _pair_of(state)
    return options_from(state.options or {}, pair.source, pair.target)


def _with_fields(state: JobState, body: JobFields) -> tuple[JobState, str]:
    """The state with the fields that were sent, and what was done in words."""
    sent = body.model_fields_set
    words: list[str] = []
    texts: dict[str, Any] = {
        key: (getattr(body, key) or "").strip() for key in ("name", "code", "machine", "note") if key in sent
    }
    if any(getattr(state, key) != text for key, text in texts.items()):
        words.append("Name and notes changed")
        state = replace(state, **texts)
    if "source" in sent:
        state = _with_source(state, body)
        words.append(f"Source set to {state.source.disk.model or 'a disk'}" if state.source else "Source taken out")
        _refuse_source_as_target(state)
    if "target" in sent:
        state = _with_target(state, body)
        shown = state.target_size or (state.target.disk.model if state.target else "")
        words.append(f"Target set to {shown or 'a disk'}" if state.target_disk else "Target taken out")
        _refuse_source_as_target(state)
    if body.amend is not None:
        state, sentence = _amended(state, body.amend)
        words.append(sentence)
    if "options" in sent:
        state = replace(state, options=body.options or {})
        words.append("Options set")
    if state.source is not None and state.target_disk is not None and "options" in sent:
        morph_of(
            state.source.disk,
            state.target_disk,
            options_from(state.options or {}, state.source.disk, state.target_disk),
        )
    return state, "; ".join(words) or "Nothing changed"


def _amended(state: JobState, amend: AmendModel) -> tuple[JobState, str]:
    """The source with one fact typed, and what was done in words."""
    if state.source is None:
        raise BadOption("there is no source yet", at="amend", mend="read the source first")
    survey, number = state.source, amend.number or 0
    if amend.size is not None:
        made = type_size(survey, amend.size)
    elif amend.used is not None:
        made = type_used(survey, number, amend.used, amend.bare)
    elif amend.immovable is not None:
        made = type_immovable(survey, number, amend.immovable, amend.bare)
    elif amend.lightened is not None:
        made = list_lightened(survey, number, amend.lightened)
    else:
        return state, "Nothing changed"
    return replace(state, source=made.survey), made.sentence


def _refuse_source_as_target(state: JobState) -> None:
    if state.source is not None and state.target is not None:
        same = same_disk(state.source.disk, state.target.disk)
        if same:
            raise BadOption(
                f"this is the source itself: both carry {same}",
                mend="choose another disk; if these are two disks, read one of them without its adapter",
            )


def _with_source(state: JobState, body: JobFields) -> JobState:
    """Another source takes back what was set for the rows of the old one; the fit and the margins stay.

    The same partitions surveyed again keep all of it.
    """
    try:
        source = body.source.to_core() if body.source else None
    except YlemorphError as error:
        raise error.under("source") from None
    kept = {"fit", "headroom", "headroom_system", "headroom_data", "tail", "grain"}
    options = {key: value for key, value in (state.options or {}).items() if key in kept}
    keeps = source is not None and state.source is not None and _is_same(state.source.disk, source.disk)
    return replace(state, source=source, options=state.options if keeps else options)


def _is_same(before: Disk, after: Disk) -> bool:
    """The same partitions on a disk that says nothing else of itself than it did before."""
    places = [[(p.number, p.first_lba, p.sectors) for p in disk.partitions] for disk in (before, after)]
    told = ((before.model, after.model), (before.serial, after.serial), (before.table_id, after.table_id))
    return places[0] == places[1] and all(one == two or not one for one, two in told)


def _with_target(state: JobState, body: JobFields) -> JobState:
    if body.target is None:
        return replace(state, target=None, target_size=None)
    target = read_target(body.target)
    return replace(state, target=target.survey, target_size=target.size, target_sector=target.sector)
