"""Windows hear of each other's changes, over the real server."""

import http.client
import json
import socket
import threading
import time

import pytest

from ylemorph.serving import make_server
from ylemorph.web.edge import limits, live
from ylemorph.web.edge.limits import BODY_LIMITS, BUSY, Turns, most_bytes
from ylemorph.web.edge.live import MOST_STREAMS, Hub, TooMany, events
from ylemorph.web.edge.services import services


@pytest.fixture
def running(app):
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(app, listener)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield app, listener.getsockname()[1]
    services(app).hub.end()
    server.close()


def ask(port, method, path, body=None, window="window 1"):
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    headers = {"Content-Type": "application/json", "X-Window": window}
    connection.request(method, path, json.dumps(body) if body is not None else None, headers)
    answer = connection.getresponse()
    text = answer.read()
    connection.close()
    return answer.status, json.loads(text) if text else None


class Listener:
    """One window's stream of events."""

    def __init__(self, port):
        self.connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        self.connection.request("GET", "/api/events")
        self.answer = self.connection.getresponse()
        assert self.answer.status == 200
        assert self.answer.headers["Content-Type"].startswith("text/event-stream")

    def next(self, what):
        while True:
            line = self.answer.readline()
            assert line, "the stream ended"
            if line.startswith(b"data: "):
                event = json.loads(line[6:])
                if event["what"] == what:
                    return event


def test_fifty_windows_hear_of_a_change_and_keep_nobody_waiting(running):
    app, port = running
    windows = [Listener(port) for _ in range(50)]
    assert services(app).hub.open_streams == 50
    _, job = ask(port, "POST", "/api/jobs", {"name": "Desk"})
    for window in windows:
        assert window.next("jobs") == {"what": "jobs", "id": None, "by": "window 1", "window": "window 1"}
    ask(port, "POST", f"/api/jobs/{job['id']}/changes", {"kind": "describe", "name": "Counter"}, "window 2")
    for window in windows:
        assert window.next("jobs") == {"what": "jobs", "id": job["id"], "by": "window 2", "window": "window 2"}
    assert ask(port, "GET", "/api/jobs")[0] == 200


def test_what_changes_nothing_is_not_told(running):
    _, port = running
    window = Listener(port)
    ask(port, "POST", "/api/surveys/typed", {"rows": [{"size": "100 GiB", "used": "20 GiB"}]})
    ask(port, "POST", "/api/jobs/77/changes", {"kind": "describe", "name": "x"})  # refused: there is none
    ask(port, "PUT", "/api/settings", {"headroom": "20"})
    assert window.next("settings")["id"] is None  # the first event after "here"


def test_a_window_that_is_gone_frees_its_stream(running):
    app, port = running
    window = Listener(port)
    window.answer.close()
    window.connection.close()
    for _ in range(200):
        if not services(app).hub.open_streams:
            return
        time.sleep(0.05)
    raise AssertionError("the stream is still held")


def test_who_has_what_open(running):
    _, port = running
    window = Listener(port)
    assert window.next("here")["places"] == []
    ask(port, "POST", "/api/here", {"place": "/jobs/3/fit"}, "window 2")
    here = {"window": "window 2", "place": "/jobs/3/fit", "who": "window 2"}
    assert window.next("moved") == {"what": "moved", **here}
    assert Listener(port).next("here")["places"] == [here]
    ask(port, "POST", "/api/here", {"place": "/jobs/3/fit"}, "window 2")  # still there: nobody is told
    ask(port, "POST", "/api/here", {"place": ""}, "window 2")
    assert window.next("moved") == {"what": "moved", "window": "window 2", "place": "", "who": "window 2"}
    assert Listener(port).next("here")["places"] == []
    assert ask(port, "POST", "/api/here", {"place": "<script>"})[0] == 422


def test_a_window_that_says_nothing_any_more_is_forgotten(monkeypatch):
    hub = Hub()
    hub.here("window 1", "/jobs/3/fit", "Mara")
    assert len(hub.places()) == 1
    later = time.monotonic() + live.PLACE_SECONDS + 1
    monkeypatch.setattr(live.time, "monotonic", lambda: later)
    assert hub.places() == []


