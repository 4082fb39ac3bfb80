"""Jobs over HTTP. Every write is one change; ``If-Match`` carries the version that the window saw."""

from functools import partial

from flask import Response, current_app, jsonify, request
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.errors import BadOption
from ...core.fit.cards import morph_with
from ...core.fit.layout import lay_out
from ...core.job.changes import apply
from ...core.job.state import JobState
from ...demo.scenario import sample_job
from ...formats.own.changes import change_from
from ...formats.own.survey import SurveyModel
from ...store import history as history_of
from ...store import jobs
from ...store.jobs import Conflict, Job
from ...usecases.deleted import double
from ..data.setting_routes import job_defaults
from ..edge.db import connection
from ..edge.identity import made_by
from ..edge.problems import answer, problem_data
from ..models import (
    ChangeRequest,
    HistoryModel,
    HistoryQuery,
    JobFields,
    JobLines,
    JobModel,
    JobPath,
    PreviewModel,
    Problem,
    RevisionModel,
    RevisionPath,
    SurveyPath,
    UnitsQuery,
)
from .list import job_lines
from .shapes import job_data, morph_data

tag = Tag(name="jobs")
api = APIBlueprint(
    "jobs", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses={404: Problem, 409: Problem, 422: Problem}
)


def on_conflict(error: Conflict) -> Response:
    """The job as it stands now goes along, so that the page can show both sides."""
    return answer({**problem_data(error, 409), "job": job_data(error.job)})


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
    if not (text.isascii() and text.isdigit()) or len(text) > 18:
        raise BadOption("the version is not a number", at="If-Match", mend="send the version of the job as it was read")
    return int(text)


@api.get("", responses={200: JobLines})
def list_jobs() -> Response:
    """All jobs, the last changed first."""
    return jsonify({"jobs": job_lines(connection(), current_app.config["JOB_LINES"])})


@api.post("", responses={201: JobModel})
def create_job(body: JobFields, query: UnitsQuery) -> Response:
    """Begin a job: the changes that its first fields stand for, made one after the other."""
    state = JobState(options=job_defaults())
    for data in body.changes():
        state = apply(state, change_from(data, state)).state
    return _answer(jobs.create(connection(), state, made_by=made_by()), query.units, 201)


@api.post("/sample", responses={201: JobModel})
def create_sample(query: UnitsQuery) -> Response:
    """A job to try things on: the lending desk's disk of the demo onto a smaller one."""
    return _answer(jobs.create(connection(), sample_job(), "Begun as a sample", made_by()), query.units, 201)


@api.get("/<int:job_id>", responses={200: JobModel})
def read_job(path: JobPath, query: UnitsQuery) -> Response:
    """A job with its plan."""
    return _answer(jobs.get(connection(), path.job_id), query.units)


@api.get("/<int:job_id>/surveys/<which>", responses={200: SurveyModel})
def take_out_survey(path: SurveyPath) -> Response:
    """A survey of a job as a file, as it is kept, even where it cannot be read any more."""
    text = jobs.survey_text(connection(), path.job_id, path.which)
    response = Response(text.encode("utf-8", "replace"), mimetype="application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="job-{path.job_id}-{path.which}.json"'
    return response


@api.delete("/<int:job_id>", responses={204: None})
def delete_job(path: JobPath) -> tuple[str, int]:
    """Forget a job with its history; for a while it can be brought back."""
    current_app.config["DELETED"].delete(connection(), path.job_id)
    return "", 204


@api.post("/<int:job_id>/back", responses={201: JobModel})
def bring_back(path: JobPath, query: UnitsQuery) -> Response:
    """Bring a job back that was deleted a moment ago, under a number of its own."""
    number = current_app.config["DELETED"].bring_back(connection(), path.job_id)
    return _answer(jobs.get(connection(), number), query.units, 201)


@api.post("/<int:job_id>/copy", responses={201: JobModel})
def copy_job(path: JobPath, query: UnitsQuery) -> Response:
    """A second job with all that this one holds."""
    return _answer(jobs.get(connection(), double(connection(), path.job_id)), query.units, 201)


@api.post("/<int:job_id>/changes", responses={200: JobModel})
def make_change(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """Make one change: another disk, a fact put right, a fit, a pin, a row left behind and so on."""
    read = partial(change_from, body.sent())
    return _answer(jobs.change(connection(), path.job_id, _version(), read, made_by=made_by()), query.units)


@api.post("/<int:job_id>/preview", responses={200: PreviewModel})
def preview(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """What a change would give, without making it."""
    state = jobs.get(connection(), path.job_id).state
    applied = apply(state, change_from(body.sent(), state))
    pair = applied.state.pair
    layout = applied.layout or lay_out(*pair, applied.state.options)
    shown = morph_data(morph_with(layout, pair.target), applied.state, query.units)
    return jsonify({**shown, "stopped": applied.stopped})


@api.post("/<int:job_id>/undo", responses={200: JobModel})
def undo(path: JobPath, query: UnitsQuery) -> Response:
    """Go back by one change."""
    return _answer(jobs.undo(connection(), path.job_id, _version()), query.units)


@api.post("/<int:job_id>/redo", responses={200: JobModel})
def redo(path: JobPath, query: UnitsQuery) -> Response:
    """Go on by one change."""
    return _answer(jobs.redo(connection(), path.job_id, _version()), query.units)


@api.get("/<int:job_id>/history", responses={200: HistoryModel})
def history(path: JobPath, query: HistoryQuery) -> Response:
    """Changes of a job, the newest first; a hundred at once, older ones with ``before``."""
    entries = history_of.entries(connection(), path.job_id, query.before)
    return jsonify(
        {
            "revisions": [{key: getattr(entry, key) for key in RevisionModel.model_fields} for entry in entries],
            "more": bool(entries) and entries[-1].number > 1,
        }
    )


@api.post("/<int:job_id>/history/<int:number>", responses={200: JobModel})
def go_to(path: RevisionPath, query: UnitsQuery) -> Response:
    """Go to one change of the history."""
    return _answer(jobs.go_to(connection(), path.job_id, _version(), path.number), query.units)
