"""TLS in front of the server: the standard library's asyncio takes the encrypted connection and hands the bytes on.

The server behind listens on a port of this machine alone and takes connections from this front only, which also tells
it whose they are. A client that is slow to greet or to read holds up nobody else.
"""

import asyncio
import contextlib
import socket
import ssl
import threading
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from ..core.errors import YlemorphError

GREETING_SECONDS = 10
PIECE = 64 * 1024


def tls_context(certificate: Path, key: Path) -> ssl.SSLContext:
    """Raises YlemorphError where the files cannot be used."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    try:
        context.load_cert_chain(certificate, key, password="")  # a locked key is refused, not asked for
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or getattr(error, "reason", None) or str(error)
        raise YlemorphError(
            f"certificate and key cannot be used ({reason})", at="--certificate",
            mend="give both as PEM files that belong together, the key without a password",
        ) from None  # fmt: skip
    return context


class Front:
    """Encrypted connections on ``listener``, handed on to ``inside``."""

    def __init__(self, listener: socket.socket, context: ssl.SSLContext, inside: tuple[str, int]) -> None:
        self._listener, self._context, self._inside = listener, context, inside
        self._clients: dict[str, str] = {}
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="encryption", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def client_of(self, port: str) -> str | None:
        """Whose connection the one from ``port`` of this machine is; None where it did not come through here."""
        return self._clients.get(port)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        begin = asyncio.start_server(
            self._serve, sock=self._listener, ssl=self._context, ssl_handshake_timeout=GREETING_SECONDS
        )
        self._loop.run_until_complete(begin)
        self._loop.run_forever()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        port = ""
        with contextlib.suppress(OSError, ssl.SSLError, asyncio.IncompleteReadError):
            inward, outward = await asyncio.open_connection(*self._inside)
            port = str(outward.get_extra_info("sockname")[1])
            self._clients[port] = str(writer.get_extra_info("peername")[0])
            pipes = {asyncio.ensure_future(_pipe(reader, outward)), asyncio.ensure_future(_pipe(inward, writer))}
            _, left = await asyncio.wait(pipes, return_when=asyncio.FIRST_COMPLETED)
            for pipe in left:
                pipe.cancel()
            outward.close()
        self._clients.pop(port, None)
        writer.close()


async def _pipe(source: asyncio.StreamReader, sink: asyncio.StreamWriter) -> None:
    with contextlib.suppress(OSError, ssl.SSLError):
        while data := await source.read(PIECE):
            sink.write(data)
            await sink.drain()


def behind(front: Front, app: Callable[..., Iterable[bytes]]) -> Callable[..., Iterable[bytes]]:
    """The application as the front sees it: encrypted, with the client's own address; others are sent away."""

    def called(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        client = front.client_of(environ.get("REMOTE_PORT", ""))
        if client is None:
            start_response("403 Forbidden", [("Content-Type", "text/plain"), ("Content-Length", "0")])
            return []
        return app({**environ, "REMOTE_ADDR": client, "wsgi.url_scheme": "https"}, start_response)

    return called
