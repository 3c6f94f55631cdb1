"""Which hosts may be told of events: those that the owner listed, and private addresses only if they are listed
themselves. So nobody who may set an address can have this machine knock at doors within its own network."""

import socket
from collections.abc import Sequence
from ipaddress import IPv4Address, IPv6Address, IPv6Network, ip_address, ip_network
from typing import NamedTuple
from urllib.parse import urlsplit

Address = IPv4Address | IPv6Address


class HostError(ValueError):
    """An address that nobody is told at, with the reason in a sentence."""


class Door(NamedTuple):
    """Where a message goes: an address that was allowed, whatever the name may mean a moment later."""

    url: str
    host: str
    address: str


def check_address(url: str, listed: Sequence[str]) -> None:
    """Whether messages may go to an address at all. listed: names of hosts, addresses and networks (CIDR). Raises
    HostError; whether its name stands for an address that may be, only door_to knows."""
    _parts(url, listed)


def door_to(url: str, listed: Sequence[str]) -> Door:
    """The address of the machine to which a message goes. Raises HostError, and OSError if the name is not known."""
    host, port = _parts(url, listed)
    found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    for *_, place in found:
        address = ip_address(str(place[0]).partition("%")[0])
        if is_open(address, listed):
            return Door(url, host, str(address))
    raise HostError(f"{host} stands for a private address, {found[0][4][0]}, which is not listed itself.")


def _parts(url: str, listed: Sequence[str]) -> tuple[str, int]:
    try:
        parts = urlsplit(url)
        host, port = (parts.hostname or "").rstrip("."), parts.port
        host = host.encode("idna").decode() if not host.isascii() else host
    except (ValueError, UnicodeError) as error:
        raise HostError(f"{url[:200]} is no address; one reads https://shop.example/events.") from error
    if parts.scheme not in ("https", "http") or not host or not url.isprintable() or " " in url:
        raise HostError(f"{url[:200]} is no address; one reads https://shop.example/events.")
    if parts.username or parts.password:
        raise HostError("An address holds no password; each message is signed.")
    if not _is_listed(host, listed):
        raise HostError(f"{host} is not among the hosts that are listed by ZERO_EASEL_HOOKS.")
    literal = _literal(host)
    if parts.scheme == "http" and (literal is None or literal.is_global):
        raise HostError("Messages go by https; by http only to an address of your own network that is listed.")
    return host, port or (443 if parts.scheme == "https" else 80)


def _is_listed(host: str, listed: Sequence[str]) -> bool:
    literal = _literal(host)
    if literal is not None:
        return _is_within(literal, listed)
    return host.casefold() in {one.casefold().rstrip(".") for one in listed}


def is_open(address: Address, listed: Sequence[str] = ()) -> bool:
    """Whether an address is one of the open network, or listed itself. An IPv6 address that holds one of IPv4 is as
    open as both."""
    if _is_within(address, listed):
        return True
    if address in _HOLDING or not address.is_global or address.is_multicast:
        return False
    if isinstance(address, IPv6Address):
        return all(is_open(one, ()) for one in (address.ipv4_mapped, address.sixtofour) if one)
    return True


_HOLDING = IPv6Network("64:ff9b::/96")
"""Addresses of IPv4 as a translator reaches them (RFC 6052)."""


def _is_within(address: Address, listed: Sequence[str]) -> bool:
    networks = [one for one in listed if _literal(one.partition("/")[0]) is not None]
    return any(address in ip_network(one, strict=False) for one in networks)


def _literal(host: str) -> Address | None:
    try:
        return ip_address(host.strip("[]"))
    except ValueError:
        return None
