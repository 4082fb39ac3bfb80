"""The data as a whole over HTTP: how the program is, backups, jobs as one file."""

import json
import time
from typing import Annotated, Any

from flask import Response, current_app, jsonify, send_file
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from ... import __version__
from ...store import bundle, files, fleets
from ...store.preparing import newest_version
from ..edge.certificates import Certificate
from ..edge.db import connection
from ..edge.identity import asker, made_by
from ..edge.log import note
from ..models import Problem, _In, _Out

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


class CertificateModel(_Out):
    """``own``: made by Ylemorph itself, so that browsers ask once; ``fingerprint``: what they then show (SHA-256)."""

    fingerprint: str
    until: str
    own: bool


class DataModel(_Out):
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


class JobsQuery(BaseModel):
    """``jobs``: numbers with commas between them; all that can be read unless given."""

    jobs: Annotated[str, Field(max_length=20_000, pattern=r"^([0-9]{1,15}(,[0-9]{1,15})*)?$")] = ""


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
    note("exported", asker(), backup=path.name)
    return send_file(place, mimetype="application/vnd.sqlite3", as_attachment=True, download_name=place.name)


@api.post("/backups/<name>/restore", responses={200: DataModel})
def restore_backup(path: BackupPath) -> Response:
    """Put one backup in the place of the data, which becomes a backup itself before."""
    files.restore_backup(current_app.config["STORE"].parent, path.name)
    note("restored", asker())
    current_app.config["JOB_LINES"].clear()
    current_app.config["HUB"].drop()
    return _answer()


@api.get("/jobs-file", responses={200: None})
def take_out_jobs(query: JobsQuery) -> Response:
    """Jobs as one file: surveys, every change, checks and records."""
    wanted = [int(number) for number in query.jobs.split(",") if number][:MOST_JOBS] or None
    note("exported", asker(), jobs=len(wanted) if wanted else "all")
    text = json.dumps(bundle.take_out(connection(), wanted), ensure_ascii=False, indent=1)
    response = Response(text.encode("utf-8", "replace"), mimetype="application/json")
    response.headers["Content-Disposition"] = 'attachment; filename="jobs.json"'
    return response


@api.post("/jobs-file", responses={201: TakenIn})
def take_in_jobs(body: BundleIn) -> tuple[Response, int]:
    """Jobs from such a file, beside those that are there."""
    note("imported", asker())
    return jsonify({"jobs": bundle.take_in(connection(), body.bundle, made_by())}), 201


def _certificate_data(found: Certificate | None) -> dict[str, Any] | None:
    if found is None:
        return None
    return {"fingerprint": found.fingerprint, "until": f"{found.until:%Y-%m-%d}", "own": found.own}


def _answer() -> Response:
    store = current_app.config["STORE"]
    folder = store.parent
    counts = {name: connection().execute(f"SELECT count(*) FROM {name}").fetchone()[0] for name in ("job", "survey")}  # noqa: S608  # two words
    heads, runs = fleets.heads(connection()), current_app.config["FLEETS"]
    return jsonify(
        {
            "certificate": _certificate_data(current_app.config["CERTIFICATE"]),
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
