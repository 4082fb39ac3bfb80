"""``POST /api/plan`` over loopback: p50 and p95, beside the bare plan in the same process."""

import http.client
import json
import tempfile
import threading
import time
from pathlib import Path

import waitress

from benchmarks.plans import seconds, source
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.fit.plan import make_plan
from ylemorph.core.sizes import GB
from ylemorph.formats.own.survey_data import survey_to_data
from ylemorph.store.preparing import prepare
from ylemorph.web.app import create_app

CALLS = 300


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        server = waitress.create_server(create_app(prepare(Path(folder))), host="127.0.0.1", port=0, threads=4)
        threading.Thread(target=server.run, daemon=True).start()
        for rows in (8, 128):
            report(rows, int(server.effective_port))
        server.close()


def report(rows: int, port: int) -> None:
    disk = source(rows)
    body = json.dumps({"source": survey_to_data(Survey(disk)), "target": {"nominal": "2000GB"}})
    connection = http.client.HTTPConnection("127.0.0.1", port)
    took = []
    for _ in range(CALLS):
        start = time.perf_counter()
        connection.request("POST", "/api/plan", body, {"Content-Type": "application/json"})
        answer = connection.getresponse()
        answer.read()
        took.append(time.perf_counter() - start)
        assert answer.status == 200, answer.status
    took.sort()
    p50, p95 = took[CALLS // 2], took[CALLS * 95 // 100]
    bare = seconds(lambda: make_plan(disk, nominal_disk(2000 * GB), Options()), 50)
    print(
        f"POST /api/plan, {rows} rows: p50 {p50 * 1e3:.1f} ms, p95 {p95 * 1e3:.1f} ms (goal for 8: 10), "
        f"p50 {p50 / bare:.0f} times the bare plan"
    )


if __name__ == "__main__":
    main()
