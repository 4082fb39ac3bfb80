"""Thirty people at work for two minutes: each has a stream of events open and makes a change a second, over TLS.

Prints what their requests took in those of one person alone, the longest one, what was refused, and what was lost.
"""

import http.client
import json
import ssl
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

from ylemorph.demo.scenario import sample_job
from ylemorph.store import jobs, people
from ylemorph.store.database import FILE_NAME, connect
from ylemorph.store.preparing import prepare

PEOPLE, SECONDS, EVERY = 30, 120, 1.0
PASSWORD = "copper kettle on a ledge"  # noqa: S105  # of people that are there for a moment
PORT = 8651


class Browser:
    """One person's connection."""

    def __init__(self, name: str) -> None:
        self.name, self.headers = name, {"Content-Type": "application/json"}
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE  # this machine talks to itself
        self.context = context
        self.connection = self.connected()
        answer, data = self.ask("POST", "/api/session", {"name": name, "password": PASSWORD})
        cookies = answer.headers.get_all("Set-Cookie") or []
        self.headers |= {
            "Cookie": "; ".join(cookie.split(";")[0] for cookie in cookies), "X-Ylemorph-Token": data["token"],
        }  # fmt: skip

    def connected(self) -> http.client.HTTPSConnection:
        return http.client.HTTPSConnection("127.0.0.1", PORT, context=self.context, timeout=60)

    def ask(self, method: str, path: str, body: object = None) -> tuple[http.client.HTTPResponse, dict[str, object]]:
        self.connection.request(method, path, None if body is None else json.dumps(body), self.headers)
        answer = self.connection.getresponse()
        return answer, json.loads(answer.read() or b"{}")

    def listen(self) -> threading.Thread:
        stream = self.connected()
        stream.request("GET", "/api/events", headers=self.headers)
        answer = stream.getresponse()

        def hear() -> None:
            try:
                while answer.readline():
                    pass
            except (OSError, http.client.HTTPException, ValueError):
                pass

        thread = threading.Thread(target=hear, daemon=True)
        thread.start()
        return thread


def work(browser: Browser, job: int, seconds: float, taken: list[float], refused: list[int]) -> int:
    """Changes that were acknowledged."""
    made, begun = 0, time.monotonic()
    while time.monotonic() - begun < seconds:
        start = time.monotonic()
        answer, _ = browser.ask("POST", f"/api/jobs/{job}/changes", {"kind": "describe", "note": str(made + 1)})
        taken.append(time.monotonic() - start)
        if answer.status == 200:
            made += 1
        else:
            refused.append(answer.status)
        time.sleep(max(0.0, EVERY - (time.monotonic() - start)))
    return made


PAUSES = """
import sys, time
longest, before = 0.0, time.monotonic()
while True:
    time.sleep(0.01)
    now = time.monotonic()
    longest, before = max(longest, now - before - 0.01), now
    print(longest, flush=True)
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = prepare(Path(folder))
        with closing(connect(path)) as connection:
            numbers = [jobs.create(connection, sample_job()).id for _ in range(PEOPLE)]
            for n in range(PEOPLE):
                people.add(connection, f"Person {n + 1}", "bench" if n else "workshop", PASSWORD)
        command = [sys.executable, "-m", "ylemorph", "serve", "--network", "--host", "127.0.0.1", "--port", str(PORT),
                   "--data", folder]  # fmt: skip
        server = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        assert server.stderr is not None
        while "SHA-256" not in server.stderr.readline():
            pass
        threading.Thread(target=server.stderr.read, daemon=True).start()
        try:
            browsers = [Browser(f"Person {n + 1}") for n in range(PEOPLE)]
            alone: list[float] = []
            refused: list[int] = []
            first = work(browsers[0], numbers[0], 10, alone, refused)
            for browser in browsers:
                browser.listen()
            watch = subprocess.Popen([sys.executable, "-c", PAUSES], stdout=subprocess.PIPE, text=True)
            taken: list[float] = []
            made = [0] * PEOPLE

            def one(n: int) -> None:
                made[n] = work(browsers[n], numbers[n], SECONDS, taken, refused)

            threads = [threading.Thread(target=one, args=(n,)) for n in range(PEOPLE)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            watch.kill()
            paused = float(watch.communicate()[0].splitlines()[-2])
        finally:
            server.kill()
            server.wait()
        with closing(connect(Path(folder) / FILE_NAME)) as connection:
            lost = sum(
                made[n] != int(jobs.get(connection, number).state.note or 0) and made[n] > 0
                for n, number in enumerate(numbers)
            )
        usual = statistics.median(alone)
        taken.sort()
        print(
            f"{PEOPLE} people, {len(taken)} changes in {SECONDS} s ({first} alone before): median "
            f"x{statistics.median(taken) / usual:.1f} of one alone, p95 x{taken[int(len(taken) * 0.95)] / usual:.1f}, "
            f"longest {taken[-1] * 1000:.0f} ms "
            f"(the machine itself stood still for {paused * 1000:.0f} ms at the most); {len(refused)} refused, "
            f"{lost} jobs lost a change"
        )


if __name__ == "__main__":
    main()
