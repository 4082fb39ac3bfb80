"""Starting the application: where its data stands, the server, the demo."""

import contextlib
import errno
import shutil
import socket
import sqlite3
import sys
import threading
import webbrowser
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from platformdirs import user_data_path

from .core.errors import YlemorphError
from .store.database import connect
from .store.preparing import alone, prepare
from .system import has_screen, keep_port, open_files_allowed
from .usecases.readings import DisksFor
from .web.edge.addresses import certified_names, is_loopback, own_address, own_names

if TYPE_CHECKING:
    from .web.edge.certificates import Certificate

CONNECTIONS, IDLE_SECONDS, CLEANUP_SECONDS = 1000, 120, 5
# Files that the program opens for itself, and that one encrypted connection takes.
OTHER_DESCRIPTORS, DESCRIPTORS_OF_ONE = 200, 3
PROXY = {
    "trusted_proxy": "127.0.0.1",
    "trusted_proxy_count": 1,
    "clear_untrusted_proxy_headers": True,
    "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"},
}


@dataclass(frozen=True, slots=True)
class Service:
    """How the application is served. ``network``: people sign in, and ``names`` are further host names of this server;
    what goes over the network is encrypted under ``certificate`` and ``key`` (PEM files) or one of its own, unless it
    is ``plain``."""

    host: str = "127.0.0.1"
    port: int = 8642
    data: str | None = None
    browser: bool = False
    read_from: tuple[str, ...] = ()
    disks: DisksFor = "nobody"
    network: bool = False
    names: tuple[str, ...] = ()
    certificate: str | None = None
    key: str | None = None
    plain: bool = False
    log: bool = False


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def run_server(service: Service) -> int:
    """Serve until stopped. Raises YlemorphError where port, data folder, people or certificate cannot be used."""
    from .web.app import create_app
    from .web.edge.log import write_lines
    from .web.edge.services import services

    _check_network(service)
    folder = Path(service.data) if service.data else user_data_path("ylemorph")
    store = prepare(folder)
    if service.network:
        _check_people(store)
    certificate = _certificate(service, folder)
    names = frozenset((*service.names, *own_names())) if service.network else frozenset[str]()
    app = create_app(
        store,
        bound_to=service.host,
        read_from=_folders(service.read_from),
        disks=service.disks,
        network=service.network,
        names=names,
        certificate=certificate,
    )
    services(app).shop.bench.tidy()
    write_lines(requests=service.log, security=service.network)
    listener = _listener(service.host, service.port)
    server, front = _server_and_front(app, listener, service, certificate)
    _say_where(service, folder, certificate)
    threading.Thread(target=_finish, args=(store,), name="deleting", daemon=True).start()
    if service.browser and has_screen():
        threading.Timer(0.3, webbrowser.open, (_url(service),)).start()
    try:
        server.run()
    finally:
        services(app).hub.end()
        server.close()
        if front is not None:
            front.stop()
        services(app).shop.keeper.close()
    return 0


def _finish(store: Path) -> None:
    """What a program that was killed had begun to delete."""
    from .store import fleets

    with contextlib.suppress(sqlite3.Error), closing(connect(store)) as connection:
        fleets.finish_deleting(connection)


def _check_network(service: Service) -> None:
    if (service.certificate is None) != (service.key is None):
        raise YlemorphError("certificate and key belong together", at="--certificate", mend="give both")
    if not service.network and (service.names or service.certificate or service.plain):
        raise YlemorphError("this is for a network", at="--name, --certificate, --plain", mend="add --network")
    if service.disks == "network" and not service.network:
        raise YlemorphError("this is for a network", at="--disks-over-network", mend="add --network, or give --disks")
    if service.disks == "here" and service.plain:
        raise YlemorphError(
            "behind a proxy nobody can be told to sit at this machine", at="--disks", mend="give --disks-over-network"
        )
    if service.plain and service.certificate:
        raise YlemorphError("a plain server has no certificate", at="--plain", mend="leave one of the two out")


def _certificate(service: Service, folder: Path) -> "Certificate | None":
    """The one that is given; else its own one for a network that is not plain. Raises YlemorphError."""
    if not service.network or service.plain:
        return None
    from .web.edge.certificates import given_certificate, own_certificate

    if service.certificate is not None and service.key is not None:
        return given_certificate(service.certificate, service.key)
    try:
        with alone(folder):  # two that begin at once make one key
            return own_certificate(folder, certified_names(service.names, service.host))
    except OSError as error:
        raise YlemorphError(
            f"no certificate can be kept here ({error.strerror})", at=str(folder), mend="make room, or give one"
        ) from None


def _check_people(store: Path) -> None:
    """Raises YlemorphError where nobody could sign in."""
    from .store import people

    with closing(connect(store)) as connection:
        if not any(person.role == "workshop" for person in people.everyone(connection)):
            raise YlemorphError(
                "nobody could sign in: there is no person of the role workshop",
                at="--network",
                mend="add one with ylemorph people add NAME --role workshop (and the same --data), then start again",
            )


def _url(service: Service) -> str:
    from .web.edge.guard import EVERY_ADDRESS

    host = service.host
    shown = "127.0.0.1" if host in EVERY_ADDRESS else f"[{host}]" if ":" in host else host
    return f"{'https' if service.network and not service.plain else 'http'}://{shown}:{service.port}/"


