"""The server as a process: what was answered is kept, whatever happens to the process."""

import http.client
import json
import os
import signal
import socket
import subprocess
import sys

import pytest

from ylemorph.demo.history import MADE
from ylemorph.demo.scenario import jobs as demo_jobs


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class Served:
    """``ylemorph demo`` in a process of its own."""

    def __init__(self, folder, *more):
        self.port = free_port()
        command = [sys.executable, "-m", "ylemorph", "demo", "--no-browser", "--port", str(self.port), "--data", folder]
        self.process = subprocess.Popen([*command, *more], stderr=subprocess.PIPE, text=True)
        for line in self.process.stderr:
            if "Ylemorph is at" in line:
                return
        raise AssertionError("the server did not start")

    def ask(self, method, path, body=None):
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        connection.request(method, path, json.dumps(body) if body else None, {"Content-Type": "application/json"})
        answer = connection.getresponse()
        data = json.loads(answer.read())
        connection.close()
        return data

    def end(self, sign=signal.SIGTERM):
        self.process.send_signal(sign)
        self.process.wait(20)
        self.process.stderr.close()


@pytest.fixture
def folder(tmp_path):
    return str(tmp_path / "data")


def test_killed_outright_and_nothing_that_was_answered_is_lost(folder):
    served = Served(folder)
    job = served.ask("GET", "/api/jobs")["jobs"][0]
    for size in (210, 220, 230):
        made = served.ask("POST", f"/api/jobs/{job['id']}/changes", {"kind": "pin", "row": 3, "size": f"{size}GiB"})
    served.end(signal.SIGKILL)
    again = Served(folder)
    kept = again.ask("GET", f"/api/jobs/{job['id']}")
    assert kept == made
    assert len(again.ask("GET", "/api/jobs")["jobs"]) == len(demo_jobs()) + len(MADE)
    again.end()


def test_a_fresh_demo_keeps_a_copy_of_the_old_one(folder):
    first = Served(folder)
    job = first.ask("GET", "/api/jobs")["jobs"][0]
    first.ask("POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Mine"})
    first.end()
    fresh = Served(folder, "--fresh")
    assert "Mine" not in [job["name"] for job in fresh.ask("GET", "/api/jobs")["jobs"]]
    fresh.end()
    aside = [name for name in os.listdir(os.path.dirname(folder)) if name.startswith("data-")]
    assert len(aside) == 1


def test_it_answers_while_many_ask(folder):
    served = Served(folder)
    connections = [http.client.HTTPConnection("127.0.0.1", served.port, timeout=20) for _ in range(30)]
    for connection in connections:
        connection.request("GET", "/api/jobs")
    assert [connection.getresponse().status for connection in connections] == [200] * 30
    for connection in connections:
        connection.close()
    served.end()


def test_a_body_that_is_too_long_is_refused_before_it_is_taken(folder):
    served = Served(folder)
    connection = http.client.HTTPConnection("127.0.0.1", served.port, timeout=20)
    connection.putrequest("POST", "/api/plan")
    connection.putheader("Content-Type", "application/json")
    connection.putheader("Content-Length", str(1 << 30))
    connection.endheaders()
    connection.send(b"x" * 4096)
    assert connection.getresponse().status == 413
    connection.close()
    served.end()
