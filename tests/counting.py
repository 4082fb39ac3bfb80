"""How much work something makes, in calls of Python functions: the same on every machine, however busy it is."""

import cProfile
from contextlib import contextmanager


class Calls:
    """``count`` of the functions that were called."""

    count = 0


@contextmanager
def counted():
    """The calls that this thread makes inside; the profiler counts them without slowing them down much."""
    calls, profile = Calls(), cProfile.Profile(subcalls=False, builtins=False)
    profile.enable()
    try:
        yield calls
    finally:
        profile.disable()
        calls.count = sum(entry.callcount for entry in profile.getstats())
