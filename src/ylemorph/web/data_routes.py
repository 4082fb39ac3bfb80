"""The data as a whole over HTTP: how the program is, backups, jobs as one file."""

import json
import time
from typing import Annotated, Any

from flask import Response, current_app, jsonify, send_file
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from .. import __version__
from ..store import bundle, files, fleets
from ..store.database import newest_version
from .db import connection
from .models import Problem, _In, _Out

tag = Tag(name="data")
api = APIBlueprint("data", __name__, url_prefix="/api", abp_tags=[tag], abp_responses={404: Problem, 422: Problem})
STARTED = time.monotonic()
MOST_JOBS = 2_000  # taken out at once


class AnswersModel(_Out):
    status: str
    version: str


class BackupModel(_Out):
    name: str
    made_at: str
    size_bytes: int


class DataModel(_Out):
    """The data folder; ``working``: fleets that are being worked out."""

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


class JobsQuery(BaseModel):
    """``jobs``: numbers with commas between them; all that can be read unless given."""

    jobs: Annotated[str, Field(max_length=20_000, pattern=r"^[0-9,]*$")] = ""


class BundleIn(_In):
    """A file of jobs as it was taken out."""

    bundle: dict[str, Any]


class TakenIn(_Out):
    jobs: list[int]


@api.get("/health", responses={200: AnswersModel})
def health() -> Response:
    """Whether the program answers and its data can be read."""
    connection().execute("SELECT 1 FROM job LIMIT 1").fetchone()
    return jsonify({"status": "well", "version": __version__})


@api.get("/data", responses={200: DataModel})
def read_data() -> Response:
    """Version, data folder, sizes, backups and long work."""
    return _answer()


@api.post("/backups", responses={200: DataModel})
def make_backup() -> Response:
    """A whole copy of the data in the data folder."""
    files.keep_backup(current_app.config["STORE"].parent)
    return _answer()


@api.get("/backups/<name>", responses={200: None})
def take_out_backup(path: BackupPath) -> Response:
    """One backup as a file."""
    place = files.backup_place(current_app.config["STORE"].parent, path.name)
    return send_file(place, mimetype="application/vnd.sqlite3", as_attachment=True, download_name=place.name)


@api.post("/backups/<name>/restore", responses={200: DataModel})
def restore_backup(path: BackupPath) -> Response:
    """Put one backup in the place of the data, which becomes a backup itself before."""
    folder = current_app.config["STORE"].parent
    place = files.backup_place(folder, path.name)
    files.look_at_copy(place)
    files.keep_backup(folder)
    files.put_back(folder, place)
    current_app.config["JOB_LINES"].clear()
    return _answer()


@api.get("/jobs-file", responses={200: None})
def take_out_jobs(query: JobsQuery) -> Response:
    """Jobs as one file: surveys, every change, checks and records."""
    wanted = [int(number) for number in query.jobs.split(",") if number][:MOST_JOBS] or None
    text = json.dumps(bundle.take_out(connection(), wanted), ensure_ascii=False, indent=1)
    response = Response(text.encode("utf-8", "replace"), mimetype="application/json")
    response.headers["Content-Disposition"] = 'attachment; filename="jobs.json"'
    return response


@api.post("/jobs-file", responses={201: TakenIn})
def take_in_jobs(body: BundleIn) -> tuple[Response, int]:
    """Jobs from such a file, beside those that are there."""
    return jsonify({"jobs": bundle.take_in(connection(), body.bundle)}), 201


def _answer() -> Response:
    store = current_app.config["STORE"]
    folder = store.parent
    counts = {name: connection().execute(f"SELECT count(*) FROM {name}").fetchone()[0] for name in ("job", "survey")}  # noqa: S608  # two words
    heads, runs = fleets.heads(connection()), current_app.config["FLEETS"]
    return jsonify(
        {
            "folder": str(folder),
            "version": __version__,
            "data_version": newest_version(),
            "running_seconds": int(time.monotonic() - STARTED),
            "file_bytes": store.stat().st_size,
            "folder_bytes": sum(place.stat().st_blocks * 512 for place in folder.rglob("*") if place.is_file()),
            "jobs": counts["job"],
            "surveys": counts["survey"],
            "fleets": len(heads),
            "working": [head.name for head in heads if runs.active(head.id)],
            "backups": [kept._asdict() for kept in files.backups(folder)],
        }
    )
