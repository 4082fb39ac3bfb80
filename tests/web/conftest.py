import json
import threading

import pytest

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app


class Api:
    """The application's test client, with JSON in and out."""

    def __init__(self, app):
        self.client = app.test_client()

    def __call__(self, method, path, body=None, headers=None):
        return self.client.open(
            path, method=method, json=body, buffered=True, headers={"Host": "127.0.0.1:8642", **(headers or {})}
        )


@pytest.fixture
def app(tmp_path):
    static = tmp_path / "static"
    (static / "assets").mkdir(parents=True)
    (static / "index.html").write_text("<!doctype html><title>Ylemorph</title>")
    (static / "assets" / "index-abc.js").write_text("1")
    yield create_app(prepare(tmp_path), static=static)
    for thread in threading.enumerate():  # what works on behind an answer needs the folder until it ends
        if thread.name.startswith(("practice ", "reading ", "fleet ")):
            thread.join()


@pytest.fixture
def api(app):
    return Api(app)


@pytest.fixture
def survey():
    return json.loads(json.dumps(survey_to_data(Survey(desk(model="Brindle K4", serial="BK4-00731")))))


@pytest.fixture
def job(api, survey):
    body = {"name": "Desk", "source": survey, "target": {"nominal": "480GB"}}
    return api("POST", "/api/jobs", body).get_json()
