"""The stage Check back over HTTP: the finished disk against the plan, and the closing of a job."""

from flask import Response, current_app, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.checkback.compare import check_back
from ...core.errors import BadOption, YlemorphError
from ...store import closings, jobs, runs
from ..carry.shapes import carrying_of, run_steps
from ..edge.db import connection
from ..models import JobPath, Problem, UnitsQuery
from .models import CheckBackModel, CheckQuery, CheckRequest, CloseRequest
from .shapes import check_data, planned_job

tag = Tag(name="jobs")
api = APIBlueprint(
    "check", __name__, url_prefix="/api/jobs", abp_tags=[tag], abp_responses={404: Problem, 422: Problem}
)


@api.get("/<int:job_id>/check", responses={200: CheckBackModel})
def read_check(path: JobPath, query: CheckQuery) -> Response:
    """The finished disk against the plan, as it was read last or at one of the times before."""
    return _answer(path.job_id, query, query.number)


@api.post("/<int:job_id>/check", responses={200: CheckBackModel})
def make_check(path: JobPath, body: CheckRequest, query: UnitsQuery) -> Response:
    """Compare a reading of the finished disk, and keep it with its time."""
    state = jobs.get(connection(), path.job_id).state
    try:
        survey = body.survey.to_core()
    except YlemorphError as error:
        raise error.under("survey") from None
    checked = check_back(planned_job(state), survey.disk)
    if any(difference.kind.code == "source-again" for difference in checked.differences):
        raise BadOption(checked.differences[0].text().rstrip("."), at="survey", mend="read the finished target instead")
    doubt = checked.another or next(
        (d.text() for d in checked.differences if d.kind.code == "wrong-size-disk"), ""
    )  # fmt: skip
    if doubt and not body.sure:
        raise BadOption(doubt.rstrip("."), at="sure", mend="compare it all the same, or read the right disk")
    closings.add_check(connection(), path.job_id, survey)
    return _answer(path.job_id, query, None)


@api.post("/<int:job_id>/close", responses={200: CheckBackModel})
def close(path: JobPath, body: CloseRequest, query: UnitsQuery) -> Response:
    """Close a job; it is read only until it is opened again."""
    if body.step_minutes:
        _type_times(path.job_id, {one.step: one.minutes * 60 for one in body.step_minutes}, query)
    closings.close(connection(), path.job_id, body.result, body.note, body.keep_until or None, body.minutes)
    return _answer(path.job_id, query, None)


def _type_times(job_id: int, seconds: dict[int, int], query: UnitsQuery) -> None:
    made = carrying_of(connection(), jobs.get(connection(), job_id).state, current_app.config["BENCH"], query.units)
    if made.way is None:
        raise BadOption(
            "there is no way to carry this plan out", at="step_minutes", mend="type the time of the whole job"
        )
    steps = run_steps(made, query.units)
    runs.type_times(connection(), job_id, seconds, made.way.key, steps, made.ground.bench_kind)


@api.post("/<int:job_id>/reopen", responses={200: CheckBackModel})
def reopen(path: JobPath, query: UnitsQuery) -> Response:
    """Open a closed job again."""
    closings.reopen(connection(), path.job_id)
    return _answer(path.job_id, query, None)


def _answer(job_id: int, query: UnitsQuery, number: int | None) -> Response:
    state = jobs.get(connection(), job_id).state
    return jsonify(check_data(connection(), job_id, state, number, query.units, current_app.config["BENCH"]))
