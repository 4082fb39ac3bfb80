"""The names and addresses under which other machines may reach this one. Nothing is sent to find them."""

import ipaddress
import re
import socket

# Addresses of RFC 5737 and RFC 3849, which nobody has: on the way there, one's own address is told.
NOBODY = ((socket.AF_INET, "192.0.2.1"), (socket.AF_INET6, "2001:db8::1"))
DNS_NAME = re.compile(r"^[a-z0-9]([a-z0-9.-]{0,250}[a-z0-9])?$")


def own_address() -> str:
    """This machine's address in its network; empty where it has none."""
    return next(iter(own_addresses()), "")


def own_addresses() -> tuple[str, ...]:
    """This machine's addresses in its network, IPv4 first."""
    found = []
    for family, nobody in NOBODY:
        try:
            with socket.socket(family, socket.SOCK_DGRAM) as probe:
                probe.connect((nobody, 9))
                found.append(str(probe.getsockname()[0]))
        except OSError:
            continue
    return tuple(address for address in found if not ipaddress.ip_address(address).is_link_local)


def own_names() -> tuple[str, ...]:
    """This machine's host names."""
    name = socket.gethostname().split(".")[0]
    return (name, f"{name}.local", socket.gethostname())


def certified_names(further: tuple[str, ...], host: str) -> frozenset[str]:
    """What a certificate for this machine names: host names, addresses, and this machine for itself."""
    named = {name.lower() for name in (*own_names(), *further, "localhost") if DNS_NAME.match(name.lower())}
    addresses = {*own_addresses(), "127.0.0.1", "::1"}
    try:
        listened = ipaddress.ip_address(host)
    except ValueError:
        return frozenset(named | addresses | ({host.lower()} if DNS_NAME.match(host.lower()) else set()))
    return frozenset(named | addresses | (set() if listened.is_unspecified else {str(listened)}))


def is_loopback(host: str) -> bool:
    """Whether an address is this machine's own, for itself alone."""
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return host == "localhost"
    mapped = address.ipv4_mapped if isinstance(address, ipaddress.IPv6Address) else None
    return (mapped or address).is_loopback
