"""What windows hear of each other: changes as they are made, and who has what open. Kept in memory alone."""

import json
import queue
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from ..core.errors import YlemorphError

MOST_STREAMS = 64
BEAT_SECONDS = 15  # a line without meaning, so that a broken connection is noticed
LOOK_SECONDS = 1.0
PLACE_SECONDS = 150  # a window that did not say for so long that it is still there is not
MOST_PLACES = 1000
MOST_WAITING = 200  # events; who does not take them is told to load anew


class TooMany(YlemorphError):
    """No stream is left."""


class Here(NamedTuple):
    """A window that has a place open: who, and until when that counts."""

    place: str
    who: str
    ends: float


class Stream:
    """One connection that hears events. ``marks``: what it goes by when somebody is signed out."""

    def __init__(self, marks: frozenset[str]) -> None:
        self.marks = marks
        self.waiting: queue.Queue[dict[str, Any] | None] = queue.Queue(MOST_WAITING)

    def put(self, event: dict[str, Any] | None) -> None:
        try:
            self.waiting.put_nowait(event)
        except queue.Full:
            with self.waiting.mutex:
                self.waiting.queue.clear()
            self.waiting.put_nowait({"what": "all"})


class Hub:
    """All streams and open windows of this server. Safe to use from every thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._streams: set[Stream] = set()
        self._here: dict[str, Here] = {}

    def open(self, marks: frozenset[str]) -> Stream:
        """Raises TooMany."""
        with self._lock:
            if len(self._streams) >= MOST_STREAMS:
                raise TooMany(f"{MOST_STREAMS} browsers hear of changes already", mend="load the page now and then")
            stream = Stream(marks)
            self._streams.add(stream)
        stream.put({"what": "here", "places": self.places()})
        return stream

    def close(self, stream: Stream) -> None:
        with self._lock:
            self._streams.discard(stream)

    @property
    def open_streams(self) -> int:
        return len(self._streams)

    def end(self) -> None:
        """End every stream, because the server stops; they are gone a moment later."""
        self.drop()
        for _ in range(50):
            if not self._streams:
                return
            time.sleep(0.02)

    def publish(self, event: dict[str, Any]) -> None:
        with self._lock:
            streams = list(self._streams)
        for stream in streams:
            stream.put(event)

    def drop(self, mark: str | None = None) -> None:
        """End the streams of a browser or a person that was signed out, or all of them."""
        with self._lock:
            streams = [stream for stream in self._streams if mark is None or mark in stream.marks]
        for stream in streams:
            stream.put(None)

    def here(self, window: str, place: str, who: str) -> None:
        """A window opened ``place``, or is still there; an empty place: it closed."""
        now = time.monotonic()
        with self._lock:
            before = self._here.pop(window, None)
            if place and len(self._here) < MOST_PLACES:
                self._here[window] = Here(place, who, now + PLACE_SECONDS)
            gone = [key for key, item in self._here.items() if item.ends < now]
            for key in gone:
                del self._here[key]
        if gone or before is None or (before.place, before.who) != (place, who):
            self.publish({"what": "here", "places": self.places()})

    def places(self) -> list[dict[str, str]]:
        """Every open window with its place."""
        now = time.monotonic()
        with self._lock:
            return [
                {"window": window, "place": item.place, "who": item.who}
                for window, item in sorted(self._here.items())
                if item.ends >= now
            ]


def events(hub: Hub, stream: Stream, gone: Callable[[], bool]) -> Iterator[bytes]:
    """The stream as text/event-stream, until the connection is ``gone`` or it is ended from here."""
    try:
        yield b"retry: 3000\n\n"
        beat = time.monotonic()
        while not gone():
            try:
                event = stream.waiting.get(timeout=LOOK_SECONDS)
            except queue.Empty:
                if time.monotonic() - beat > BEAT_SECONDS:
                    beat = time.monotonic()
                    yield b":\n\n"
                continue
            if event is None:
                yield b'data: {"what": "ended"}\n\n'
                return
            yield b"data: " + json.dumps(event, ensure_ascii=False).encode("utf-8", "replace") + b"\n\n"
    finally:
        hub.close(stream)
