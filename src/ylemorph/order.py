"""Who waits longest is next: a lock of one or several places that is handed on in the order in which it was asked for.

The usual ones let whoever asks at the right moment in, so that under load a few wait for very long.
"""

import threading
from collections import deque


class Queue:
    """``places`` that may be held at a time."""

    def __init__(self, places: int = 1) -> None:
        self._guard = threading.Lock()
        self._waiting: deque[threading.Lock] = deque()
        self._free = places

    @property
    def waiting(self) -> int:
        """How many wait now."""
        return len(self._waiting)

    def take(self, seconds: float) -> bool:
        """Wait for a place; False where none came in time."""
        with self._guard:
            if self._free:
                self._free -= 1
                return True
            mine = threading.Lock()
            mine.acquire()
            self._waiting.append(mine)
        if mine.acquire(timeout=seconds):
            return True
        with self._guard:
            if mine in self._waiting:
                self._waiting.remove(mine)
                return False
        return True  # handed on in the moment in which the time was up

    def hand_on(self) -> None:
        """Give a place to whoever waits longest."""
        with self._guard:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._free += 1
