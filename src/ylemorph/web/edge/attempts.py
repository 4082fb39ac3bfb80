"""How often somebody may try: wrong passwords, wrong codes. A try is counted before it is looked at, so that many at
once are no more tries than one after the other; a right one is given back."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from limits import RateLimitItem, RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import FixedWindowRateLimiter

from ...core.errors import YlemorphError
from ...usecases.people import key_of

# Wrong ones, by name (or by a browser that signed in before), and by address, before the next one has to wait.
BY_NAME, BY_ADDRESS = RateLimitItemPerMinute(5), RateLimitItemPerHour(60)
BY_CODE = RateLimitItemPerMinute(30)


class TooOften(YlemorphError):
    """Too many wrong attempts."""


class Attempts:
    """Counts tries; right ones cost nothing."""

    def __init__(self) -> None:
        self._storage = MemoryStorage()
        self._limiter = FixedWindowRateLimiter(self._storage)
        self._lock = threading.Lock()

    @contextmanager
    def one(self, name: str, address: str, device: str = "") -> Iterator[None]:
        """One try of a password, given back where nothing is raised; ``device``: of a browser that signed in under the
        name before. Raises TooOften."""
        kinds = self._of(name, address, device)
        self._take(kinds, "too many wrong attempts")
        yield
        self._give_back(kinds)

    def take_code(self, address: str) -> None:
        """A try of a code of the collecting script. Raises TooOften."""
        self._take([(BY_CODE, "code", address)], "too many wrong codes")

    def give_code_back(self, address: str) -> None:
        self._give_back([(BY_CODE, "code", address)])

    def _of(self, name: str, address: str, device: str) -> list[tuple[RateLimitItem, str, str]]:
        if device:
            return [(BY_NAME, "device", device), (BY_ADDRESS, "device", device)]
        return [(BY_NAME, "name", key_of(name)), (BY_ADDRESS, "address", address)]

    def _take(self, kinds: list[tuple[RateLimitItem, str, str]], problem: str) -> None:
        with self._lock:
            if not all(self._limiter.test(*kind) for kind in kinds):
                raise TooOften(problem, mend="wait a minute, then try again")
            for kind in kinds:
                self._limiter.hit(*kind)

    def _give_back(self, kinds: list[tuple[RateLimitItem, str, str]]) -> None:
        with self._lock:
            for item, *who in kinds:
                self._storage.decr(item.key_for(*who))
