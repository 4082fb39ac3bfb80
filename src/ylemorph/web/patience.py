"""How long a client may take to send a request. A connection that sends a byte now and then is never idle, so the
server's own limit on idle ones does not end it."""

import time
from typing import Any

HEAD_SECONDS, BODY_SECONDS = 20, 300


class Patience:
    """Watches requests that are not there as a whole; ``ended`` tells which connections have had their time."""

    def __init__(self) -> None:
        self._seen: dict[Any, tuple[Any, float]] = {}

    def ended(self, channels: list[Any], now: float) -> list[Any]:
        """``channels`` with a request that has been under way too long, its head or its body."""
        seen, late = {}, []
        for channel in channels:
            request = channel.request
            if request is None:
                continue
            before = self._seen.get(channel)
            since = before[1] if before is not None and before[0] is request else now
            seen[channel] = (request, since)
            if now - since > (BODY_SECONDS if request.headers_finished else HEAD_SECONDS):
                late.append(channel)
        self._seen = seen
        return late


def limit_patience(server: Any) -> None:
    """End connections that take too long, whenever the server looks after its connections."""
    own, patience = server.maintenance, Patience()

    def maintenance(now: float) -> None:
        own(now)
        for channel in patience.ended(list(server.active_channels.values()), time.monotonic()):
            channel.will_close = True

    server.maintenance = maintenance
