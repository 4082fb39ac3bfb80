"""The address under which other machines reach this server, and what they know it by."""

from flask import request

from .addresses import own_address
from .guard import EVERY_ADDRESS, LOCAL_NAMES
from .services import services


def server_address() -> str:
    """As far as it can be told from here."""
    name, _, port = request.host.rpartition(":") if request.host[-1:] != "]" else (request.host, "", "")
    if not name:
        name, port = request.host, ""
    if name.strip("[]") in LOCAL_NAMES and services().bound_to in EVERY_ADDRESS:
        name = own_address() or name
    return f"{request.scheme}://{name}{f':{port}' if port else ''}"


def server_pin() -> str:
    """What another machine knows this server by, which has no authority that would vouch for it; empty where nothing is
    encrypted."""
    certificate = services().certificate
    return certificate.pin if certificate is not None and request.is_secure else ""
