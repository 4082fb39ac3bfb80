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


CROWDED, ROOMY = 0.75, 0.5  # of all connections: from there on idle ones end, until so many are left


def making_room(channels: list[Any], most: int) -> list[Any]:
    """Connections that end so that others get in: of those without a request the ones that were idle longest."""
    if len(channels) < most * CROWDED:
        return []
    idle = [channel for channel in channels if channel.request is None and not channel.requests]
    return sorted(idle, key=lambda channel: channel.last_activity)[: len(channels) - int(most * ROOMY)]


def limit_patience(server: Any, most: int) -> None:
    """End connections that take too long, or that are too many, whenever the server looks after its connections."""
    own, patience = server.maintenance, Patience()

    def maintenance(now: float) -> None:
        own(now)
        channels = list(server.active_channels.values())
        for channel in (*patience.ended(channels, time.monotonic()), *making_room(channels, most)):
            channel.will_close = True

    server.maintenance = maintenance
