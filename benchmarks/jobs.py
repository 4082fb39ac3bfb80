"""The list of five hundred jobs beside the list of ten, each job with surveys and a plan of its own."""

import tempfile
from pathlib import Path
from statistics import median

from flask.testing import FlaskClient

from benchmarks.plans import seconds, source
from ylemorph.core.disk.model import Survey
from ylemorph.core.job.state import JobState, SizedTarget
from ylemorph.formats.own.targets import target_from_text
from ylemorph.store import jobs
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app

COUNTS = (10, 500)


def listing(folder: Path, count: int) -> FlaskClient:
    """A client of a store with so many jobs."""
    path = prepare(folder)
    connection = connect(path)
    for number in range(count):
        survey = Survey(source(8).but(serial=f"S-{number:04}"))
        target = SizedTarget(f"{960 + number}GB", target_from_text(f"{960 + number}GB"))
        jobs.create(connection, JobState(name=f"Branch {number}", source=survey, target=target))
    connection.close()
    return create_app(path).test_client()


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        clients = [listing(Path(folder) / str(count), count) for count in COUNTS]

        def ask(client: FlaskClient) -> None:
            assert client.get("/api/jobs", headers={"Host": "127.0.0.1"}).status_code == 200

        first = [seconds(lambda client=client: ask(client), 1) for client in clients]
        again = [median(seconds(lambda client=client: ask(client), 5) for _ in range(7)) for client in clients]
    print(f"list of {COUNTS[1]} jobs: {again[1] / again[0]:.1f} times the list of {COUNTS[0]} (goal: 20)")
    print(f"  the first time, every line worked out: {first[1] / first[0]:.1f} times")


if __name__ == "__main__":
    main()
