"""Stateless: a pair of disks in, a plan out."""

from flask import Response, jsonify
from flask_openapi3.models.tag import Tag

from ...core.disk.model import Disk
from ...core.errors import YlemorphError
from ...core.fit.plan import make_plan
from ...formats.own.options import options_from
from ...formats.own.plan import plan_to_data
from ...formats.own.plan_schema import PlanModel
from ...formats.own.survey import SurveyModel
from ...formats.own.target_models import SizedTargetModel
from ...formats.own.wire import model_of
from ..edge.blueprint import Routes
from ..edge.problems import problems
from ..models import PlanRequest

tag = Tag(name="plans")
api = Routes("plans", __name__, url_prefix="/api", abp_tags=[tag], abp_responses=problems(422))


@api.post("/plan", responses={200: model_of(PlanModel)})
def plan(body: PlanRequest) -> Response:
    """A plan by the rules, without a job."""
    source, target = _read("source", body.source), _read("target", body.target)
    options = options_from(body.options or {}, source, target)
    return jsonify(plan_to_data(make_plan(source, target, options), body.units))


def _read(at: str, given: SurveyModel | SizedTargetModel) -> Disk:
    try:
        return given.to_core().disk
    except YlemorphError as error:
        raise error.under(at) from None
