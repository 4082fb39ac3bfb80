"""The data as a whole over HTTP: how the program is, backups, jobs as one file."""

import time
from typing import Annotated

from flask import Response, jsonify, send_file
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from ... import __version__
from ...formats.own.wire import Shape, model_of
from ...usecases import data
from ..edge.blueprint import Routes
from ..edge.certificates import Certificate
from ..edge.identity import asker, made_by
from ..edge.log import note
from ..edge.problems import problems
from ..edge.services import connection, services, work
from ..models import Query, _In

tag = Tag(name="data")
api = Routes("data", __name__, url_prefix="/api", abp_tags=[tag], abp_responses=problems(404, 422))
STARTED = time.monotonic()
MOST_JOBS = 2_000  # taken out at once


class AnswersModel(Shape):
    status: str
    version: str


class BackupModel(Shape):
    name: str
    made_at: str
    size_bytes: int


class CertificateModel(Shape):
    """``own``: made by Ylemorph itself, so that browsers ask once; ``fingerprint``: what they then show (SHA-256)."""

    fingerprint: str
    until: str
    own: bool


class DataModel(Shape):
    """The data folder; ``working``: fleets that are being worked out; ``certificate``: where it is encrypted."""

    certificate: CertificateModel | None

    folder: str
    version: str
    data_version: int
    running_seconds: int
    file_bytes: int
    folder_bytes: int
    jobs: int
    surveys: int
    fleets: int
    working: list[str]
    backups: list[BackupModel]


class BackupPath(BaseModel):
    name: Annotated[str, Field(max_length=100)]


class JobsQuery(Query):
    """``jobs``: numbers with commas between them; all that can be read unless given."""

    jobs: Annotated[str, Field(max_length=20_000, pattern=r"^([0-9]{1,15}(,[0-9]{1,15})*)?$")] = ""


class BundleIn(_In):
    """A file of jobs as it was taken out."""

    bundle: dict[str, object]


class TakenIn(Shape):
    jobs: list[int]


@api.get("/health", responses={200: model_of(AnswersModel)})
def health() -> Response:
    """Whether the program answers and its data can be read."""
    data.answers(connection())
    shown: AnswersModel = {"status": "well", "version": __version__}
    return jsonify(shown)


@api.get("/data", responses={200: model_of(DataModel)})
def read_data() -> Response:
    """Version, data folder, sizes, backups and long work."""
    return _answer()


@api.post("/backups", responses={200: model_of(DataModel)})
def make_backup() -> Response:
    """A whole copy of the data in the data folder."""
    data.keep_backup(services().shop.store.parent)
    return _answer()


@api.get("/backups/<name>", responses={200: None})
def take_out_backup(path: BackupPath) -> Response:
    """One backup as a file."""
    place = data.backup_place(services().shop.store.parent, path.name)
    note("exported", asker(), backup=path.name)
    return send_file(place, mimetype="application/vnd.sqlite3", as_attachment=True, download_name=place.name)


@api.post("/backups/<name>/restore", responses={200: model_of(DataModel)})
def restore_backup(path: BackupPath) -> Response:
    """Put one backup in the place of the data, which becomes a backup itself before."""
    data.restore_backup(services().shop.store.parent, path.name)
    note("restored", asker())
    services().forget()
    return _answer()


@api.get("/jobs-file", responses={200: None})
def take_out_jobs(query: JobsQuery) -> Response:
    """Jobs as one file: surveys, every change, checks and records."""
    wanted = [int(number) for number in query.jobs.split(",") if number][:MOST_JOBS] or None
    note("exported", asker(), jobs=len(wanted) if wanted else "all")
    text, _ = data.jobs_as_text(connection(), wanted)
    response = Response(text.encode("utf-8", "replace"), mimetype="application/json")
    response.headers["Content-Disposition"] = 'attachment; filename="jobs.json"'
    return response


@api.post("/jobs-file", responses={201: model_of(TakenIn)})
def take_in_jobs(body: BundleIn) -> tuple[Response, int]:
    """Jobs from such a file, beside those that are there."""
    note("imported", asker())
    taken: TakenIn = {"jobs": data.take_in(connection(), body.bundle, made_by())}
    return jsonify(taken), 201


def _certificate(found: Certificate | None) -> CertificateModel | None:
    if found is None:
        return None
    return {"fingerprint": found.fingerprint, "until": f"{found.until:%Y-%m-%d}", "own": found.own}


def _answer() -> Response:
    found = data.standing(work())
    shown: DataModel = {
        "certificate": _certificate(services().certificate),
        "folder": str(found.folder),
        "version": __version__,
        "data_version": found.data_version,
        "running_seconds": int(time.monotonic() - STARTED),
        "file_bytes": found.file_bytes,
        "folder_bytes": found.folder_bytes,
        "jobs": found.jobs,
        "surveys": found.surveys,
        "fleets": found.fleets,
        "working": found.working,
        "backups": [_backup(kept) for kept in found.backups],
    }
    return jsonify(shown)


def _backup(kept: data.Kept) -> BackupModel:
    return {"name": kept.name, "made_at": kept.made_at, "size_bytes": kept.size_bytes}
