"""Starting the application: where its data stands, the server, the demo."""

import errno
import ipaddress
import os
import shutil
import socket
import sys
import threading
import webbrowser
from datetime import datetime
from pathlib import Path
from typing import Any

from platformdirs import user_data_path

from .core.errors import YlemorphError
from .store.database import connect, prepare

THREADS = 8
CONNECTIONS, IDLE_SECONDS, CLEANUP_SECONDS = 1000, 120, 5


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def run_server(
    host: str, port: int, data: str | None, *, browser: bool = False, read_from: tuple[str, ...] = ()
) -> int:
    """Serve until stopped. Raises YlemorphError where the port or the data folder cannot be used."""
    from .web.app import create_app
    from .web.guard import EVERY_ADDRESS

    folder = Path(data) if data else user_data_path("ylemorph")
    store = prepare(folder)
    app = create_app(store, bound_to=host, read_from=_folders(read_from))
    app.config["BENCH"].tidy()
    listener = _listener(host, port)
    server = make_server(app, listener)
    shown = "127.0.0.1" if host in EVERY_ADDRESS else f"[{host}]" if ":" in host else host
    url = f"http://{shown}:{port}/"
    _say(f"Ylemorph is at {url} with its data in {folder}. Stop it with Ctrl+C.")
    if not _is_loopback(host):
        _say(
            "WARNING: there is no sign-in. Whoever reaches this address on the network can read and change everything; "
            "put something in front that asks who it is, or use --host 127.0.0.1."
        )
    if browser and _has_screen():
        threading.Timer(0.3, webbrowser.open, (url,)).start()
    try:
        server.run()
    finally:
        server.close()
    return 0


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def make_server(app: Any, listener: socket.socket) -> Any:
    """The server on a bound socket. Many slow clients neither lock others out nor stay for ever."""
    import waitress

    from .web.app import MAX_BODY_BYTES
    from .web.patience import limit_patience

    server = waitress.create_server(
        app,
        sockets=[listener],
        threads=THREADS,
        ident="ylemorph",
        max_request_body_size=MAX_BODY_BYTES,  # a longer body is refused before it is taken to a temporary file
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE_SECONDS,
        cleanup_interval=CLEANUP_SECONDS,
        asyncore_use_poll=True,  # select knows no more than 1024 connections
    )
    limit_patience(server)
    return server


def _folders(named: tuple[str, ...]) -> tuple[Path, ...]:
    for name in named:
        if not Path(name).is_dir():
            raise YlemorphError(f"“{name}” is no folder", at="--read-from", mend="give one that exists")
    return tuple(Path(name) for name in named)


def _has_screen() -> bool:
    """Whether a browser could show itself here; on a machine without a screen one would only complain."""
    return sys.platform in ("win32", "darwin") or any(os.environ.get(key) for key in ("DISPLAY", "WAYLAND_DISPLAY"))


def _listener(host: str, port: int) -> socket.socket:
    """A bound socket, or one sentence on why there is none."""
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
    except OSError:
        raise YlemorphError(f"“{host}” is no address of this machine", at="--host", mend="use 127.0.0.1") from None
    listener = socket.socket(family, kind, protocol)
    try:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listener.bind(address)
    except OSError as error:
        listener.close()
        taken = error.errno == errno.EADDRINUSE
        reason = "is taken by another program" if taken else f"cannot be used ({error.strerror})"
        raise YlemorphError(f"port {port} {reason}", at="--port", mend="choose another, such as 8643") from None
    return listener


def run_demo(port: int, data: str | None, *, browser: bool, fresh: bool, read_from: tuple[str, ...] = ()) -> int:
    """Serve the demo from a data folder of its own; ``fresh`` begins again and keeps a copy of what was there."""
    from .bench.bench import Bench
    from .demo.load import load_demo

    folder = Path(data) if data else user_data_path("ylemorph-demo")
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
    return run_server("127.0.0.1", port, str(folder), browser=browser, read_from=read_from)
