"""Slow and many clients do not lock others out."""

import http.client
import socket
import threading
from types import SimpleNamespace

import pytest

from ylemorph.serving import make_server
from ylemorph.web.edge.patience import BODY_SECONDS, HEAD_SECONDS, Patience, making_room


@pytest.fixture
def port(app):
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(app, listener)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield listener.getsockname()[1]
    server.close()
    thread.join(5)


def test_three_hundred_slow_clients_lock_nobody_out(port):
    """Each has sent a part of its headers and sends no more; others are answered meanwhile."""
    slow = [socket.create_connection(("127.0.0.1", port)) for _ in range(300)]
    try:
        for one in slow:
            one.sendall(b"GET /api/jobs HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ")
        for _ in range(20):
            asked = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            asked.request("GET", "/api/jobs")
            assert asked.getresponse().status == 200
            asked.close()
    finally:
        for one in slow:
            one.close()


class Channel:
    def __init__(self, request):
        self.request = request


def test_a_request_that_takes_too_long_is_ended():
    head, body, idle = (Channel(SimpleNamespace(headers_finished=on)) for on in (False, True, False))
    idle.request = None
    every, patience = [head, body, idle], Patience()
    assert patience.ended(every, 0) == []
    assert patience.ended(every, HEAD_SECONDS) == []
    assert patience.ended(every, HEAD_SECONDS + 1) == [head]
    assert patience.ended([body, idle], BODY_SECONDS + 1) == [body]


def test_another_request_on_the_same_connection_begins_anew():
    one, patience = Channel(SimpleNamespace(headers_finished=False)), Patience()
    patience.ended([one], 0)
    one.request = SimpleNamespace(headers_finished=False)
    assert patience.ended([one], HEAD_SECONDS + 5) == []
    assert patience.ended([one], 2 * HEAD_SECONDS + 6) == [one]


# --- too many connections ---------------------------------------------------------------------------------------------


def idle(since, request=None, requests=()):
    return SimpleNamespace(last_activity=since, request=request, requests=list(requests))


def test_few_connections_stay():
    channels = [idle(n) for n in range(74)]
    assert making_room(channels, 100) == []


def test_of_many_the_idlest_end_until_there_is_room():
    channels = [idle(n) for n in range(80, 0, -1)]
    ended = making_room(channels, 100)
    assert [channel.last_activity for channel in ended] == list(range(1, 31))


def test_whoever_asks_for_something_is_not_ended():
    busy = [idle(0, request=object()) for _ in range(40)] + [idle(0, requests=[object()]) for _ in range(30)]
    channels = busy + [idle(9) for _ in range(10)]
    assert all(channel.last_activity == 9 for channel in making_room(channels, 100))
    assert len(making_room(channels, 100)) == 10
