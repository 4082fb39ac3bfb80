"""The stage Check back over HTTP: the finished disk against the plan, and the closing of a job."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.errors import YlemorphError
from ...formats.own.wire import model_of
from ...usecases import checking
from ..edge.blueprint import Routes
from ..edge.problems import problems
from ..edge.services import connection, work
from ..models import JobPath, UnitsQuery
from .models import CheckBackModel, CheckQuery, CheckRequest, CloseRequest
from .shapes import check_data

tag = Tag(name="jobs")
api = Routes("check", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses=problems(404, 422))


@api.get("/<int:job_id>/check", responses={200: model_of(CheckBackModel)})
def read_check(path: JobPath, query: CheckQuery) -> Response:
    """The finished disk against the plan, as it was read last or at one of the times before."""
    return _answer(path.job_id, query, query.number)


@api.post("/<int:job_id>/check", responses={200: model_of(CheckBackModel)})
def make_check(path: JobPath, body: CheckRequest, query: UnitsQuery) -> Response:
    """Compare a reading of the finished disk, and keep it with its time."""
    try:
        survey = body.survey.to_core()
    except YlemorphError as error:
        raise error.under("survey") from None
    checking.keep_check(work(), path.job_id, survey, sure=body.sure)
    return _answer(path.job_id, query)


@api.post("/<int:job_id>/close", responses={200: model_of(CheckBackModel)})
def close(path: JobPath, body: CloseRequest, query: UnitsQuery) -> Response:
    """Close a job; it is read only until it is opened again."""
    seconds = {one.step: one.minutes * 60 for one in body.step_minutes}
    given = (body.result, body.note, body.keep_until or None, body.minutes, seconds, query.units)
    checking.close(work(), path.job_id, *given, sure=body.sure)
    return _answer(path.job_id, query)


@api.post("/<int:job_id>/reopen", responses={200: model_of(CheckBackModel)})
def reopen(path: JobPath, query: UnitsQuery) -> Response:
    """Open a closed job again."""
    checking.reopen(connection(), path.job_id)
    return _answer(path.job_id, query)


def _answer(job_id: int, query: UnitsQuery, number: int | None = None) -> Response:
    return jsonify(check_data(checking.look(work(), job_id, number, query.units), query.units))
