import json
import shutil
import threading
from pathlib import Path

import pytest

from tests.make import desk
from ylemorph.core.disk.model import Survey
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.store.database import FILE_NAME
from ylemorph.store.preparing import prepare
from ylemorph.usecases.workshop import Workshop
from ylemorph.web.app import create_app
from ylemorph.web.edge.services import NAME, Services, services


class Api:
    """The application's test client, with JSON in and out."""

    def __init__(self, app):
        self.client = app.test_client()

    def __call__(self, method, path, body=None, headers=None):
        return self.client.open(
            path, method=method, json=body, buffered=True, headers={"Host": "127.0.0.1:8642", **(headers or {})}
        )


def over(app, store, disks="nobody", *, network=False):
    """The application over another data file, and all that it keeps anew; to compile its routes takes a tenth of a
    second, which is more than most tests do."""
    app.extensions[NAME] = Services(Workshop.over(store, disks=disks), network, "127.0.0.1", None)
    return app


@pytest.fixture(scope="session")
def local_app(tmp_path_factory):
    """Served to this machine; it is given a data file by each test."""
    folder = tmp_path_factory.mktemp("served")
    (folder / FILE_NAME).write_text("what no address leads to")
    (folder / "static" / "assets").mkdir(parents=True)
    (folder / "static" / "index.html").write_text("<!doctype html><title>Ylemorph</title>")
    (folder / "static" / "assets" / "index-abc.js").write_text("1")
    return create_app(Path("unused"), static=folder / "static")


@pytest.fixture(scope="session")
def network_app():
    """The same, served to a network."""
    return create_app(Path("unused"), network=True, names=frozenset({"workshop.local"}))


@pytest.fixture(scope="session")
def first_store(tmp_path_factory):
    """A data file that is up to date, to be copied."""
    return prepare(tmp_path_factory.mktemp("first"))


@pytest.fixture
def new_store(tmp_path, first_store):
    """An empty data file of one's own."""
    shutil.copy(first_store, tmp_path)
    return prepare(tmp_path)


@pytest.fixture
def app(local_app, new_store):
    yield over(local_app, new_store)
    services(local_app).shop.practices.forget()  # its practices end at their next step
    for thread in threading.enumerate():  # what works on behind an answer needs the folder until it ends
        if thread.name.startswith(("practice ", "reading ", "fleet ")):
            thread.join()
    services(local_app).shop.keeper.close()


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
