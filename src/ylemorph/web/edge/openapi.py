"""The OpenAPI document: what the routes declare, and the problems that any of them can answer with."""

from ...formats.own.wire import JsonSchema

PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
# Statuses that every operation can answer with, and those of operations that take a body.
ALWAYS, WITH_BODY = (401, 403, 404, 405, 422, 429, 500, 503, 507), (400, 409, 413, 415)


def finished(declared: JsonSchema, titles: dict[int, str]) -> JsonSchema:
    """The document that the framework made, with its errors as they are sent and without what it leaves empty."""
    components = {key: value for key, value in declared["components"].items() if value}
    paths = {
        path: {method: _operation(method, operation, titles) for method, operation in item.items()}
        for path, item in declared["paths"].items()
    }
    return {**declared, "components": components, "paths": paths}


def _operation(method: str, operation: JsonSchema, titles: dict[int, str]) -> JsonSchema:
    statuses = ALWAYS if method == "get" else (*ALWAYS, *WITH_BODY)
    answers = {status: answer for status, answer in operation["responses"].items() if status.startswith("2")}
    problems = {str(status): {"description": titles[status], "content": PROBLEM} for status in sorted(statuses)}
    return {**operation, "responses": {**answers, **problems}}
