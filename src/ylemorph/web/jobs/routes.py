"""Jobs over HTTP. Every write is one change; ``If-Match`` carries the version that the window saw."""

from functools import partial

from flask import Response, jsonify, request
from flask_openapi3.models.tag import Tag

from ...core.errors import BadOption
from ...formats.own.changes import ChangeRequest, change_from
from ...formats.own.plan import plan_to_data
from ...formats.own.survey import SurveyModel
from ...formats.own.wire import model_of
from ...usecases import jobs
from ...usecases.jobs import Conflict, Job
from ..edge.blueprint import Routes
from ..edge.identity import made_by
from ..edge.problems import answer, problem_data, problems
from ..edge.services import connection, services, work
from ..models import (
    HistoryModel,
    HistoryQuery,
    JobFields,
    JobLines,
    JobListQuery,
    JobModel,
    JobPath,
    PreviewModel,
    RevisionPath,
    SurveyPath,
    UnitsQuery,
)
from .list import job_page
from .shapes import job_data, revision_data

tag = Tag(name="jobs")
api = Routes("jobs", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses=problems(404, 409, 422))


def on_conflict(error: Conflict) -> Response:
    """The job as it stands now goes along, so that the page can show both sides."""
    return answer({**problem_data(error, 409), "job": job_data(error.job)})


def _answer(job: Job, query: UnitsQuery, status: int = 200) -> Response:
    response = jsonify(job_data(job, query.units))
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


@api.get("", responses={200: model_of(JobLines)})
def list_jobs(query: JobListQuery) -> Response:
    """Jobs page by page: the open ones first, of both the last changed first."""
    return jsonify(job_page(connection(), services().lines, query))


@api.post("", responses={201: model_of(JobModel)})
def create_job(body: JobFields, query: UnitsQuery) -> Response:
    """Begin a job: the changes that its first fields stand for, made one after the other."""
    return _answer(jobs.begin(work(made_by()), body.changes()), query, 201)


@api.post("/sample", responses={201: model_of(JobModel)})
def create_sample(query: UnitsQuery) -> Response:
    """A job to try things on: the lending desk's disk of the demo onto a smaller one."""
    return _answer(jobs.begin_sample(work(made_by())), query, 201)


@api.get("/<int:job_id>", responses={200: model_of(JobModel)})
def read_job(path: JobPath, query: UnitsQuery) -> Response:
    """A job with its plan."""
    return _answer(jobs.get(connection(), path.job_id), query)


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
    jobs.delete(work(made_by()), path.job_id)
    return "", 204


@api.post("/<int:job_id>/back", responses={201: model_of(JobModel)})
def bring_back(path: JobPath, query: UnitsQuery) -> Response:
    """Bring a job back that was deleted a moment ago, under a number of its own."""
    return _answer(jobs.bring_back(work(made_by()), path.job_id), query, 201)


@api.post("/<int:job_id>/copy", responses={201: model_of(JobModel)})
def copy_job(path: JobPath, query: UnitsQuery) -> Response:
    """A second job with all that this one holds."""
    return _answer(jobs.copy(work(made_by()), path.job_id), query, 201)


@api.post("/<int:job_id>/changes", responses={200: model_of(JobModel)})
def make_change(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """Make one change: another disk, a fact put right, a fit, a pin, a row left behind and so on."""
    return _answer(jobs.change(work(made_by()), path.job_id, _version(), partial(change_from, body.root)), query)


@api.post("/<int:job_id>/preview", responses={200: model_of(PreviewModel)})
def preview(path: JobPath, body: ChangeRequest, query: UnitsQuery) -> Response:
    """What a change would give, without making it."""
    tried = jobs.try_out(work(), path.job_id, body.root)
    shown: PreviewModel = {"plan": plan_to_data(tried.plan, query.units), "stopped": tried.stopped}
    return jsonify(shown)


@api.post("/<int:job_id>/undo", responses={200: model_of(JobModel)})
def undo(path: JobPath, query: UnitsQuery) -> Response:
    """Go back by one change."""
    return _answer(jobs.undo(connection(), path.job_id, _version()), query)


@api.post("/<int:job_id>/redo", responses={200: model_of(JobModel)})
def redo(path: JobPath, query: UnitsQuery) -> Response:
    """Go on by one change."""
    return _answer(jobs.redo(connection(), path.job_id, _version()), query)


@api.get("/<int:job_id>/history", responses={200: model_of(HistoryModel)})
def history(path: JobPath, query: HistoryQuery) -> Response:
    """Changes of a job, the newest first; a hundred at once, older ones with ``before``."""
    entries = jobs.entries(connection(), path.job_id, query.before)
    more = bool(entries) and entries[-1].number > 1
    shown: HistoryModel = {"revisions": [revision_data(entry) for entry in entries], "more": more}
    return jsonify(shown)


@api.post("/<int:job_id>/history/<int:number>", responses={200: model_of(JobModel)})
def go_to(path: RevisionPath, query: UnitsQuery) -> Response:
    """Go to one change of the history."""
    return _answer(jobs.go_to(connection(), path.job_id, _version(), path.number), query)
