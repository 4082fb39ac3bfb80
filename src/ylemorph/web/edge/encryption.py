"""TLS in front of the server: the standard library's asyncio takes the encrypted connection and hands the bytes on.

The server behind listens on a port of this machine alone and takes connections from this front only, which also tells
it whose they are. A client that is slow to greet or to read holds up nobody else. Whoever comes unencrypted is led to
the encrypted address and gets nothing else. Of many connections the one that was idle longest makes room: first of the
address that has too many, then of all.
"""

import asyncio
import contextlib
import ipaddress
import re
import socket
import ssl
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ...core.errors import YlemorphError
from .limits import Environ

GREETING_SECONDS = 10
PIECE = 64 * 1024
MOST_OF_ONE = 64  # connections of one address: some ten browsers
TLS_GREETING = 0x16  # the first byte of every TLS connection (RFC 8446, 5.1: handshake)
MOST_HEAD = 8192  # of a request that is not encrypted
RENEWAL_SECONDS = 12 * 3600
HOST = re.compile(rb"^host:[ \t]*([\w.:\[\]-]{1,255})[ \t]*\r?$", re.IGNORECASE | re.MULTILINE)
REQUEST = re.compile(rb"^(GET|HEAD) (/[\x21-\x7e]{0,2000}) HTTP/1\.[01]\r?\n")
NOT_HERE = b"HTTP/1.1 403 Forbidden\r\nContent-Type: text/plain\r\nConnection: close\r\nContent-Length: %d\r\n\r\n%s"
ONLY_ENCRYPTED = b"Ylemorph answers encrypted only; use https.\n"
OVER_THERE = (
    b"HTTP/1.1 307 Temporary Redirect\r\nLocation: https://%s%s\r\nConnection: close\r\nContent-Length: 0\r\n\r\n"
)


def tls_context(certificate: Path, key: Path) -> ssl.SSLContext:
    """Raises YlemorphError where the files cannot be used."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    load(context, certificate, key)
    return context


def load(context: ssl.SSLContext, certificate: Path, key: Path) -> None:
    """From now on new connections are greeted with this certificate. Raises YlemorphError."""
    try:
        context.load_cert_chain(certificate, key, password="")  # a locked key is refused, not asked for
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or getattr(error, "reason", None) or str(error)
        raise YlemorphError(
            f"certificate and key cannot be used ({reason})",
            at="--certificate",
            mend="give both as PEM files that belong together, the key without a password",
        ) from None


@dataclass(eq=False)
class Client:
    """One connection from outside: whose, when something last came or went, and what serves it."""

    address: str
    active: float
    serving: asyncio.Task[None] | None = None


def group_of(address: str) -> str:
    """What counts as one address: an IPv4 one, or all of the network that one IPv6 machine has (RFC 6177)."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return address
    return address if found.version == 4 else str(ipaddress.ip_network(f"{address}/64", strict=False))


class Clients:
    """The connections that there are, at most ``most``, and who makes room for another one."""

    def __init__(self, most: int, most_of_one: int = MOST_OF_ONE) -> None:
        self._most, self._most_of_one = most, most_of_one
        self._all: dict[Client, None] = {}

    def add(self, address: str, now: float) -> tuple[Client, Client | None]:
        """A new one, and the one that goes for it where there are too many."""
        of_one = [client for client in self._all if client.address == address]
        pool = of_one if len(of_one) >= self._most_of_one else self._all if len(self._all) >= self._most else ()
        going = min(pool, key=lambda client: client.active, default=None)
        if going is not None:
            self.remove(going)
        client = Client(address, now)
        self._all[client] = None
        return client, going

    def remove(self, client: Client) -> None:
        self._all.pop(client, None)

    def __len__(self) -> int:
        return len(self._all)


