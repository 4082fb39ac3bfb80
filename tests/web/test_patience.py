"""Slow and many clients do not lock others out."""

import http.client
import socket
import threading
from types import SimpleNamespace

import pytest

from ylemorph.serving import make_server
from ylemorph.web.edge.patience import BODY_SECONDS, HEAD_SECONDS, Patience


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
