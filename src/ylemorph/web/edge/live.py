"""What windows hear of each other: changes as they are made, and who has what open. Kept in memory alone."""

import contextlib
import json
import queue
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

from ...core.errors import YlemorphError

MOST_STREAMS = 64
MOST_STREAMS_OF_ONE = 6  # browsers of one person; a browser's windows share one
BEAT_SECONDS = 15  # a line without meaning, so that a broken connection is noticed
LOOK_SECONDS = 1.0
GATHERED_SECONDS = 0.2  # between two pieces of a stream
PLACE_SECONDS = 150  # a window that did not say for so long that it is still there is not
MOST_PLACES = 1000
MOST_PLACES_OF_ONE = 40  # windows of one session
ENDED = b'data: {"what": "ended"}\n\n'
MOST_WAITING = 200  # events; who does not take them is told to load anew


class TooMany(YlemorphError):
    """No stream is left."""


class Here(NamedTuple):
    """A window that has a place open: who, and until when that counts."""

    place: str
    who: str
    ends: float


class Notice(dict[str, object]):
    """What is told; ``line``: as it is sent, once that is known."""

    line: bytes | None = None


class Stream:
    """One connection that hears events. ``owner``: whose it is; ``marks``: what it goes by when somebody is signed out;
    ``valid``: whether whoever opened it may still hear."""

    def __init__(self, owner: str, marks: frozenset[str], valid: Callable[[], bool]) -> None:
        self.owner, self.marks, self.valid = owner, marks, valid
        self.waiting: queue.Queue[Notice | None] = queue.Queue(MOST_WAITING)

    def put(self, event: Notice | None) -> bool:
        """False where so many wait that they are dropped for the word to load anew."""
        try:
            self.waiting.put_nowait(event)
        except queue.Full:
            with self.waiting.mutex:
                self.waiting.queue.clear()
            self.waiting.put_nowait(Notice(what="all") if event is not None else None)
            return False
        return True


def _always() -> bool:
    return True


class Hub:
    """All streams and open windows of this server. Safe to use from every thread.

    What is put is put under the lock, so that all streams hear events in one order.
    """

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._streams: list[Stream] = []
        self._here: dict[tuple[str, str], Here] = {}

    def open(self, owner: str = "", marks: frozenset[str] = frozenset(), valid: Callable[[], bool] = _always) -> Stream:
        """A stream for ``owner``; of too many of one owner the oldest ends. Raises TooMany."""
        stream = Stream(owner, marks, valid)
        with self._lock:
            own = [other for other in self._streams if owner and other.owner == owner]
            if len(own) >= MOST_STREAMS_OF_ONE:
                self._end(own[0])
            elif len(self._streams) >= MOST_STREAMS:
                raise TooMany(f"{MOST_STREAMS} browsers hear of changes already", mend="load the page now and then")
            self._streams.append(stream)
            stream.put(Notice(what="here", places=self.places()))
        return stream

    def _end(self, stream: Stream) -> None:
        self._streams.remove(stream)
        stream.put(None)

    def close(self, stream: Stream) -> None:
        with self._lock:
            if stream in self._streams:
                self._streams.remove(stream)

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

    def publish(self, event: Mapping[str, object]) -> None:
        told = Notice(event)
        with self._lock:
            for stream in self._streams:
                if not stream.put(told):
                    stream.put(Notice(what="here", places=self.places()))

    def drop(self, mark: str | None = None) -> None:
        """End the streams of a browser or a person that was signed out, or all of them."""
        with self._lock:
            for stream in self._streams:
                if mark is None or mark in stream.marks:
                    stream.put(None)

    def here(self, window: str, place: str, who: str, owner: str = "") -> None:
        """A window opened ``place``, or is still there; an empty place: it closed. Only what differs is told."""
        now = time.monotonic()
        with self._lock:
            key = (owner, window)
            before = self._here.pop(key, None)
            own = [other for other in self._here if other[0] == owner]
            if place and len(own) >= MOST_PLACES_OF_ONE:
                self._leave(own[0])
            if place and len(self._here) < MOST_PLACES:
                self._here[key] = Here(place, who, now + PLACE_SECONDS)
            for gone in [other for other, item in self._here.items() if item.ends < now]:
                self._leave(gone)
            after = self._here.get(key)
            if (before and before[:2]) != (after and after[:2]):
                self.publish({"what": "moved", "window": window, "place": place if after else "", "who": who})

    def _leave(self, key: tuple[str, str]) -> None:
        del self._here[key]
        self.publish({"what": "moved", "window": key[1], "place": "", "who": ""})

    def places(self) -> list[dict[str, str]]:
        """Every open window with its place."""
        now = time.monotonic()
        with self._lock:
            return [
                {"window": window, "place": item.place, "who": item.who}
                for (_, window), item in sorted(self._here.items())
                if item.ends >= now
            ]


def _line(event: Notice) -> bytes:
    """What is sent of an event, written once for all who hear it."""
    if event.line is None:
        event.line = b"data: " + json.dumps(event, ensure_ascii=False).encode("utf-8", "replace") + b"\n\n"
    return event.line


def events(hub: Hub, stream: Stream, gone: Callable[[], bool]) -> Iterator[bytes]:
    """The stream as text/event-stream, until the connection is ``gone`` or it is ended from here.

    One event is sent at once; of many that follow each other those of a moment are sent together.
    """
    try:
        yield b"retry: 3000\n\n"
        beat, sent = time.monotonic(), 0.0
        while not gone():
            try:
                event = stream.waiting.get(timeout=LOOK_SECONDS)
            except queue.Empty:
                if time.monotonic() - beat > BEAT_SECONDS:
                    beat = time.monotonic()
                    if not stream.valid():
                        yield ENDED
                        return
                    yield b":\n\n"
                continue
            time.sleep(max(0.0, sent + GATHERED_SECONDS - time.monotonic()))
            told = [event, *_waiting(stream)]
            last = None in told
            lines = [_line(item) for item in told[: told.index(None) if last else None] if item is not None]
            yield b"".join(lines) + (ENDED if last else b"")
            if last:
                return
            sent = time.monotonic()
    finally:
        hub.close(stream)


def _waiting(stream: Stream) -> Iterator[Notice | None]:
    with contextlib.suppress(queue.Empty):
        while True:
            yield stream.waiting.get_nowait()
