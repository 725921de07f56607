"""Sending to addresses outside: signed, never to this machine or its neighbours, never on to elsewhere."""

import hashlib
import hmac
import http.client
import ipaddress
import json
import socket
import time
from contextlib import suppress
from threading import Timer
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.core.exceptions import ValidationError

_SECONDS, _SECONDS_IN_ALL = 5, 10
# All of IPv6 that single machines have, out on the network.
_UNICAST = ipaddress.ip_network("2000::/3")
_TAKEN = range(200, 300)


def check_address(address: str) -> list[str]:
    """Return the numbers of the machine that an address leads to; raises ValidationError where nothing is sent there.

    Only TLS, and only to machines out on the network, unless KESSA_HOOKS_NEAR lets hooks stay near.
    """
    near = settings.HOOKS_NEAR
    try:
        parts = urlsplit(address)
        port = parts.port or 443
    except ValueError:
        raise ValidationError("This is no address to send to.") from None
    if parts.scheme != "https" and not (near and parts.scheme == "http"):
        raise ValidationError("A hook is told over TLS: its address begins with https://.")
    if not parts.hostname or parts.username or parts.password:
        raise ValidationError("This is no address to send to.")
    if parts.hostname in settings.ALLOWED_HOSTS and not near:
        raise ValidationError("This address leads back here: nothing is sent there.")
    try:
        found = socket.getaddrinfo(parts.hostname, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise ValidationError("No machine has this name.") from None
    numbers = list(dict.fromkeys(str(each[4][0]) for each in found))
    if not near and not all(_is_outside(number) for number in numbers):
        raise ValidationError("This address leads to a machine nearby: nothing is sent there.")
    return numbers


def _is_outside(number: str) -> bool:
    """Whether a number is a machine's own, out on the network: none that stands for another number, or for many."""
    found = ipaddress.ip_address(number.partition("%")[0])
    if isinstance(found, ipaddress.IPv6Address):
        return found in _UNICAST and found.is_global and not (found.sixtofour or found.teredo)
    return found.is_global and not found.is_multicast


def signature(secret: str, moment: int, body: bytes) -> str:
    """Return by what a hook knows that something came from here: HMAC-SHA256 of the moment, a point, and the body."""
    signed = f"{moment}.".encode() + body
    return f"t={moment},v1={hmac.new(secret.encode(), signed, hashlib.sha256).hexdigest()}"


def send(address: str, secret: str, payload: dict[str, Any]) -> None:
    """Post something to an address; raises OSError where it is not taken. It is not sent on where one is led on."""
    try:
        number = check_address(address)[0]
    except ValidationError as fault:
        raise OSError(fault.message) from None
    parts, body = urlsplit(address), json.dumps(payload).encode()
    headers = {
        "Host": parts.netloc,
        "Content-Type": "application/json",
        "User-Agent": "Kessa",
        "Kessa-Signature": signature(secret, int(time.time()), body),
    }
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    of_scheme = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
    connection: http.client.HTTPConnection = of_scheme(parts.hostname or "", parts.port, timeout=_SECONDS)
    lines: list[socket.socket] = []

    def called(where: tuple[str, int], *rest: Any) -> socket.socket:
        # The machine that was looked at is the one that is called: a name may lead elsewhere the next moment.
        line = socket.create_connection((number, where[1]), *rest)
        lines.append(line.dup())
        return line

    def cut() -> None:
        for line in lines:
            with suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)

    connection._create_connection = called  # type: ignore[attr-defined]
    # The time above is for each wait: who answers a byte now and then would hold the line for ever.
    deadline = Timer(_SECONDS_IN_ALL, cut)
    deadline.start()
    try:
        connection.request("POST", path, body, headers)
        status = connection.getresponse().status
    except http.client.HTTPException as fault:
        raise OSError(type(fault).__name__) from fault
    finally:
        deadline.cancel()
        connection.close()
        for line in lines:
            line.close()
    if status not in _TAKEN:
        raise OSError(f"It answered {status}.")
