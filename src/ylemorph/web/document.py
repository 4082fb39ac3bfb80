"""Print the OpenAPI document; the front end's types are made from it."""

import json
import sys
from pathlib import Path

from ..formats.own.wire import JsonSchema
from .app import create_app


def document() -> JsonSchema:
    app = create_app(Path("unused"))
    with app.test_client() as client:
        data: JsonSchema = client.get("/api/openapi.json", headers={"Host": "127.0.0.1"}).get_json()
    return data


if __name__ == "__main__":
    json.dump(document(), sys.stdout)
