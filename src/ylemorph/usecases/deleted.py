"""Jobs that were deleted here a moment ago, so that a wrong click is taken back. In memory alone, the last few."""

import sqlite3
from collections import OrderedDict
from threading import Lock

from ..core.errors import YlemorphError
from ..store import bundle, jobs
from ..store.bundle import Bundle
from ..store.database import NotFound, transaction

MOST_KEPT = 20


class Deleted:
    """What the last deleted jobs held, by their numbers."""

    def __init__(self) -> None:
        self._kept: OrderedDict[int, Bundle] = OrderedDict()
        self._lock = Lock()

    def delete(self, connection: sqlite3.Connection, job: int) -> None:
        """Delete a job; one that cannot be read goes without a way back. Raises NotFound."""
        try:
            held = bundle.take_out(connection, [job])
        except NotFound:
            raise
        except (YlemorphError, sqlite3.Error, ValueError):
            held = None
        jobs.delete(connection, job)
        if held is not None:
            with self._lock:
                self._kept[job] = held
                while len(self._kept) > MOST_KEPT:
                    self._kept.popitem(last=False)

    def bring_back(self, connection: sqlite3.Connection, job: int) -> int:
        """The number under which it is there again. Raises NotFound where it is not kept any more."""
        with self._lock:
            held = self._kept.pop(job, None)
        if held is None:
            raise NotFound(f"job {job} is not kept any more", mend="go back to a backup")
        try:
            return bundle.take_in(connection, held, own=True)[0]
        except BaseException:
            with self._lock:
                self._kept[job] = held
            raise


def double(connection: sqlite3.Connection, job: int) -> int:
    """A second job with all that the first one holds. Raises NotFound or Broken."""
    with transaction(connection):
        return bundle.take_in(connection, bundle.take_out(connection, [job]), own=True)[0]
