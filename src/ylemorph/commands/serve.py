"""``ylemorph serve`` and ``ylemorph demo``."""

import click

from ..serving import run_demo, run_server

PORT = 8642
_read_from = click.option(
    "--read-from", multiple=True, metavar="DIR", help="Disks may be read by path from here; from nowhere unless given."
)


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True)
@click.option("--data", type=click.Path(file_okay=False), help="Data folder; the user's own unless given.")
@_read_from
def serve(host: str, port: int, data: str | None, read_from: tuple[str, ...]) -> int:
    """Start the application on this machine."""
    return run_server(host, port, data, read_from=read_from)


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
    return run_demo(port, data, browser=not no_browser, fresh=fresh, read_from=read_from)
