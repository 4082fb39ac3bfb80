"""What one request may take: the size of its body by address, and how many are worked on at once.

`docs/network.md` states the same figures; a test compares them.
"""

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from ...order import Queue

MB = 1_000_000
MAX_BODY_BYTES = 16 * MB  # a job carries two surveys at the most
AT_ONCE = 8  # requests that are worked on; more wait
WAIT_SECONDS = 20  # for their turn, then they are refused


# Values of a body, and lists and objects among them: each takes memory, however short it is written.
MOST_VALUES, MOST_HOLDERS = 1_500_000, 200_000
MOST_OPEN = 100  # brackets inside each other


SMALL_BODY = 10_000  # of what is typed, and of whatever comes from somebody who is not known


class BodyLimit(NamedTuple):
    """Bodies to addresses that begin with ``path`` have at most ``most`` bytes."""

    path: str
    most: int


# The first that fits; what stands nowhere may carry surveys.
BODY_LIMITS = (
    BodyLimit("/api/session", SMALL_BODY),
    BodyLimit("/api/here", SMALL_BODY),
    BodyLimit("/api/people", SMALL_BODY),
    BodyLimit("/api/settings", SMALL_BODY),
    BodyLimit("/api/shelf", 2 * MB),
    BodyLimit("/collect/", 4 * MB),
    BodyLimit("/", MAX_BODY_BYTES),
)


def most_bytes(path: str) -> int:
    return next(limit.most for limit in BODY_LIMITS if path.startswith(limit.path))


def has_too_many_values(body: bytes) -> bool:
    """Told from the signs between values, before any of them is made; signs inside of texts count too."""
    holders = body.count(b"[") + body.count(b"{")
    return holders > MOST_HOLDERS or holders + body.count(b",") > MOST_VALUES


def is_too_deep(value: object) -> bool:
    """Whether values stand inside each other further than anything that is sent here."""
    level, depth = [value], 0
    while level:
        depth += 1
        if depth > MOST_OPEN:
            return True
        level = [
            inner
            for outer in level
            if isinstance(outer, dict | list)
            for inner in (outer.values() if isinstance(outer, dict) else outer)
            if isinstance(inner, dict | list)
        ]
    return False


Environ = dict[str, Any]  # as WSGI (PEP 3333) has it
Wsgi = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
BUSY = (
    b'{"type": "about:blank", "title": "Busy", "status": 503, "detail": "Ylemorph is busy with other requests",'
    b' "at": "", "mend": "try again in a moment", "bound_bytes": null}'
)


class Turns:
    """Lets `AT_ONCE` requests through at a time, in the order in which they came. Streams of events wait
    for nothing and hold nobody up."""

    def __init__(self, app: Wsgi, *, at_once: int = AT_ONCE, wait: float = WAIT_SECONDS) -> None:
        self._app, self._wait = app, wait
        self._turns = Queue(at_once)

    def __call__(self, environ: Environ, start_response: Callable[..., Any]) -> Iterable[bytes]:
        if environ.get("PATH_INFO") == "/api/events":
            return self._app(environ, start_response)
        if not self._turns.take(self._wait):
            headers = [
                ("Content-Type", "application/problem+json"),
                ("Content-Length", str(len(BUSY))),
                ("Retry-After", "5"),
                ("Cache-Control", "no-store"),
            ]
            start_response("503 Service Unavailable", headers)
            return [BUSY]
        try:
            # Whole answers are small; files are handed over as they are read.
            return self._app(environ, start_response)
        finally:
            self._turns.hand_on()
