"""``ylemorph serve`` and ``ylemorph demo``."""

import click

from ..serving import Service, run_demo, run_server

PORT = 8642
EVERYWHERE = "0.0.0.0"  # noqa: S104  # what --network means
_read_from = click.option(
    "--read-from", multiple=True, metavar="DIR", help="Disks may be read by path from here; from nowhere unless given."
)
_file = click.Path(dir_okay=False)


@click.command()
@click.option("--host", help="Address to listen on; this machine alone unless given, every one with --network.")
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True)
@click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")
@click.option("--network", is_flag=True, help="Serve the workshop's network; people sign in (ylemorph people add).")
@click.option("--name", "names", multiple=True, metavar="HOST", help="A further host name of this server.")
@click.option("--certificate", type=_file, help="Certificate for encryption, a PEM file; its own unless given.")
@click.option("--key", type=_file, help="Its key, a PEM file.")
@click.option("--plain", is_flag=True, help="Not encrypted: for behind a proxy of your own on this machine.")
@click.option("--disks", is_flag=True, help="Show and read the disks of this machine, for whoever sits at it.")
@click.option(
    "--disks-over-network", is_flag=True, help="The same for people of the role workshop on other machines too."
)
@click.option("--log", is_flag=True, help="Write a line of JSON for each request to standard error.")
@_read_from
def serve(
    host: str | None,
    port: int,
    data: str | None,
    network: bool,
    names: tuple[str, ...],
    certificate: str | None,
    key: str | None,
    plain: bool,
    disks: bool,
    disks_over_network: bool,
    log: bool,
    read_from: tuple[str, ...],
) -> int:
    """Start the application, on this machine or for the workshop's network."""
    service = Service(
        host=host or (EVERYWHERE if network else "127.0.0.1"), port=port, data=data, read_from=read_from,
        network=network, names=names, certificate=certificate, key=key, plain=plain, log=log,
        disks="network" if disks_over_network else "here" if disks else "nobody",
    )  # fmt: skip
    return run_server(service)


@click.command()
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True)
@click.option("--data", type=click.Path(file_okay=False), help="Data folder of the demo.")
@click.option("--no-browser", is_flag=True, help="Do not open a browser.")
@click.option(
    "--fresh", is_flag=True, help="Begin again with the demo's first state; what was there is kept as a copy."
)
@_read_from
def demo(port: int, data: str | None, no_browser: bool, fresh: bool, read_from: tuple[str, ...]) -> int:
    """Start with demo data, in a data folder of its own."""
    return run_demo(Service(port=port, data=data, browser=not no_browser, read_from=read_from), fresh=fresh)
