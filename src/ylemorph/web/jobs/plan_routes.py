"""Stateless: a pair of disks in, a plan out."""

from typing import Any

from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag

from ...core.disk.model import Disk
from ...core.errors import YlemorphError
from ...core.fit.plan import make_plan
from ...formats.own.changes import sized_target
from ...formats.own.options import options_from
from ...formats.own.plan import plan_to_data
from ...formats.own.plan_schema import PlanModel
from ...formats.own.survey import survey_from_data
from ..models import PlanRequest, Problem

tag = Tag(name="plans")
api = APIBlueprint("plans", __name__, url_prefix="/api", abp_tags=[tag], abp_responses={422: Problem})


@api.post("/plan", responses={200: PlanModel})
def plan(body: PlanRequest) -> Response:
    """A plan by the rules, without a job."""
    try:
        source = body.source.to_core().disk
    except YlemorphError as error:
        raise error.under("source") from None
    target = read_target(body.target)
    options = options_from(body.options or {}, source, target)
    return jsonify(plan_to_data(make_plan(source, target, options), body.units))


def read_target(data: dict[str, Any]) -> Disk:
    """A target from a survey or from a size. Raises YlemorphError with the place under ``target``."""
    if "nominal" in data:
        return sized_target(data).disk
    try:
        return survey_from_data(data).disk
    except YlemorphError as error:
        raise error.under("target") from None
