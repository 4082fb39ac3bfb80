"""Requests per second at 1, 8 and 32 clients of the running program, with 50 windows that hear of changes, and its
memory after 20,000 requests against before."""

import http.client
import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

MANY = 20_000


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def resident_mb(pid: int) -> float:
    """Memory that the process holds; from /proc, so on Linux only."""
    found = re.search(r"VmRSS:\s+(\d+) kB", Path(f"/proc/{pid}/status").read_text())
    assert found is not None
    return int(found[1]) / 1000


def asking(port: int, path: str, times: int, wrong: list[int]) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    for _ in range(times):
        connection.request("GET", path)
        answer = connection.getresponse()
        answer.read()
        if answer.status != 200:
            wrong.append(answer.status)
    connection.close()


def rate(port: int, path: str, clients: int, requests: int) -> float:
    wrong: list[int] = []
    threads = [threading.Thread(target=asking, args=(port, path, requests // clients, wrong)) for _ in range(clients)]
    start = time.perf_counter()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong, wrong[:5]
    return requests / (time.perf_counter() - start)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        port = free_port()
        command = [sys.executable, "-m", "ylemorph", "demo", "--no-browser", "--port", str(port), "--data", folder]
        program = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, env=dict(os.environ))
        assert program.stderr is not None
        while "Ylemorph is at" not in program.stderr.readline():
            pass
        try:
            report(port, program.pid)
        finally:
            program.terminate()
            program.wait()


def report(port: int, pid: int) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    connection.request("GET", "/api/jobs")
    job = json.loads(connection.getresponse().read())["jobs"][0]["id"]
    path = f"/api/jobs/{job}"
    rate(port, path, 1, 200)  # warm
    alone = rate(port, path, 1, 1000)
    print(f"one client {alone:.0f} requests of a job a second")
    for clients in (8, 32):
        print(f"{clients} clients {rate(port, path, clients, 1600) / alone:.2f} times as many")
    before = resident_mb(pid)
    rate(port, path, 8, MANY)
    after = resident_mb(pid)
    print(f"memory after {MANY:,} requests {after / before:.2f} times that before ({before:.0f} MB)")
    windows = [http.client.HTTPConnection("127.0.0.1", port, timeout=60) for _ in range(50)]
    for window in windows:
        window.request("GET", "/api/events")
        window.getresponse()
    print(f"with 50 windows that listen {rate(port, path, 1, 1000) / alone:.2f} times the requests without")
    for window in windows:
        window.close()


if __name__ == "__main__":
    main()
