"""Routes that describe themselves for the OpenAPI document when it is asked for, not at the start.

Describing takes about as long as all else that a start does, and a workshop never asks for the document.
"""

from collections.abc import Callable
from functools import partial
from threading import Lock
from typing import Any

from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.openapi import OpenAPI
from flask_openapi3.types import ParametersTuple
from flask_openapi3.utils import parse_parameters

from ...formats.own.wire import JsonSchema

_one_at_a_time = Lock()


class Routes(APIBlueprint):
    """The routes of one resource.

    The framework can only describe a route where it is declared, or never; its own step is kept for later.
    """

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self._undescribed: list[Callable[[], object]] = []

    def _collect_openapi_info(self, rule: str, func: Callable[..., Any], **said: Any) -> ParametersTuple:
        self._undescribed.append(partial(super()._collect_openapi_info, rule, func, **said))
        return parse_parameters(func, doc_ui=False)

    def described_in(self, app: OpenAPI) -> None:
        while self._undescribed:
            self._undescribed.pop(0)()
        app.tags += [tag for tag in self.tags if tag not in app.tags]
        app.paths.update(self.paths)
        app.components_schemas.update(self.components_schemas)


def described(app: OpenAPI) -> JsonSchema:
    """What the framework makes of all routes of ``app``."""
    with _one_at_a_time:
        for routes in app.blueprints.values():
            if isinstance(routes, Routes):
                routes.described_in(app)
        made: JsonSchema = app.api_doc
    return made