def test_streams_are_bounded_and_a_slow_one_is_told_to_load_anew():
    hub = Hub()
    streams = [hub.open() for _ in range(MOST_STREAMS)]
    with pytest.raises(TooMany):
        hub.open()
    for number in range(live.MOST_WAITING + 5):
        hub.publish({"what": "jobs", "id": number})
    texts = list(events(hub, streams[0], streams[0].waiting.empty))
    assert b"".join(texts).count(b'data: {"what": "all"}\n\n') == 1
    assert len(texts) < 20


def test_one_person_holds_a_few_streams_and_windows_alone():
    hub = Hub()
    streams = [hub.open("person 1") for _ in range(MOST_STREAMS + 5)]
    assert hub.open_streams == live.MOST_STREAMS_OF_ONE
    assert list(events(hub, streams[0], lambda: False))[-1].endswith(live.ENDED)  # the oldest made room
    other = hub.open("person 2")
    for number in range(live.MOST_PLACES + 5):
        hub.here(f"window {number}", "/jobs/3/fit", "Mara", "session 1")
    assert len(hub.places()) == live.MOST_PLACES_OF_ONE
    hub.here("window", "/jobs/3/fit", "Iris", "session 2")
    assert {"window": "window", "place": "/jobs/3/fit", "who": "Iris"} in hub.places()
    waiting = [other.waiting.get_nowait() for _ in range(other.waiting.qsize())]
    assert max(len(json.dumps(event)) for event in waiting) < 150 + 100 * live.MOST_PLACES_OF_ONE


def test_all_streams_hear_in_one_order():
    hub = Hub()
    streams = [hub.open() for _ in range(8)]
    threads = [
        threading.Thread(target=lambda first=first: [hub.publish({"id": first + n}) for n in range(20)])
        for first in range(0, 160, 20)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    heard = [[stream.waiting.get_nowait().get("id") for _ in range(160)] for stream in streams]
    assert all(order == heard[0] for order in heard)


def test_a_stream_ends_with_the_right_to_hear(monkeypatch):
    hub, may = Hub(), [True]
    stream = hub.open("person 1", frozenset(), lambda: may[0])
    monkeypatch.setattr(live, "LOOK_SECONDS", 0.001)
    monkeypatch.setattr(live, "BEAT_SECONDS", 0)
    given = events(hub, stream, lambda: False)
    assert [next(given) for _ in range(3)][-1] == b":\n\n"
    may[0] = False
    assert next(given) == live.ENDED
    assert list(given) == []
    assert hub.open_streams == 0


def test_requests_wait_for_their_turn_and_are_refused_after_a_while():
    hold, inside = threading.Event(), threading.Event()

    def slow(_environ, start_response):
        inside.set()
        hold.wait(20)
        start_response("200 OK", [])
        return [b"x"]

    turns = Turns(slow, at_once=1, wait=0.05)
    first = threading.Thread(target=turns, args=({"PATH_INFO": "/"}, lambda *_: None))
    first.start()
    inside.wait(20)
    said = []
    assert turns({"PATH_INFO": "/"}, lambda status, headers: said.append((status, dict(headers)))) == [BUSY]
    assert said[0][0].startswith("503")
    assert said[0][1]["Content-Type"] == "application/problem+json"
    assert json.loads(BUSY)["status"] == 503
    hold.set()
    first.join(20)


def test_bodies_are_bounded_by_address(api):
    assert BODY_LIMITS[-1].path == "/"
    for limit in BODY_LIMITS:
        path = limit.path + ("x" if limit.path.endswith("/") else "")
        method = "PUT" if limit.path in ("/api/settings", "/api/shelf") else "POST"
        answer = api.client.open(
            path, method=method, data=b" " * (limit.most + 1), content_type="application/json",
            headers={"Host": "127.0.0.1:8642"},
        )  # fmt: skip
        assert answer.status_code == 413, limit
        assert f"at most {limit.most / limits.MB:g} MB" in answer.get_json()["mend"]
    assert most_bytes("/api/jobs/3/changes") == limits.MAX_BODY_BYTES