def _say_where(service: Service, folder: Path, certificate: "Certificate | None") -> None:
    from .web.edge.certificates import is_open_to_all

    _say(f"Ylemorph is at {_url(service)} with its data in {folder}. Stop it with Ctrl+C.")
    if service.network:
        _say(f"Other machines reach it at {_url(replace(service, host=own_address() or service.host))}")
    if service.plain:
        _say(
            "NOTE: it is not encrypted, so whoever listens between it and a browser can read passwords. --plain is for "
            "behind a proxy of your own on this machine, which encrypts."
        )
    if certificate is not None and is_open_to_all(certificate.key):
        _say(f"WARNING: everybody on this machine can read the key {certificate.key}. Take that away: chmod o-r")
    if certificate is not None and certificate.own:
        if certificate.changed:
            _say(f"It made a certificate, because {certificate.changed}.")
        _say(
            f"Its certificate is its own, until {certificate.until:%Y-%m-%d}. A browser asks once: go on "
            f"where it shows this SHA-256 fingerprint:\n  {certificate.fingerprint}"
        )
    if service.disks == "here" and not service.network:
        _say("NOTE: whoever uses this machine meanwhile can open that address too, and see what is on its disks.")
    if not service.network and not is_loopback(service.host):
        _say(
            "WARNING: there is no sign-in. Whoever reaches this address on the network can read and change everything; "
            "use --network, with people who sign in, or --host 127.0.0.1."
        )


def _server_and_front(
    app: Any, listener: socket.socket, service: Service, certificate: "Certificate | None"
) -> tuple[Any, Any]:
    """The server on ``listener``; or on a port of this machine with the encrypting front on ``listener``."""
    if certificate is None:
        return make_server(app, listener, proxied=service.plain), None
    from .web.edge.encryption import Front, behind, load, tls_context
    from .web.edge.services import services

    def renew() -> None:
        own = _certificate(service, certificate.certificate.parent) if certificate.own else certificate
        assert own is not None
        load(context, own.certificate, own.key)
        services(app).certificate = own

    context = tls_context(certificate.certificate, certificate.key)
    inside = _listener("127.0.0.1", 0)
    listener.listen(128)
    most = min(CONNECTIONS, (open_files_allowed() - OTHER_DESCRIPTORS) // DESCRIPTORS_OF_ONE)
    front = Front(listener, context, inside.getsockname(), most=most, renew=renew)
    server = make_server(app, inside, lambda made: behind(front, made))
    front.start()
    return server, front


def make_server(
    app: Any, listener: socket.socket, around: Callable[[Any], Any] = lambda made: made, *, proxied: bool = False
) -> Any:
    """The server on a bound socket. Many slow clients neither lock others out nor stay for ever.

    ``proxied``: a proxy on this machine says whose a request is and whether it came encrypted.
    """
    import waitress

    from .web.edge.limits import AT_ONCE, MAX_BODY_BYTES, Turns
    from .web.edge.live import MOST_STREAMS
    from .web.edge.patience import limit_patience

    most = min(CONNECTIONS, open_files_allowed() - OTHER_DESCRIPTORS)
    server = waitress.create_server(
        around(Turns(app)),
        sockets=[listener],
        threads=MOST_STREAMS + 2 * AT_ONCE,  # a stream of events keeps one; it sleeps
        ident="ylemorph",
        max_request_body_size=MAX_BODY_BYTES,  # a longer body is refused before it is taken to a temporary file
        connection_limit=most,
        channel_timeout=IDLE_SECONDS,
        channel_request_lookahead=1,  # so that a stream learns that its window is gone
        cleanup_interval=CLEANUP_SECONDS,
        asyncore_use_poll=True,  # select knows no more than 1024 connections
        **(PROXY if proxied else {}),
    )
    limit_patience(server, most)
    return server


def _folders(named: tuple[str, ...]) -> tuple[Path, ...]:
    for name in named:
        if not Path(name).is_dir():
            raise YlemorphError(f"“{name}” is no folder", at="--read-from", mend="give one that exists")
    return tuple(Path(name) for name in named)


def _listener(host: str, port: int) -> socket.socket:
    """A bound socket, or one sentence on why there is none."""
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
    except OSError:
        raise YlemorphError(f"“{host}” is no address of this machine", at="--host", mend="use 127.0.0.1") from None
    listener = socket.socket(family, kind, protocol)
    try:
        keep_port(listener)
        listener.bind(address)
    except OSError as error:
        listener.close()
        taken = error.errno == errno.EADDRINUSE
        reason = "is taken by another program" if taken else f"cannot be used ({error.strerror})"
        raise YlemorphError(f"port {port} {reason}", at="--port", mend="choose another, such as 8643") from None
    return listener


def run_demo(service: Service, *, fresh: bool) -> int:
    """Serve the demo from a data folder of its own; ``fresh`` begins again and keeps a copy of what was there."""
    from .demo.load import load_demo
    from .stand_ins.attached import Bench

    folder = Path(service.data) if service.data else user_data_path("ylemorph-demo")
    if fresh and folder.exists():
        aside = folder.with_name(f"{folder.name}-{datetime.now():%Y%m%d-%H%M%S}")
        try:
            shutil.move(folder, aside)
        except OSError as error:
            raise YlemorphError(
                f"the old demo data cannot be put aside ({error.strerror})",
                at=str(folder),
                mend="choose another --data",
            ) from None
        _say(f"The old demo data now stand in {aside}.")
    store = prepare(folder)
    connection = connect(store)
    try:
        loaded = load_demo(connection, Bench(store.parent / "bench"))
    finally:
        connection.close()
    if loaded:
        _say(f"Loaded {loaded} demo jobs of the Harrow Lane Library's workshop.")
    return run_server(replace(service, data=str(folder)))