class Front:
    """Encrypted connections on ``listener``, handed on to ``inside``; ``renew`` is called now and then."""

    def __init__(
        self,
        listener: socket.socket,
        context: ssl.SSLContext,
        inside: tuple[str, int],
        *,
        most: int = 1000,
        renew: Callable[[], None] = lambda: None,
    ) -> None:
        self._listener, self._context, self._inside, self._renew = listener, context, inside, renew
        self._clients = Clients(most)
        self._whose: dict[str, str] = {}
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="encryption", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def client_of(self, port: str) -> str | None:
        """Whose connection the one from ``port`` of this machine is; None where it did not come through here."""
        return self._whose.get(port)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._listener.setblocking(False)
        self._tasks = [self._loop.create_task(self._accept()), self._loop.create_task(self._renew_often())]
        self._loop.run_forever()

    async def _renew_often(self) -> None:
        while True:
            await asyncio.sleep(RENEWAL_SECONDS)
            with contextlib.suppress(OSError, YlemorphError):
                await self._loop.run_in_executor(None, self._renew)

    async def _accept(self) -> None:
        while True:
            try:
                connection, peer = await self._loop.sock_accept(self._listener)
            except OSError:  # no descriptor is left for a moment
                await asyncio.sleep(0.1)
                continue
            client, going = self._clients.add(group_of(str(peer[0])), self._loop.time())
            if going is not None and going.serving is not None:
                going.serving.cancel()
            client.serving = self._loop.create_task(self._served(client, connection, str(peer[0])))

    async def _served(self, client: Client, connection: socket.socket, address: str) -> None:
        try:
            with contextlib.suppress(OSError, ssl.SSLError, asyncio.IncompleteReadError, asyncio.TimeoutError):
                await self._serve(client, connection, address)
        finally:
            self._clients.remove(client)

    async def _serve(self, client: Client, connection: socket.socket, address: str) -> None:
        encrypted = None
        try:
            connection.setblocking(False)
            encrypted = await asyncio.wait_for(self._is_encrypted(connection), GREETING_SECONDS)
        finally:
            if encrypted is None:
                connection.close()
        if encrypted is None:
            return
        reader = asyncio.StreamReader(loop=self._loop)
        protocol = asyncio.StreamReaderProtocol(reader, loop=self._loop)
        # Arguments that the call knows only together.
        more: dict[str, Any] = {"ssl": self._context, "ssl_handshake_timeout": GREETING_SECONDS} if encrypted else {}
        transport, _ = await self._loop.connect_accepted_socket(lambda: protocol, connection, **more)
        writer = asyncio.StreamWriter(transport, protocol, reader, self._loop)
        try:
            if encrypted:
                await self._hand_on(client, reader, writer, address)
            else:
                await asyncio.wait_for(_lead_over(reader, writer), GREETING_SECONDS)
        finally:
            writer.close()

    async def _is_encrypted(self, connection: socket.socket) -> bool | None:
        """By its first byte, which stays where it is; None where nothing came."""
        while True:
            with contextlib.suppress(BlockingIOError, InterruptedError):
                first = connection.recv(1, socket.MSG_PEEK)
                return first[0] == TLS_GREETING if first else None
            came = asyncio.Event()
            self._loop.add_reader(connection, came.set)
            try:
                await came.wait()
            finally:
                self._loop.remove_reader(connection)

    async def _hand_on(
        self, client: Client, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, address: str
    ) -> None:
        inward, outward = await asyncio.open_connection(*self._inside)
        port = str(outward.get_extra_info("sockname")[1])
        self._whose[port] = address
        pipes = {
            asyncio.ensure_future(self._pipe(client, reader, outward)),
            asyncio.ensure_future(self._pipe(client, inward, writer)),
        }
        try:
            await asyncio.wait(pipes, return_when=asyncio.FIRST_COMPLETED)
        finally:
            for pipe in pipes:
                pipe.cancel()
            outward.close()
            self._whose.pop(port, None)

    async def _pipe(self, client: Client, source: asyncio.StreamReader, sink: asyncio.StreamWriter) -> None:
        with contextlib.suppress(OSError, ssl.SSLError):
            while data := await source.read(PIECE):
                client.active = self._loop.time()
                sink.write(data)
                await sink.drain()


async def _lead_over(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    """Answer somebody who came unencrypted: where to go, and nothing else."""
    head = b""
    while b"\r\n\r\n" not in head and len(head) < MOST_HEAD:
        more = await reader.read(MOST_HEAD)
        if not more:
            break
        head += more
    asked, host = REQUEST.match(head), HOST.search(head)
    if asked and host:
        writer.write(OVER_THERE % (host[1], asked[2]))
    else:
        writer.write(NOT_HERE % (len(ONLY_ENCRYPTED), ONLY_ENCRYPTED))
    await writer.drain()


def behind(front: Front, app: Callable[..., Iterable[bytes]]) -> Callable[..., Iterable[bytes]]:
    """The application as the front sees it: encrypted, with the client's own address; others are sent away."""

    def called(environ: Environ, start_response: Callable[..., Any]) -> Iterable[bytes]:
        client = front.client_of(environ.get("REMOTE_PORT", ""))
        if client is None:
            start_response("403 Forbidden", [("Content-Type", "text/plain"), ("Content-Length", "0")])
            return []
        return app({**environ, "REMOTE_ADDR": client, "wsgi.url_scheme": "https"}, start_response)

    return called
